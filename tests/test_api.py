"""The front door for Python: its own examples, and the same result as the command line."""

import doctest
import io
import json
import os
import tempfile
import unittest
from contextlib import redirect_stdout
from pathlib import Path

import numpy as np

import amber_thicket as at
from amber_thicket import api, cli
from amber_thicket.errors import BadSetting, NotFound, ThicketError
from tests.support import encoded, photograph

SMALL = {"square.size.width": 256, "square.size.height": 256}


class ApiTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.addCleanup(os.chdir, os.getcwd())
        os.chdir(folder.name)
        self.folder = Path(folder.name)
        Path("gravel.png").write_bytes(encoded(photograph("gravel")))

    def test_its_examples(self) -> None:
        found = doctest.testmod(api)
        self.assertEqual((found.failed, found.attempted > 6), (0, True))

    def test_everything_promised_is_there(self) -> None:
        for name in at.__all__:
            self.assertTrue(hasattr(at, name), name)
        with self.assertRaises(AttributeError):
            at.open_door  # noqa: B018

    def test_the_same_files_as_the_command_line(self) -> None:
        material = at.open_photo("gravel.png", {**SMALL, "relief.height.invert": True})
        manifest = at.bake(material, "python")
        with redirect_stdout(io.StringIO()) as out:
            cli.main(["bake", "gravel.png", "--out", "shell", "--size", "256", "--set", "relief.height.invert=true"])
        self.assertEqual(sorted(out.getvalue().split()), sorted(str(path) for path in Path("shell").iterdir()))
        for path in Path("python").iterdir():
            if path.suffix == ".png":
                self.assertEqual(path.read_bytes(), (Path("shell") / path.name).read_bytes())
        self.assertEqual(manifest["checks"], json.loads(Path("shell/gravel_manifest.json").read_text())["checks"])

    def test_settings_make_another_material(self) -> None:
        one = at.open_photo("gravel.png", SMALL)
        other = one.with_settings({"relief.height.invert": True})
        np.testing.assert_allclose(one.map("height") + other.map("height"), 1, atol=0.02)
        self.assertNotIn("relief.height", one.recipe["operations"])
        again = at.open_photo("gravel.png", recipe=json.dumps(other.recipe))
        np.testing.assert_array_equal(again.map("height", (256, 256)), other.map("height", (256, 256)))
        self.assertEqual(one.map("normal").shape, (256, 256, 3))
        self.assertTrue(any(found["rule"] == "tiling.seam" for found in one.checks()))
        with self.assertRaises(BadSetting):
            one.with_settings({"relief.height.inverted": True})
        with self.assertRaises(NotFound):
            one.map("colour")

    def test_repaired_maps_pass_the_audit_that_found_them_wrong(self) -> None:
        at.bake(at.open_photo("gravel.png", {**SMALL, "relief.normal.y_in_files": "minus"}), "maps")
        wrong = at.audit("maps")
        self.assertIn("normal", {file["role"] for one in wrong["sets"] for file in one["files"]})
        repaired = at.repair("maps", into="right")
        self.assertEqual(repaired["level"], wrong["level"])
        levels = {"clean": 0, "pass": 0, "note": 0, "attention": 1, "unknown": 1, "blocked": 2}
        self.assertLessEqual(levels[at.audit("right")["level"]], levels[wrong["level"]])
        with self.assertRaises(ThicketError):
            at.audit(self.folder / "nothing")
