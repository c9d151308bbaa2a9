"""A short walk of the kinds that use most of the program, so that what walks know of the program never grows old; long ones are a command."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]


class Walks(unittest.TestCase):
    def test_one_walk_of_each(self) -> None:
        # Each in its own process: a walk changes the working directory.
        for name in ("edits", "counts", "documents"):
            with self.subTest(name):
                done = subprocess.run(
                    [sys.executable, "-m", "tests.walks", "0.01", "5", name],
                    cwd=ROOT, capture_output=True, text=True, encoding="utf-8",
                    env={**os.environ, "PYTHONUTF8": "1"}, check=False,
                )  # fmt: skip
                self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
                self.assertIn("1 walks", done.stdout)


if __name__ == "__main__":
    unittest.main()
