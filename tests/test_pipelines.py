"""Audits that a build reads, policy and own rules, and the manners of the command line."""

from __future__ import annotations

import contextlib
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock
from urllib.parse import unquote
from xml.etree import ElementTree

import cv2
import numpy as np
from PIL import Image

from amber_thicket import cli
from amber_thicket.core.memory import Memory
from amber_thicket.core.recipe import VERSION
from amber_thicket.service import starts
from amber_thicket.service.library import Library
from amber_thicket.store import cards
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.database import open_database
from amber_thicket.store.models import using
from tests.support import encoded, photograph

GRAVEL = photograph("gravel")[:128, :128]
OWN = """
from amber_thicket.api import read_file
from amber_thicket.audit_rules import OwnFinding


def too_dark(one):
    for file in one.files:
        if file["role"] == "base_color" and read_file(one.contents[file["file"]]).mean() < 0.9:
            yield OwnFinding("It is darker than our sky.", "blocked", file["file"], "Nights are long.")


def broken(one):
    raise KeyError("gone")
"""


def run(*arguments: str, stdin: bytes = b"") -> tuple[int, str, str]:
    """Exit code, standard output and standard error of a command."""
    out, err = io.StringIO(), io.StringIO()
    source = mock.Mock(buffer=io.BytesIO(stdin), read=lambda: stdin.decode())
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), mock.patch.object(sys, "stdin", source):
        code = cli.main(list(arguments))
    return code, out.getvalue(), err.getvalue()


class InFolder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        before = Path.cwd()
        os.chdir(self.folder)
        self.addCleanup(os.chdir, before)


