"""A folder of an evening's captures: grouped, made, reported; what fails is named, what is done is not done again."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree

import numpy as np

from amber_thicket import api, batch, batch_report, cli
from amber_thicket.batch import Group, Outcome, Wanted, grouped
from amber_thicket.core.numeric.colour import decode_srgb, encode_srgb8
from amber_thicket.core.relief.normal import from_height
from amber_thicket.errors import ThicketError, UnreadableFile
from tests.lightset import shot
from tests.support import encoded, photograph

SMALL = Wanted({"square.size.width": 256, "square.size.height": 256})
LAMPS = 6


def fill(folder: Path) -> None:
    """Two photographs, a light set, a bracket, a map set, one broken file, and what is no picture at all."""
    for name in ("brick", "grass"):
        (folder / f"{name}.png").write_bytes(encoded(photograph(name)[:384, :384]))
    (folder / "lamps").mkdir()
    for number, codes in enumerate(shot("cork_board", count=LAMPS, part=256)[0]):
        (folder / "lamps" / f"frame_{number:02}.png").write_bytes(encoded(encode_srgb8(codes)))
    (folder / "steps").mkdir()
    light = decode_srgb(photograph("brick")[:384, :384])
    for number, stops in enumerate((-2, 0, 2)):
        codes = encode_srgb8((light * np.float32(2.0**stops)).clip(0, 1))
        (folder / "steps" / f"shot_{number}.png").write_bytes(encoded(codes))
    y, x = np.mgrid[0:256, 0:256] / 256 * 2 * np.pi
    height = (0.5 + 0.25 * np.sin(3 * x) * np.cos(2 * y)).astype(np.float32)
    normal = from_height(height, depth=6.0)
    for role, codes in (
        ("albedo", photograph("brick")[:256, :256]),
        ("normal", np.rint((normal + 1) * 127.5).astype(np.uint8)),
        ("height", np.rint(height * 65535).astype(np.uint16)),
    ):
        (folder / f"quay_{role}.png").write_bytes(encoded(codes))
    (folder / "torn.png").write_bytes(encoded(photograph("grass"))[:900])
    (folder / "notes.txt").write_text("no picture")


class BatchTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shots, self.out = Path(folder.name) / "shots", Path(folder.name) / "out"
        self.shots.mkdir()

    def test_a_whole_folder_with_one_that_fails_and_a_resume(self) -> None:
        fill(self.shots)
        groups = grouped([self.shots])
        self.assertEqual(
            [(group.name, len(group.files)) for group in groups],
            [("brick", 1), ("grass", 1), ("lamps", LAMPS), ("quay", 3), ("steps", 3), ("torn", 1)],
        )
        # Called off after two: what is made by then stays, and is not made again.
        made: list[str] = []

        def stop(outcome: Outcome, left: int) -> None:
            made.append(outcome.name)
            self.assertEqual(left, 6 - len(made))
            if len(made) == 2:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            batch.run(groups, SMALL, self.out, told=stop)
        again: list[str] = []
        outcomes = batch.run(groups, SMALL, self.out, resume=True, told=lambda one, _: again.append(one.name))
        self.assertEqual(again, ["lamps", "quay", "steps", "torn"])
        kinds = {one.name: one.kind for one in outcomes}
        self.assertEqual(
            kinds,
            {"grass": "photograph", "brick": "photograph", "lamps": "light set",
             "quay": "map set", "steps": "bracket", "torn": ""},
        )  # fmt: skip
        states = {one.name: one.state for one in outcomes}
        self.assertEqual([name for name, state in states.items() if state == "failed"], ["torn"])
        self.assertIn("torn.png", outcomes[-1].why)
        # A state says no more and no less than what was found.
        for one in outcomes[:-1]:
            levels = [row["level"] for row in one.checks]
            worst = next((level for level in ("blocked", "attention", "unknown") if level in levels), "passed")
            self.assertEqual(one.state, {"unknown": "attention"}.get(worst, worst), one.name)
            self.assertEqual(levels, sorted(levels, key=("blocked", "attention", "unknown", "note").index))
        # A file that went, or another wish, is made anew; nothing else is.
        (self.out / "grass" / "grass_height.png").unlink()
        again.clear()
        batch.run(groups, SMALL, self.out, resume=True, told=lambda one, _: again.append(one.name))
        self.assertEqual(again, ["grass", "torn"])
        with mock.patch.object(
            batch, "make", side_effect=lambda group, *_: Outcome(group.name, "", (), "passed")
        ) as anew:
            batch.run(groups, Wanted({"square.size.width": 512}), self.out, resume=True)
        self.assertEqual(anew.call_count, 6)
        # The same bytes as one by one.
        one = api.open_photo(self.shots / "brick.png", SMALL.changes).suggested("sure", SMALL.changes)
        api.bake(one, self.out / "alone", name="brick")
        for file in (self.out / "alone").iterdir():
            if file.suffix == ".png":
                self.assertEqual(file.read_bytes(), (self.out / "brick" / file.name).read_bytes(), file.name)
        self.assert_reported(outcomes)

    def assert_reported(self, outcomes: list[Outcome]) -> None:
        page = batch_report.html_text(outcomes)
        self.assertEqual(page.count("data:image/jpeg;base64,"), 5)
        self.assertEqual(page.count("<section"), 6)
        # What needs a hand comes first.
        self.assertLess(page.index("<h2>torn"), page.index("<h2>brick"))
        told = json.loads(batch_report.json_text(outcomes))
        self.assertEqual(told["materials"][0]["name"], "torn")
        self.assertTrue(all("picture" not in row for row in told["materials"]))
        suite = ElementTree.fromstring(batch_report.junit_text(outcomes))
        self.assertEqual((suite.get("tests"), suite.get("errors")), ("6", "1"))
        self.assertEqual(len(suite.findall("testcase/error")), 1)

    def test_profiles_and_sizes_lie_in_folders_of_their_own(self) -> None:
        path = self.shots / "brick.png"
        path.write_bytes(encoded(photograph("brick")[:384, :384]))
        plain = {"tile.join.method": "none", "even.light.amount": 0}
        wanted = Wanted(plain, profiles=("gltf", "mask_packed"), sizes=(512, 256))
        [one] = batch.run([Group("brick", (path,))], wanted, self.out)
        folders = {Path(name).parent.as_posix() for name in one.written}
        self.assertEqual(folders, {f"brick/{profile}/{size}" for profile in wanted.profiles for size in wanted.sizes})
        manifest = json.loads((self.out / "brick/gltf/256/brick_manifest.json").read_text())
        self.assertEqual(manifest["size_px"], [256, 256])

    def test_what_nobody_foresaw_is_named_and_the_others_go_on(self) -> None:
        files = [self.shots / "a.png", self.shots / "b.png"]
        for file in files:
            file.write_bytes(encoded(photograph("brick")[:64, :64]))
        fine = Outcome("b", "", ("b.png",), "passed")
        with (
            mock.patch.object(batch, "_opened", side_effect=[ValueError("odd"), ThicketError("Too odd.")]),
            self.assertLogs("amber_thicket.batch"),
        ):
            outcomes = batch.run(grouped(files), SMALL, self.out)
        self.assertEqual([one.state for one in outcomes], ["failed", "failed"])
        self.assertIn("ValueError: odd", outcomes[0].why)
        self.assertEqual(outcomes[1].why, "Too odd.")
        self.assertEqual(batch.by_need([fine, *outcomes])[-1].name, "b")

    def test_names_that_are_there_twice_and_folders_without_pictures(self) -> None:
        for folder in ("a", "b"):
            (self.shots / folder).mkdir()
            (self.shots / folder / "slate.png").write_bytes(encoded(photograph("brick")[:64, :64]))
        files = [self.shots / "a" / "slate.png", self.shots / "b" / "slate.png"]
        self.assertEqual(sorted(group.name for group in grouped(files)), ["slate", "slate_2"])
        with self.assertRaisesRegex(UnreadableFile, "There is no picture"):
            (self.shots / "empty").mkdir()
            grouped([self.shots / "empty"])
        with self.assertRaisesRegex(UnreadableFile, "is not there"):
            grouped([self.shots / "gone.png"])

    def test_the_command_says_how_it_went(self) -> None:
        (self.shots / "brick.png").write_bytes(encoded(photograph("brick")[:256, :256]))
        (self.shots / "torn.png").write_bytes(encoded(photograph("grass"))[:900])
        out, err = io.StringIO(), io.StringIO()
        arguments = [
            "batch",
            str(self.shots),
            "--out",
            str(self.out),
            "--sizes",
            "256",
            "--report",
            "json",
            "--report",
            "junit",
        ]
        with redirect_stdout(out), redirect_stderr(err):
            code = cli.main(arguments)
        self.assertEqual(code, 2)
        self.assertIn("1/2 brick: ", err.getvalue())
        self.assertIn("2/2 torn: failed", err.getvalue())
        self.assertEqual(
            sorted(p.name for p in self.out.iterdir()), ["batch.json", "brick", "report.json", "report.xml"]
        )
        self.assertIn("1 failed", out.getvalue())
        # Again, with two at a time: nothing that is made is made again, what failed is tried.
        with redirect_stdout(out), redirect_stderr(err):
            self.assertEqual(cli.main([*arguments, "--resume", "--jobs", "2", "--quiet"]), 2)
            self.assertEqual(cli.main(["batch", str(self.shots), "--out", str(self.out), "--sizes", "big"]), 2)
        self.assertIn("--sizes cannot be 'big'", err.getvalue())


if __name__ == "__main__":
    unittest.main()
