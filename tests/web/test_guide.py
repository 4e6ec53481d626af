"""The lines of docs/guide/api.md, run as they stand against the real program."""

import os
import re
import subprocess
import tempfile
import unittest
import zipfile
from pathlib import Path

import imagecodecs

from amber_thicket.core.roles import COMPARED, EVERY
from tests.program import ROOT, Program
from tests.support import BUSY, encoded, photograph


class GuideTest(unittest.TestCase):
    def test_a_whole_job_by_http(self) -> None:
        lines = re.findall(r"```sh\n(.*?)```", (ROOT / "docs" / "guide" / "api.md").read_text(), re.S)
        self.assertEqual(len(lines), 6)
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
            folder = Path(name)
            (folder / "shore_wall.png").write_bytes(encoded(photograph("gravel")))
            program = Program(folder / "data")
            program.start()
            self.addCleanup(program.kill)
            where = {"AT": program.address.rstrip("/"), "PHOTO": "shore_wall.png"}
            done = subprocess.run(
                ["bash", "-euo", "pipefail", "-c", "\n".join(lines)],
                cwd=folder, env={**os.environ, **where}, capture_output=True, text=True, timeout=120 * BUSY, check=False,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("pass tiling.seam", done.stdout)
            self.assertEqual(imagecodecs.png_decode((folder / "normal.png").read_bytes()).shape[2], 3)
            with zipfile.ZipFile(folder / "maps.zip") as archive:
                self.assertIn("shore_wall_normal.png", archive.namelist())


if __name__ == "__main__":
    unittest.main()


class WordsTest(unittest.TestCase):
    def test_every_map_and_convention_is_explained(self) -> None:
        text = (ROOT / "docs" / "guide" / "words.md").read_text()
        words = {word.lower() for word in re.findall(r"^- \*\*(.+?)\*\*: ", text, re.M)}
        # Truths and other lights are there to compare with.
        maps = {role.label.lower() for role in EVERY.values() if role.id not in COMPARED} - {"in another light"}
        self.assertEqual(maps - words, set())
        asked = ["opacity", "specular", "translucency", "emissive", "curvature", "displacement", "orm", "mip", "bump"]
        self.assertEqual({*asked, "texel density", "y+", "y−", "srgb", "linear"} - words, set())
