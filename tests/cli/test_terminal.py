"""A person at a terminal, two people at once, and a program that is killed."""

import os
import re
import select
import signal
import sqlite3
import subprocess
import sys
import time
import unittest
from decimal import Decimal

from tests.support import Program, workbook_of


def talk(folder, words, *answers: str, asks: bytes = b"[y/N]", seconds: float = 30) -> tuple[int, str]:
    """Runs a command in a terminal of its own and types an answer each time it asks. Returns exit status and screen.

    Args:
        answers: lines, or ``^C``, which is pressed without Enter.
        asks: what the screen shows whenever it asks.
    """
    import pty

    pid, screen = pty.fork()
    if pid == 0:
        os.chdir(folder)
        os.environ.update(TERM="xterm", COLUMNS="120", PYTHONUTF8="1")
        os.execv(sys.executable, [sys.executable, "-m", "kotrel", *words])
    shown, typed, end = b"", 0, time.monotonic() + seconds
    while time.monotonic() < end:
        if select.select([screen], [], [], 0.2)[0]:
            try:
                part = os.read(screen, 65536)
            except OSError:
                break
            if not part:
                break
            shown += part
            if shown.count(asks) > typed and typed < len(answers):
                answer = answers[typed]
                typed += 1
                time.sleep(0.2 if answer == "^C" else 0)  # until it waits for the answer
                os.write(screen, b"\x03" if answer == "^C" else answer.encode() + b"\n")
    os.close(screen)  # one that still asks is hung up on, and its status tells
    status = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])
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

    def test_no_code_load_number_or_total_is_cut_however_narrow_the_screen(self):
        self.kotrel("load", "a.csv", "--yes")
        self.kotrel("undo", "L0001", "--yes")
        stock, reorder = self.json("stock"), self.json("reorder")
        for columns in ("40", "60", "80", "120"):
            history = self.kotrel("history", COLUMNS=columns).stdout
            self.assertIn("undone by L0002", history)
            shown = self.kotrel("stock", "--all", COLUMNS=columns).stdout
            self.assertEqual([each["item"] for each in stock["rows"]], re.findall(r"^[A-Z]{3}-[0-9]{5}\b", shown, re.M))
            self.assertIn(f"{Decimal(stock['totals']['value']):,.2f}", shown)
            ordered = self.kotrel("reorder", "--all", COLUMNS=columns).stdout
            for each in reorder["rows"]:
                self.assertRegex(ordered, rf"(?m){each['item']}\s.*{Decimal(each['value']):,.2f}")

    def test_history_of_what_is_asked_for(self):
        self.write("knots.csv", "Code,Name", "KNOTS,Books of knots")
        self.kotrel("load", "a.csv", "--yes")
        self.kotrel("load", "knots.csv", "--as", "category", "--yes")
        self.kotrel("undo", "L0001", "--yes")

        def loads(*words: str) -> list[str]:
            return [each["load"] for each in self.json("history", *words)["loads"]]

        self.assertEqual(loads("--file", "A.CSV"), ["L0001", "L0003"])
        self.assertEqual(loads("--record", "category"), ["L0002"])
        self.assertEqual(loads("--since", "2199-01-01"), [])
        self.assertEqual(loads("--who", "nobody at all"), [])
        self.assertIn("Shown: 1 of 3 loads", self.kotrel("history", "--record", "category").stdout)
        self.assertIn("category", self.kotrel("history", "--record", "categry", status=2).stderr)

    def test_quiet_and_json_keep_their_streams_clean(self):
        done = self.kotrel("check", "a.csv", "--json", "--quiet")
        self.assertEqual(done.stderr, "")
        self.assertTrue(done.stdout.startswith("{") and done.stdout.count("\n") == 1)


