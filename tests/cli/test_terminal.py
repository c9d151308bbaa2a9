"""A person at a terminal, two people at once, and a program that is killed."""

import os
import select
import signal
import sqlite3
import subprocess
import sys
import time
import unittest

from tests.support import Program


def talk(folder, words, answer: str, seconds: float = 30) -> tuple[int, str]:
    """Runs a command in a terminal of its own and types an answer when it asks. Returns exit status and screen."""
    import pty

    pid, screen = pty.fork()
    if pid == 0:
        os.chdir(folder)
        os.environ.update(TERM="xterm", COLUMNS="120", PYTHONUTF8="1")
        os.execv(sys.executable, [sys.executable, "-m", "kotrel", *words])
    shown, asked, end = b"", False, time.monotonic() + seconds
    while time.monotonic() < end:
        if select.select([screen], [], [], 0.2)[0]:
            try:
                part = os.read(screen, 65536)
            except OSError:
                break
            if not part:
                break
            shown += part
            if b"[y/N]" in shown and not asked:
                asked = True
                os.write(screen, answer.encode() + b"\n")
    status = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])
    os.close(screen)
    return status, shown.decode("utf-8", errors="replace")


class Terminal(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()
        self.write("a.csv", "Item code,Price", "ROP-00010,0.61", "ROP-00020,0.72")

    @unittest.skipIf(sys.platform == "win32", "needs a pseudo-terminal")
    def test_a_load_shows_what_it_would_do_and_asks(self):
        status, screen = talk(self.folder, ["load", "a.csv"], "n")
        self.assertEqual(status, 0)
        self.assertIn("2 changed", screen)
        self.assertIn("Load this?", screen)
        self.assertIn("Nothing was loaded", screen)
        self.assertEqual(self.json("history")["loads"], [])
        status, screen = talk(self.folder, ["load", "a.csv"], "yes")
        self.assertIn("Loaded as", screen)
        self.assertIn("\x1b[", screen, "in colour on a terminal")
        status, screen = talk(self.folder, ["undo", "L0001"], "y")
        self.assertIn("Undo L0001 (a.csv): 2 restored?", screen)
        self.assertIn("is undone", screen)

    @unittest.skipIf(sys.platform == "win32", "needs a pseudo-terminal")
    def test_colour_only_on_a_terminal_and_no_color_is_obeyed(self):
        os.environ["NO_COLOR"] = "1"
        self.addCleanup(os.environ.pop, "NO_COLOR")
        _, screen = talk(self.folder, ["check", "a.csv"], "")
        self.assertNotIn("\x1b[3", screen)
        del os.environ["NO_COLOR"]
        os.environ["NO_COLOR"] = ""
        self.assertNotIn("\x1b[", self.kotrel("check", "a.csv").stdout)

    def test_quiet_and_json_keep_their_streams_clean(self):
        done = self.kotrel("check", "a.csv", "--json", "--quiet")
        self.assertEqual(done.stderr, "")
        self.assertTrue(done.stdout.startswith("{") and done.stdout.count("\n") == 1)


class TwoPeople(Program):
    def test_two_loads_at_the_same_time_come_one_after_the_other(self):
        self.start_shop()
        for name, cents in (("one", 100), ("two", 200)):
            self.write(
                f"{name}.csv", "Item code,Price", *(f"ROP-{10 * n:05},{(cents + n) / 100:.2f}" for n in range(1, 60))
            )
        running = [
            subprocess.Popen(
                [sys.executable, "-m", "kotrel", "load", f"{name}.csv", "--yes", "--json"],
                cwd=self.folder,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
            )
            for name in ("one", "two")
        ]
        for each in running:
            each.communicate(timeout=60)
            self.assertEqual(each.returncode, 0)
        loads = self.json("history")["loads"]
        self.assertEqual([each["records"]["item"]["changed"] for each in loads], [59, 59])
        prices = {
            price // 100
            for (price,) in sqlite3.connect(self.folder / "practice.db").execute(
                "SELECT price FROM item WHERE code <= 'ROP-00590' AND code > 'ROP-00000'"
            )
        }
        self.assertEqual(len(prices), 1, "all prices are of one load")
        last = {"one.csv": 1, "two.csv": 2}[loads[-1]["files"][0]]
        self.assertEqual(prices, {last})


class Killed(Program):
    def test_a_load_that_is_killed_leaves_all_of_it_or_nothing(self):
        self.start_shop()
        count = 40_000
        self.write(
            "many.csv", "Item code,Description,Unit,Category", *(f"KIL-{n:05},Rope,M,ROPE" for n in range(count))
        )
        seen = set()
        for delay in (0.3, 0.6, 0.9, 1.2, 1.5, 1.8):
            load = subprocess.Popen(
                [sys.executable, "-m", "kotrel", "load", "many.csv", "--yes"],
                cwd=self.folder,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            time.sleep(delay)
            load.send_signal(signal.SIGKILL if sys.platform != "win32" else signal.SIGTERM)
            load.wait()
            database = sqlite3.connect(self.folder / "practice.db")
            [(there,)] = database.execute("SELECT count(*) FROM item WHERE code LIKE 'KIL-%'").fetchall()
            [(journalled,)] = database.execute("SELECT count(*) FROM kotrel_load_row").fetchall()
            [(loads,)] = database.execute("SELECT count(*) FROM kotrel_load").fetchall()
            database.close()
            self.assertIn((there, journalled, loads), {(0, 0, 0), (count, count, 1)})
            seen.add(there)
            if there:
                break
        self.kotrel("load", "many.csv", "--yes")
        self.assertEqual(self.json("undo", "1", "--yes")["removed"], count)
        self.assertIn(0, seen, "at least one was killed before it was done")
