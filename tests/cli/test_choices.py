from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import unittest

from tests.support import Program


class SavedChoices(Program):
    def test_a_choice_is_exported_again_by_its_name(self) -> None:
        self.start_shop()
        choice = ("--fields", "code,price", "--where", "code begins with 'CHN-000'", "--sort", "price down")
        self.kotrel("export", "item", "-o", "first.csv", *choice, "--save", "chains")
        self.kotrel("export", "vendor", "unit", "-o", "lists.xlsx", "--save", "lists")
        done = self.json("export", "--saved", "chains", "lists")["files"]
        self.assertEqual(
            [(each["file"], each["rows"]) for each in done],
            [("chains.xlsx", {"item": 9}), ("lists-2.xlsx", {"vendor": 5, "unit": 10})],
        )
        self.kotrel("export", "--saved", "chains", "-o", "again.csv")
        self.assertEqual((self.folder / "again.csv").read_bytes(), (self.folder / "first.csv").read_bytes())
        for words, said in (
            (("--saved", "chain"), "Did you mean chains?"),
            (("item",), "needs a record and a file"),
            (("item", "-o", "x.csv", "--save", "a/b"), "no name"),
            (("item", "--saved", "chains"), "says everything"),
        ):
            with self.subTest(words=words):
                self.assertIn(said, self.kotrel("export", *words, status=2).stderr)


class Watching(Program):
    @unittest.skipUnless(os.name == "posix", "Windows sends this signal in another way")
    def test_a_sheet_is_checked_again_when_it_is_saved(self) -> None:
        self.start_shop()
        self.write("a.csv", "Item code,Description", "ROP-00010,x")
        with (self.folder / "log").open("wb") as log:
            watching = subprocess.Popen(
                [sys.executable, "-m", "kotrel", "check", "a.csv", "--watch"],
                cwd=self.folder,
                stdout=log,
                stderr=subprocess.STDOUT,
                env={**os.environ, "PYTHONUTF8": "1", "PYTHONUNBUFFERED": "1"},
            )
            self.addCleanup(watching.kill)
            # The line comes once the answer stands: a check that is stopped before it has none.
            self.wait_for("Watching a.csv.", 1)
            self.write("a.csv", "Item code,Base unit", "ROP-00010,NOPE")
            self.wait_for("Watching a.csv.", 2)
            (self.folder / "a.csv").unlink()
            self.wait_for("no file", 1)
            self.write("a.csv", "Item code,Base unit", "ROP-00010,NIX")
            self.wait_for("Watching a.csv.", 3)
            watching.send_signal(signal.SIGINT)
            self.assertEqual(watching.wait(30), 1)
        said = (self.folder / "log").read_text("utf-8")
        self.assertIn("all ready to load", said)
        self.assertIn("NIX", said.rpartition("no file")[2])
        self.assertIn("no file", self.kotrel("check", "none.csv", "--watch", status=3).stderr)
        self.assertIn("is read once", self.kotrel("check", "-", "--watch", status=2).stderr)

    def wait_for(self, words: str, times: int) -> None:
        for _ in range(300):
            if (self.folder / "log").read_text("utf-8").count(words) >= times:
                return
            time.sleep(0.1)
        self.fail((self.folder / "log").read_text("utf-8"))


if __name__ == "__main__":
    unittest.main()
