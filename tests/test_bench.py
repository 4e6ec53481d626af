"""The benchmarks mark what became slower, and nothing else."""

import contextlib
import io
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from bench import timing


class CompareTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        for patch in (
            mock.patch.object(timing, "RELEASED", Path(folder.name) / "released.json"),
            mock.patch.object(timing, "_seen", {}),
            mock.patch.object(timing, "yardstick", return_value=0.02),
        ):
            patch.start()
            self.addCleanup(patch.stop)

    def told(self, *rows: tuple[str, ...], release: bool = False) -> tuple[list[str], str]:
        said = io.StringIO()
        with contextlib.redirect_stdout(said):
            timing.table("Bake", ["", "ratio", "here", "times as fast"], rows)
            slower = timing.compare(release=release)
        return slower, said.getvalue()

    def test_what_takes_over_15_percent_longer_is_marked(self) -> None:
        self.told(("png", "1.20 ×", "40 ms", "2.00 ×"), ("exr", "1.00 ×", "2.0 s", "1.00 ×"), release=True)
        # Within a tenth, faster, or a figure in which more is better: nothing.
        self.assertEqual(self.told(("png", "1.35 ×", "30 ms", "1.00 ×"), ("exr", "1.10 ×", "2.2 s", "9.00 ×"))[0], [])
        slower, said = self.told(("png", "1.50 ×", "44 ms", "2.00 ×"), ("exr", "1.00 ×", "3.0 s", "1.00 ×"))
        self.assertEqual(slower, ["1.50 × as long: Bake | exr | here", "1.25 × as long: Bake | png | ratio"])
        self.assertIn("4 of 4 figures are known, 2 became slower", said)

    def test_a_figure_of_another_release_stays_until_it_is_measured_again(self) -> None:
        self.told(("png", "1.20 ×", "–", ""), release=True)
        self.told(("exr", "1.00 ×", "–", ""), release=True)
        slower, said = self.told(("png", "2.40 ×", "–", ""), ("tiff", "9.00 ×", "–", ""))
        self.assertEqual(slower, ["2.00 × as long: Bake | png | ratio"])
        self.assertIn("2 of 3 figures are known, 1 became", said)


if __name__ == "__main__":
    unittest.main()
