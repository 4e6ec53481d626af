"""The page's own parts, without a browser: what vitest runs, one line for each that fails."""

import json
import subprocess
import tempfile
import unittest
from pathlib import Path

from tests.support import BUSY

PAGE = Path(__file__).parents[2] / "frontend"


class PagePartsTest(unittest.TestCase):
    def test_parts_of_the_page(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            told = Path(folder) / "told.json"
            done = subprocess.run(
                ["npx", "vitest", "run", "--reporter=json", f"--outputFile={told}"],
                cwd=PAGE,
                capture_output=True,
                text=True,
                timeout=300 * BUSY,
                check=False,
            )
            self.assertTrue(told.exists(), done.stdout + done.stderr)
            result = json.loads(told.read_text())
        for file in result["testResults"]:
            for one in file["assertionResults"]:
                with self.subTest(one["fullName"]):
                    self.assertEqual(one["status"], "passed", "\n".join(one["failureMessages"]))
            # A file that cannot even be read has no tests that could fail.
            self.assertTrue(file["assertionResults"], file.get("message"))
        self.assertGreater(result["numPassedTests"], 30)
        self.assertEqual(done.returncode, 0)


if __name__ == "__main__":
    unittest.main()
