"""The command line: documented options, exit codes, and the same pixels as the page."""

import io
import json
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import imagecodecs
import numpy as np

from amber_thicket import cli
from amber_thicket.core.files.encode import stored
from amber_thicket.core.files.file_plan import planned
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.standins.capture_rig.piecewise_kinds import PIECEWISE
from tests.support import encoded, evaluation, linear_photograph, photograph, photographed, size_of


class CliTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.photo = self.folder / "gravel.png"
        self.photo.write_bytes(encoded(photograph("gravel")))

    def run_cli(self, *arguments: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = cli.main(list(arguments))
        return code, out.getvalue(), err.getvalue()

    def test_whoever_reads_only_the_start_hears_no_complaint(self) -> None:
        command = f"{sys.executable} -m amber_thicket.cli settings --json | head -n 1"
        done = subprocess.run(["bash", "-o", "pipefail", "-c", command], capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "{\n", ""))

    def test_bake_gives_the_pixels_of_the_page(self) -> None:
        out = self.folder / "out"
        code, text, _ = self.run_cli("bake", str(self.photo), "--out", str(out), "--size", "512", "--json")
        self.assertEqual(code, 0)
        manifest = json.loads(text)
        ready = evaluation(linear_photograph("gravel"), **size_of(512))
        for file in planned(ready.recipe, "gravel").files:
            written = np.asarray(imagecodecs.png_decode((out / file.name).read_bytes()))
            np.testing.assert_array_equal(
                written, stored(file, {r: ready.layer(r, (512, 512)).pixels for r in file.roles})
            )
        self.assertEqual(
            sorted(p.name for p in out.iterdir()),
            [
                f"gravel_{end}"
                for end in (
                    "ambient_occlusion.png",
                    "base_color.png",
                    "height.png",
                    "manifest.json",
                    "normal.png",
                    "roughness.png",
                )
            ],
        )
        self.assertEqual(manifest["size_px"], [512, 512])

    def test_options(self) -> None:
        out = self.folder / "o"
        recipe = self.folder / "r.json"
        recipe.write_text(json.dumps({"version": 1, "operations": {"relief.height": {"invert": True}}}))
        code, text, _ = self.run_cli(
            "bake", str(self.photo), "--out", str(out), "--size", "512x256", "--profile", "gltf", "--recipe", str(recipe),
            "--set", "tile.join.method=blend", "--set", "pack.files.height_bits=8", "--name", "shore", "--json",
        )  # fmt: skip
        manifest = json.loads(text)
        self.assertEqual(manifest["size_px"], [512, 256])
        self.assertEqual(manifest["recipe"]["operations"]["relief.height"], {"invert": True})
        self.assertTrue((out / "shore.glb").exists())
        self.assertIn(code, (0, 1))

    def test_suggestions_are_taken_when_asked_for(self) -> None:
        slates = self.folder / "slates.png"
        lit = photographed(PIECEWISE["uneven_slates"](700, 5)[0])
        slates.write_bytes(encoded(encode_srgb8(lit)))
        made: dict[str, tuple[str, str]] = {}
        for which, more in (("none", []), ("sure", []), ("all", ["--set", "tile.join.method=blend"])):
            out = self.folder / which
            args = ["bake", str(slates), "--out", str(out), "--size", "256", "--suggested", which, "--json", *more]
            _, printed, told = self.run_cli(*args)
            made[which] = json.loads(printed)["recipe"]["operations"].get("tile.join", {}).get("method", "cut"), told
        self.assertEqual(made["none"][0], "cut")
        self.assertNotIn("Tiled by", made["none"][1])
        self.assertEqual(made["sure"][0], "joints")
        self.assertIn("Tiled by joints: ", made["sure"][1])
        # What somebody chose stays.
        self.assertEqual(made["all"][0], "blend")

    def test_tiling_can_be_switched_off(self) -> None:
        code, _, err = self.run_cli(
            "bake", str(self.photo), "--out", str(self.folder / "x"), "--size", "256", "--set", "tile.join.method=none"
        )
        self.assertEqual(code, 1, "an open edge blocks")
        self.assertIn("tiling.seam", err)

    def test_errors_say_what_and_how(self) -> None:
        for arguments, part in (
            (("bake", "nowhere.png", "--out", "x"), "nowhere.png"),
            (("bake", str(self.photo), "--out", str(self.folder), "--set", "tile.join.overlap_x=99"), "from 4 to 45"),
            (("bake", str(self.photo), "--out", str(self.folder), "--size", "wide"), "1024 or 2048x1024"),
            (("bake", str(self.photo), "--out", str(self.folder), "--size", "1000"), "1024"),
            (("bake", str(self.photo), "--out", str(self.folder), "--set", "nonsense"), "NAME=VALUE"),
        ):
            code, _, err = self.run_cli(*arguments)
            self.assertEqual(code, 2, arguments)
            self.assertIn(part, err)

    def test_settings(self) -> None:
        _, text, _ = self.run_cli("settings", "--json")
        operations = json.loads(text)["operations"]
        join = next(o for o in operations if o["id"] == "tile.join")
        overlap = next(s for s in join["settings"] if s["name"] == "overlap_x")
        self.assertEqual(
            (overlap["min"], overlap["max"], overlap["unit"], overlap["default"]), (4, 45, "% of tile", 20)
        )
        self.assertIn(
            "none", [c["value"] for c in next(s for s in join["settings"] if s["name"] == "method")["choices"]]
        )
        self.assertIn("tile.join.overlap_x", self.run_cli("settings")[1])

    def test_a_module_and_a_command(self) -> None:
        done = subprocess.run(
            [sys.executable, "-m", "amber_thicket.cli", "--version"], capture_output=True, text=True, check=True
        )
        self.assertRegex(done.stdout, r"\d+\.\d+")