class Audits(InFolder):
    def setUp(self) -> None:
        super().setUp()
        maps = self.folder / "wall maps"
        maps.mkdir()
        (maps / "wall_basecolor.png").write_bytes(encoded(GRAVEL))
        flat = np.full((128, 128, 3), (128, 128, 255), np.uint8)
        (maps / "wall_normal.png").write_bytes(encoded(flat))
        (maps / "wall_height.jpg").write_bytes(encoded(GRAVEL, "JPEG"))
        cv2.imwrite(str(maps / "wall_roughness.png"), GRAVEL[..., 0])
        (maps / "broken_normal.png").write_bytes(encoded(flat)[:60])
        self.maps = maps

    def findings(self, *more: str) -> tuple[int, dict[str, set[str]]]:
        code, out, _ = run("audit", str(self.maps), "--report", "json", *more)
        rules: dict[str, set[str]] = {}
        for one in json.loads(out)["sets"]:
            for holder in (one, *one["files"]):
                for finding in holder["findings"]:
                    rules.setdefault(finding["rule"], set()).add(finding["level"])
        return code, rules

    def test_sarif_says_what_text_says(self) -> None:
        """SARIF 2.1.0 (OASIS standard, 2020): sections 3.13 to 3.27; its required members from memory."""
        code, out, _ = run("audit", str(self.maps), "--report", "sarif")
        told = json.loads(out)
        self.assertEqual((code, told["version"], len(told["runs"])), (self.findings()[0], "2.1.0", 1))
        found = told["runs"][0]
        rules = {rule["id"] for rule in found["tool"]["driver"]["rules"]}
        self.assertEqual(found["tool"]["driver"]["name"], "amber-thicket")
        _, levels = self.findings()
        self.assertEqual(rules, {rule for rule, found in levels.items() if found != {"pass"}})
        for result in found["results"]:
            self.assertIn(result["ruleId"], rules)
            self.assertIn(result["level"], {"error", "warning", "note"})
            self.assertTrue(result["message"]["text"])
            for location in result["locations"]:
                uri = location["physicalLocation"]["artifactLocation"]["uri"]
                self.assertNotIn(" ", uri)
                self.assertTrue(Path(unquote(uri)).is_file(), uri)
        lossy = next(result for result in found["results"] if result["ruleId"] == "files.lossless")
        self.assertEqual(len(lossy["locations"]), 1)
        self.assertIn("wall_height.jpg", lossy["locations"][0]["physicalLocation"]["artifactLocation"]["uri"])
        # What could not be read is said as well.
        self.assertFalse(found["invocations"][0]["executionSuccessful"])
        self.assertIn("broken_normal.png", found["invocations"][0]["toolExecutionNotifications"][0]["message"]["text"])

    def test_junit_counts_what_it_holds(self) -> None:
        out = self.folder / "audit.xml"
        (self.folder / "amber-thicket.toml").write_text('[audit.rules]\n"files.lossless" = "blocked"\n')
        code, printed, _ = run("audit", str(self.maps), "--report", "junit", "--out", str(out))
        self.assertEqual((code, printed), (2, ""))
        suites = ElementTree.parse(out).getroot()
        wall = next(suite for suite in suites if "Wall" in (suite.get("name") or ""))
        told = json.loads(run("audit", str(self.maps), "--report", "json")[1])["sets"]
        files = next(one for one in told if "Wall" in one["name"])["files"]
        blocked = {file["path"] for file in files if any(one["level"] == "blocked" for one in file["findings"])}
        failed = {case.get("name") for case in wall.findall("testcase/failure/..")}
        self.assertIn(str(self.maps / "wall_height.jpg"), blocked)
        self.assertEqual(failed - {"the set"}, blocked)
        # Four files and the set.
        self.assertEqual((wall.get("tests"), wall.get("failures")), ("5", str(len(failed))))
        refused = next(suite for suite in suites if suite.get("name") == "not read")
        self.assertEqual((refused.get("tests"), refused.get("errors")), ("1", "1"))

    def test_the_policy_of_the_repository(self) -> None:
        policy = self.folder / "amber-thicket.toml"
        _, plain = self.findings()
        self.assertIn("files.lossless", plain)
        policy.write_text(
            "[audit]\nnames = '[a-z_]+\\.png'\n[audit.rules]\n'files.lossless' = 'off'\n'policy.name' = 'blocked'\n"
            "[audit.limits]\nside_least = 256\nmegabytes_most = 0.01\nbits_least = {height = 16}\n"
        )
        code, found = self.findings()
        self.assertEqual(code, 2)
        self.assertNotIn("files.lossless", found)
        self.assertEqual(found["policy.name"], {"blocked"})
        for rule in ("policy.side_least", "policy.megabytes_most", "policy.bits_least"):
            self.assertEqual(found[rule], {"attention"}, rule)
        self.assertNotIn("policy.side_most", found)
        # Limits that are kept say nothing; one just passed does.
        policy.write_text("[audit.limits]\nside_least = 128\nside_most = 128\npower_of_two = true\n")
        self.assertFalse({rule for rule in self.findings()[1] if rule.startswith("policy.")})
        policy.write_text("[audit.limits]\nside_least = 129\nside_most = 127\n")
        rules = {rule for rule in self.findings()[1] if rule.startswith("policy.")}
        self.assertEqual(rules, {"policy.side_least", "policy.side_most"})
        for text, told in (
            ("[audit", "is no TOML"),
            ("[audit]\nprofile = 'nobody'", "audit.profile"),
            ("[audit]\nnames = '('", "no regular expression"),
            ("[audit.rules]\n'set.roles' = 'loud'", "audit.rules.set.roles"),
            ("[audit]\nlevel = 3", "audit.level"),
        ):
            with self.subTest(text=text):
                policy.write_text(text)
                code, _, err = run("audit", str(self.maps))
                self.assertEqual(code, 3)
                self.assertIn(told, err)
        policy.unlink()
        code, _, err = run("audit", str(self.maps), "--config", str(self.folder / "none.toml"))
        self.assertEqual(code, 3)
        self.assertIn("none.toml cannot be opened", err)

    def test_rules_of_an_installed_package(self) -> None:
        package = self.folder / "site"
        (package / "own_rules-1.0.dist-info").mkdir(parents=True)
        (package / "own_rules.py").write_text(OWN)
        (package / "own_rules-1.0.dist-info" / "METADATA").write_text(
            "Metadata-Version: 2.1\nName: own-rules\nVersion: 1.0\n"
        )
        entries = "[amber_thicket.audit_rules]\nown.too_dark = own_rules:too_dark\nown.broken = own_rules:broken\n"
        (package / "own_rules-1.0.dist-info" / "entry_points.txt").write_text(entries)
        with mock.patch.object(sys, "path", [str(package), *sys.path]):
            code, found = self.findings()
            self.assertEqual(code, 2)
            self.assertEqual((found["own.too_dark"], found["own.broken"]), ({"blocked"}, {"unknown"}))
            self.assertNotIn("own.too_dark", self.findings("--no-own-rules")[1])
            (self.folder / "amber-thicket.toml").write_text("[audit.rules]\n'own.too_dark' = 'off'\n")
            self.assertNotIn("own.too_dark", self.findings()[1])
            entries = entries.replace("own_rules:broken", "own_rules:nowhere")
            (package / "own_rules-1.0.dist-info" / "entry_points.txt").write_text(entries)
            code, _, err = run("audit", str(self.maps))
            self.assertEqual(code, 3)
            self.assertIn("own.broken cannot be loaded", err)