@unittest.skipIf(sys.platform == "win32", "needs a pseudo-terminal")
class Dialogue(Program):
    """``kotrel map`` and ``check --ask`` with a person who makes mistakes."""

    def setUp(self):
        super().setUp()
        self.start_shop()
        os.environ["NO_COLOR"] = "1"
        self.addCleanup(os.environ.pop, "NO_COLOR")

    def ask(self, words: str, *answers: str) -> tuple[int, str]:
        status, screen = talk(self.folder, words.split(), *answers, asks=b"\r\n> ")
        return status, " ".join(re.sub(r"\x1b\[[0-9;]*m", "", screen).split())

    def supplier_list(self) -> None:
        """Ten less 40 per cent is 6.00, for one of ten 0.60; twenty less 35 per cent is 13.00;
        one less 40 per cent, for one of a thousand, is 0.0006.
        """
        groups = (("Group", "Discount %"), ("A", "40 %"), ("B", 0.35))
        lines = (("SK-1", "Shackle 6 mm", "A", 10, 10, 2.5), ("SK-2", "Shackle 8 mm", "B", 20, None, 3),
                 ("SK-3", "Shackle 9 mm", "B", "POA", 1, 4), ("SK-4", "Shackle pin", "A", 1, 1000, 5))  # fmt: skip
        headings = ("Art. no.", "Description", "DG", "List price", "PE", "Weight kg")
        book = workbook_of(self.folder / "sk.xlsx", {"List": (headings, *lines), "Groups": groups})
        book["Groups"]["B3"].number_format = "0%"
        book.save(self.folder / "sk.xlsx")

    def test_map_asks_until_a_sheet_that_nobody_edited_is_ready(self):
        self.supplier_list()
        answers = ("?", "", "", "3", "b", "", "1 cost", "", "Shackels", "EA", "FASTENING-SHACKLE", "none", "1", "y", "")
        status, screen = self.ask("map sk.xlsx item", *answers)
        self.assertEqual(status, 0, screen)
        self.assertIn("1 Discount %: 40 %; 35%", screen)
        self.assertIn("“Shackels” is not on the list", screen)
        self.assertIn("It is a whole number, 1 or more.", screen)
        self.assertIn("Fills weight_unit = KG, unit = EA, category = FASTENING-SHACKLE", screen)
        self.assertIn("4 rows: all ready to load", screen)
        self.kotrel("load", "sk.xlsx", "--yes")
        costs = sqlite3.connect(self.folder / "practice.db").execute(
            "SELECT code, cost, weight_unit FROM item WHERE code LIKE 'SK-%' ORDER BY code"
        )
        self.assertEqual(
            costs.fetchall(), [("SK-1", 6000, "KG"), ("SK-2", 130000, "KG"), ("SK-3", None, "KG"), ("SK-4", 6, "KG")]
        )

    def test_q_keeps_what_was_answered_and_the_next_time_asks_the_rest(self):
        self.supplier_list()
        status, screen = self.ask("map sk.xlsx item", "", "", "1 cost", "", "EA", "q")
        self.assertIn("with the answers so far. Next: kotrel map sk.xlsx item --name sk", screen)
        self.assertIn('fixed = "EA"', (self.folder / "maps/sk.toml").read_text("utf-8"))
        status, screen = self.ask("map sk.xlsx item --name sk", "FASTENING-SHACKLE", "1", "y", "")
        self.assertIn("3 questions.", screen)
        self.assertEqual(status, 0, screen)

    def test_no_answer_takes_a_column_from_a_field_or_is_lost_with_one(self):
        lines = (("HK-1", "Hook", "ROPE", "each", 2, 9), ("HK-2", "Eye", "ROPE", None, 3, 8))
        workbook_of(
            self.folder / "hk.xlsx",
            {"List": (("Art. no.", "Description", "Category", "Sold by", "List price", "Zzz"), *lines)},
        )
        status, screen = self.ask("map hk.xlsx item", "-", "price", "", "EA")
        self.assertIn("Standard price already reads “List price”", screen)
        self.assertIn("unit = EA", screen)
        self.assertEqual(status, 0, screen)

    def test_ctrl_c_at_a_question_ends_it_at_once_and_leaves_nothing(self):
        self.supplier_list()
        status, screen = self.ask("map sk.xlsx item", "", "^C")
        self.assertEqual(status, 130, screen)
        self.assertFalse((self.folder / "maps/sk.toml").exists())
        self.write("a.csv", "Item code,Price", "ROP-00010,0.61")
        status, _ = talk(self.folder, ["load", "a.csv"], "^C")
        self.assertEqual(status, 130)
        self.assertEqual(self.json("history")["loads"], [])

    def test_yes_takes_the_proposals_and_leaves_what_is_open_to_the_file(self):
        self.supplier_list()
        status, screen = self.ask("map sk.xlsx item --yes")
        self.assertEqual(status, 0)
        self.assertIn("New rows also need: unit, category", screen)
        self.assertNotIn("> ", screen)

    def test_an_answer_to_check_that_is_no_code_is_refused_aloud(self):
        self.write("a.csv", "Item code,Unit", "ROP-00010,Mtr", "ROP-00020,pces", "ROP-00030,bags")
        _, screen = talk(
            self.folder, ["check", "a.csv", "--ask"], "?", "metro", "M", "q", asks=b") is not a known unit."
        )
        self.assertIn("On the list Unit: ", screen)
        self.assertIn("“metro” is not on the list Unit", screen)
        self.assertIn("Learned 1 spelling", screen)
        self.assertEqual(screen.count(") is not a known unit."), 4)
        self.assertIn('Mtr = "M"', (self.folder / "kotrel.toml").read_text("utf-8"))


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
        count = 12_000
        self.write(
            "many.csv", "Item code,Description,Unit,Category", *(f"KIL-{n:05},Rope,M,ROPE" for n in range(count))
        )
        seen = set()
        for delay in (0.4, 0.7, 1.0, 1.4, 1.8):
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
