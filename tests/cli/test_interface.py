"""What programs read: the keys of ``--json`` stay as they are, and one object is all that is printed."""

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import jsonschema

from kotrel.arguments import COMMANDS, GROUPS
from kotrel.helping.help import TOPICS
from tests.support import Program, against_schema, schemas

DOCS = Path(__file__).parents[2]


class Interface(Program):
    def setUp(self):
        super().setUp()
        self.start_shop()

    def test_every_command_gives_the_keys_it_promised(self):
        self.write("a.csv", "Item code;Price;Unit", "ROP-00010;0,61;Metre", "ROP-00020;0,72;")
        self.write("bad.csv", "Item code;Price;Unit", "ROP-00010;x;Metre")
        said = {
            "inspect": self.json("inspect", "a.csv"),
            "check": self.json("check", "a.csv"),
            "preview": self.json("preview", "a.csv"),
            "load": self.json("load", "a.csv", "--yes"),
            "outcome": self.json("outcome", "L0001"),
            "undo": self.json("undo", "L0001", "--yes"),
        }
        # ``self.json`` holds each against its schema; the words fixed for programs are required there.
        required = {
            "check": {"ok", "rows", "findings", "repairs", "counts", "files"},
            "load": {"load", "status", "records"},
            "undo": {"load", "status", "restored", "removed", "reversed", "blocked_by"},
        }
        for command, keys in required.items():
            self.assertLessEqual(keys, set(said[command]), command)
            self.assertNotEqual(
                against_schema([command], {key: said[command][key] for key in keys - {"status", "ok"}}), []
            )
        self.assertEqual({each["field"] for each in said["check"]["repairs"]}, {"price", "unit"})
        self.assertEqual(
            set(said["preview"]) >= set(said["check"]) - {"marked"}, True, "a preview has all that a check has"
        )
        bad = self.json("check", "bad.csv", status=1)
        self.assertEqual(bad["findings"][0]["value"], "x", "as it stands")
        self.assertEqual(self.json("load", "bad.csv", "--yes", status=1)["status"], "refused")
        self.assertEqual(self.json("load", "a.csv", "--yes")["load"], "L0003", "an undo has a number too")
        self.assertEqual(self.json("load", "a.csv", "--yes")["status"], "nothing to do")
        self.assertEqual(set(self.json("load", "a.csv", status=2)["error"]), {"kind", "message", "hint"})

    def test_amounts_are_texts_in_json_and_never_floats(self):
        self.write("a.csv", "Item code,Cost", "ROP-00010,0.1", "ROP-00020,1234567.8901")
        changes = self.json("preview", "a.csv")["changes"]
        self.assertEqual([each["after"] for each in changes], ["0.1000", "1234567.8901"])
        raw = self.kotrel("preview", "a.csv", "--json").stdout
        self.assertEqual(json.loads(raw, parse_float=self.fail)["changes"], changes)

    def test_a_wrong_command_line_is_told_in_words(self):
        for words, said, hint in (
            (("chekc", "a.csv"), "there is no command “chekc”", "kotrel check?"), (("check",), "missing: FILE", "kotrel check -h"),
            (("check", "a.csv", "--duplicates", "x"), "--duplicates must be one of error, first, last, not “x”", "-h"),
            (("check", "a.csv", "--maps", "n"), "unknown option --maps for kotrel check", "Did you mean --map?"),
            (("count", "freeze", "a", "--stopped", "--warehouse", "T"), "unknown option --warehouse for kotrel count freeze", "count freeze -h"),
            (("count", "freeze", "a", "--stopped", "--sample", "-3"), "--sample: “-3” is not a whole number from 1 up", "-h"),
            (("count", "freeze", "nul", "--stopped"), "“nul” is no name for a count", ""),
            (("export", "item", "price", "-o", "x.xlsx", "--fields", "code,nix"), "item and price have no field “nix”", ""),
        ):  # fmt: skip
            with self.subTest(words):
                told = self.kotrel(*words, status=2).stderr
                self.assertIn(said, told)
                self.assertIn(hint, told)
        self.json("export", "item", "-o", "twice.csv", "--fields", "code,code,cost")

    def test_everything_may_stand_before_or_after_the_command(self):
        self.write("a.csv", "Item code,Price", "ROP-00010,0.61")
        here = str(self.folder)
        for words in (
            ("--json", "-w", here, "check", "a.csv"),
            ("check", "a.csv", "--workspace", here, "--json"),
            ("-w", here, "check", "--json", "a.csv"),
            ("--decimal", "point", "--dates", "day", "--log", "kotrel.log", "--work", here, "--json", "check", "a.csv"),
            ("--decimal=point", "--lo", "stock", f"-w{here}", "--json", "check", "a.csv"),
        ):
            self.assertTrue(json.loads(self.kotrel(*words).stdout)["ok"])
        # A workspace may be called like a command.
        (self.folder / "stock").unlink()
        shutil.copytree(self.folder, self.folder / "stock", ignore=shutil.ignore_patterns("stock"))
        self.assertEqual(json.loads(self.kotrel("-w", "stock", "history", "--json").stdout), {"loads": []})

    def test_a_log_says_what_was_done_and_no_secret(self):
        self.write("a.csv", "Item code,Note", "ROP-00010,hello")
        self.kotrel("load", "a.csv", "--yes", "--remark", "password=rope7", "--log", "kotrel.log")
        self.kotrel("undo", "L0001", "--yes", "--log", "kotrel.log")
        lines = (self.folder / "kotrel.log").read_text("utf-8").splitlines()
        said = [line[25:] for line in lines]
        for wanted in ("writing item: 1 changed", "loaded: L0001", "undone as L0002", "ended with exit status 0"):
            self.assertIn(wanted, said)
        self.assertTrue(all(re.match(r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{3}  ", line) for line in lines))
        self.assertNotIn("rope7", "".join(lines))

    def test_no_program_is_taken_from_the_folder_of_a_spreadsheet(self):
        self.json("export", "unit", "-o", "units.ods")
        for name in ("pickle.py", "polars.py", "kotrel.py"):
            self.write(name, "raise SystemExit('taken from here')")
        self.assertIn("Measure", self.kotrel("inspect", "units.ods").stdout)

    def test_every_command_is_in_the_guides(self):
        told = (DOCS / "README.md").read_text("utf-8") + "".join(
            path.read_text("utf-8") for path in (DOCS / "docs").rglob("*.md")
        )
        self.assertEqual([command for command in COMMANDS if f"kotrel {command}" not in told], [])

    def test_the_reference_is_as_the_program(self):
        check = [sys.executable, str(DOCS / "scripts" / "reference_pages.py"), "--check"]
        done = subprocess.run(check, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_help_explains_commands_topics_and_findings_and_every_command_is_in_a_group(self):
        shown = self.kotrel("help").stdout
        for name in (*COMMANDS, "mappings", "exit-status"):
            self.assertRegex(shown, rf"(?m)^  {name} ")
        self.assertEqual(sorted(name for names in GROUPS.values() for name in names), sorted(COMMANDS))
        self.assertEqual(self.kotrel("help", "check").stdout.strip(), self.kotrel("check", "-h").stdout.strip())
        for topic in TOPICS:
            text = self.kotrel("help", *topic.split("-")).stdout
            self.assertLess(max(map(len, text.splitlines())), 121)
        self.assertIn("not on its list", self.kotrel("help", "not-on-list").stdout)
        self.assertIn("kotrel help not-on-list", self.kotrel("help", "not-on-lst", status=2).stderr)

    def test_the_shell_completes_commands_options_and_the_names_of_the_workspace(self):
        def completed(line: str) -> list[str]:
            asked = {"_ARGCOMPLETE": "1", "_ARGCOMPLETE_IFS": "\n", "_ARGCOMPLETE_SHELL": "bash", "COMP_LINE": line,
                     "COMP_POINT": str(len(line)), "_ARGCOMPLETE_STDOUT_FILENAME": "found.txt"}  # fmt: skip
            self.kotrel(**asked)
            return (self.folder / "found.txt").read_text("utf-8").split()

        self.write("a.csv", "Item code,Price", "ROP-00010,0.61")
        self.kotrel("load", "a.csv", "--yes")
        for line, names in (
            ("kotrel che", ["check"]),
            ("kotrel load --good", ["--good-rows"]),
            ("kotrel records cat", ["category", "category_discount"]),
            ("kotrel export item --fields code,descr", ["code,description"]),
            ("kotrel undo L", ["L0001"]),
            ("kotrel count fre", ["freeze"]),
            ("kotrel help exi", ["exit-status"]),
        ):
            self.assertEqual(completed(line), names, line)
        self.kotrel("completion", "tcsh", status=2)
        for shell in ("bash", "zsh", "fish", "powershell"):
            self.assertIn("kotrel", self.kotrel("completion", shell).stdout)

    def test_every_command_has_its_schema(self):
        for name, schema in schemas()["commands"].items():
            jsonschema.Draft202012Validator.check_schema({**schema, "$defs": schemas()["$defs"]})
            self.assertIn(name.split(" ")[0], COMMANDS)
        without = {name for name in COMMANDS if not any(each.split(" ")[0] == name for each in schemas()["commands"])}
        self.assertEqual(without, {"demo"}, "the worked example is for people")
