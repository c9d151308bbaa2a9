"""What was read ahead is used only where it is what the file says now."""

import os
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

from kotrel.sheets import head_start


class HeadStart(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "long.csv"
        self.path.write_bytes(b"Item code\nA\n")
        self.enterContext(patch.object(head_start, "AT_LEAST", 1))

    def begun(self, *words):
        head_start.begin(["check", *words])
        return len(head_start._begun)

    def test_what_was_read_is_handed_over_once(self):
        self.assertEqual(self.begun("--as", "item", str(self.path)), 1)
        next(iter(head_start._begun.values())).when_read()
        with patch.object(Path, "read_bytes", side_effect=AssertionError("read twice")):
            self.assertEqual(head_start.content_of(self.path), b"Item code\nA\n")
        self.assertEqual(len(head_start._begun), 0)
        self.assertEqual(head_start.content_of(self.path), b"Item code\nA\n")

    def test_a_file_that_was_saved_meanwhile_is_read_again(self):
        self.assertEqual(self.begun(str(self.path)), 1)
        next(iter(head_start._begun.values())).when_read()
        self.path.write_bytes(b"Item code\nB\n")
        os.utime(self.path, ns=(1, 1))
        self.assertEqual(head_start.content_of(self.path), b"Item code\nB\n")

    def test_what_is_no_long_text_file_is_left_alone(self):
        words = ("none.csv", "x\0.csv", str(self.path.parent), "-o", "a.xlsx", "http://x/long.csv")
        self.assertEqual(self.begun(*words), 0)
        with patch.object(head_start, "AT_MOST", 5):
            self.assertEqual(self.begun(str(self.path)), 0)


if __name__ == "__main__":
    unittest.main()