class Manners(InFolder):
    SMALL = ("--size", "256")

    def test_standard_input_and_a_manifest_as_recipe(self) -> None:
        code, out, err = run("bake", "-", "--out", "a", "--name", "wall", "--set", "even.light.amount=30", *self.SMALL, stdin=encoded(GRAVEL))  # fmt: skip
        self.assertEqual((code, err), (0, ""), err)
        self.assertIn("a/wall_manifest.json", out)
        recipe = json.loads(Path("a/wall_manifest.json").read_text())["recipe"]
        self.assertEqual(recipe["operations"]["even.light"], {"amount": 30})
        Path("photo.png").write_bytes(encoded(GRAVEL))
        code, out, _ = run(
            "bake", "photo.png", "--out", "b", "--name", "wall", "--quiet", "--recipe", "a/wall_manifest.json"
        )
        self.assertEqual((code, out), (0, ""))
        for path in Path("a").glob("*.png"):
            self.assertEqual(path.read_bytes(), (Path("b") / path.name).read_bytes(), path.name)
        code, _, err = run("bake", "-", "--out", "c")
        self.assertEqual(code, 2)
        self.assertIn("Nothing came in", err)

    def test_mistakes_are_told_without_a_traceback(self) -> None:
        Path("photo.png").write_bytes(encoded(GRAVEL))
        Path("taken").write_text("a file")
        Path("binary.json").write_bytes(bytes(range(256)))
        for arguments, told in (
            (("bake", "photo.png", "--out", "taken"), "taken"),
            (("bake", "photo.png", "--out", "x", "--recipe", "none.json"), "none.json cannot be read"),
            (("bake", "photo.png", "--out", "x", "--recipe", "binary.json"), "it is no text"),
            (("bake", "none.png", "--out", "x"), "none.png"),
            (("batch", "photo.png", "--out", "taken/x"), "taken/x"),
            (("batch", "photo.png", "--out", "x", "--start", "Roofs", "--data", "nowhere"), "no library"),
            (("audit", "none"), "none"),
            (("pack", "Wall", "--out", "x", "--data", "nowhere"), "no library"),
            (("scan", "none.ply", "--out", "x"), "none.ply"),
        ):
            with self.subTest(arguments=arguments):
                code, out, err = run(*arguments)
                self.assertEqual(code, 3 if arguments[0] == "audit" else 2)
                self.assertIn(told, err)
                self.assertNotIn("Traceback", err + out)
                self.assertEqual(err.count("\n"), 1, err)

    def test_defaults_come_from_the_nearest_file(self) -> None:
        Path("photo.png").write_bytes(encoded(GRAVEL))
        Path("amber-thicket.toml").write_text('[bake]\nsize = "256"\nout = "maps"\nquiet = true\nprofile = "gltf"\n')
        (self.folder / "below").mkdir()
        os.chdir("below")
        code, out, _ = run("bake", "../photo.png")
        self.assertEqual((code, out), (0, ""))
        manifest = json.loads(Path("maps/photo_manifest.json").read_text())
        self.assertEqual((manifest["profile"], manifest["size_px"]), ("gltf", [256, 256]))
        run("bake", "../photo.png", "--profile", "separate_y_plus")
        self.assertEqual(json.loads(Path("maps/photo_manifest.json").read_text())["profile"], "separate_y_plus")
        for text, told in (
            ("[bake]\ncolour = 3\n", "[bake] has no “colour”"),
            ("[bakes]\nsize = '256'\n", "no command “bakes”"),
            ("bake = 3\n", "no command “bake”"),
            ("[bake]\nsuggested = 'maybe'\n", "suggested cannot be 'maybe'"),
            ("[bake]\nquiet = 'yes'\n", "quiet cannot be 'yes'"),
            ("[batch]\njobs = 'many'\n", "jobs cannot be 'many'"),
            ("[batch]\nreport = ['html', 'pdf']\n", "report cannot be"),
        ):
            with self.subTest(text=text):
                Path("../amber-thicket.toml").write_text(text)
                code, _, err = run("bake", "../photo.png")
                self.assertEqual(code, 2)
                self.assertIn(told, err)
                self.assertEqual(run("audit", "../photo.png")[0], 3)

    def test_the_shell_completes(self) -> None:
        script = run("completion", "bash")[1]
        asked = 'COMP_WORDS=(amber-thicket audit --rep); COMP_CWORD=2; _amber_thicket; echo "${COMPREPLY[@]}"'
        told = subprocess.run(["bash", "-c", f"{script}\n{asked}"], capture_output=True, text=True, check=True).stdout
        self.assertEqual(sorted(told.split()), ["--repair", "--report"])
        asked = 'COMP_WORDS=(amber-thicket ba); COMP_CWORD=1; _amber_thicket; echo "${COMPREPLY[@]}"'
        told = subprocess.run(["bash", "-c", f"{script}\n{asked}"], capture_output=True, text=True, check=True).stdout
        self.assertEqual(sorted(told.split()), ["backup", "bake", "batch"])
        for shell in ("zsh", "fish"):
            script = run("completion", shell)[1]
            for command in ("bake", "audit", "completion"):
                self.assertIn(command, script)
            if shutil.which(shell):
                subprocess.run([shell, "-n"], input=script, text=True, check=True)

    def test_the_hook_names_a_command_there_is(self) -> None:
        hook = (Path(cli.__file__).parents[1] / ".pre-commit-hooks.yaml").read_text()
        entry = next(line for line in hook.splitlines() if line.strip().startswith("entry:")).split(":")[1].split()
        self.assertEqual(entry[0], "amber-thicket")
        code, out, _ = run("completion", "fish")
        self.assertIn(f"-a {entry[1]} ", out)

    def test_the_schema_of_recipes_is_printed(self) -> None:
        told = json.loads(run("settings", "--schema")[1])
        self.assertEqual(told["properties"]["version"]["const"], VERSION)
        self.assertIn("tile.join", told["properties"]["operations"]["properties"])

    def test_materials_of_the_library_are_packed_and_starts_begun_with(self) -> None:
        folder = self.folder / "data"
        database = open_database(folder)
        library = Library(database, open_blobs(folder), Memory(400_000_000))
        small: dict[str, Any] = {"square.size.width": 256, "square.size.height": 256}
        with using(database):
            wall, roof = (
                library.add([encoded(np.roll(GRAVEL, by, 0))], f"{name}.png", name=name, changes=small)
                for by, name in ((0, "Harbour wall"), (9, "Roof"))
            )
            cards.change_labels([roof.id], "tag", ["slate"], ())
            starts.keep(
                library.recipe(library.edit(roof.id, 1, {"even.light.amount": 12.0}, label="", gesture="")), "Roofs", ""
            )
        database.close()
        code, _, err = run("pack", "Harbour wall", "--out", "maps", "--data", "data")
        self.assertEqual(code, 0, err)
        self.assertEqual([path.name for path in Path("maps").iterdir()], ["Harbour_wall"])
        code, _, err = run("pack", "--tag", "slate", "--out", "maps", "--data", "data", "--quiet")
        self.assertEqual((code, err), (0, ""))
        self.assertTrue(Path("maps/Roof/Roof_manifest.json").is_file())
        self.assertEqual(run("pack", "--state", "packed", "--out", "again", "--data", "data")[0], 0)
        self.assertEqual(len(list(Path("again").iterdir())), 2)
        for arguments, told in (
            (("Nobody",), "no material “Nobody”"),
            (("--tag", "moss"), "is like that"),
            ((), "is named"),
        ):
            code, _, err = run("pack", *arguments, "--out", "x", "--data", "data")
            self.assertEqual(code, 2)
            self.assertIn(told, err)
        Image.fromarray(GRAVEL).save("one.png")
        code, _, err = run(
            "batch", "one.png", "--out", "b", "--start", "Roofs", "--data", "data", "--suggested", "none", "--quiet"
        )
        self.assertEqual(code, 0, err)
        made = json.loads(Path("b/one/one_manifest.json").read_text())["recipe"]["operations"]
        self.assertEqual(made["even.light"], {"amount": 12.0})
        code, _, err = run("batch", "one.png", "--out", "b", "--start", "Walls", "--data", "data")
        self.assertIn("“Roofs”", err)
