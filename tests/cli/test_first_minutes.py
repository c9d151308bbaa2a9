"""The first ten minutes of the README, as they are printed there."""

import re
import shlex
from pathlib import Path

from tests.support import Program

README = Path(__file__).parents[2] / "README.md"


class FirstMinutes(Program):
    def test_every_command_runs_as_printed(self):
        text = README.read_text("utf-8").split("## The first ten minutes")[1].split("11. **Count**")[0]
        commands = [shlex.split(words)[1:] for words in re.findall(r"`(kotrel [^`]+)`", text)]
        self.assertEqual(commands[0], ["demo", "--short", "shop"])
        self.kotrel(*commands[0])
        self.folder /= "shop"
        self.assertEqual(self.json("history")["loads"][0]["records"]["item"]["new"], 40)
        self.kotrel("undo", "L0001", "--yes")  # so that the reader's own load has something to do
        played = set()
        for words in commands[1:]:
            if words in (["init"], ["undo", "L0001"]):
                continue  # said in passing; undone above
            more = ["--yes"] if words[0] in ("load", "map") else []
            done = self.kotrel(*["L0003" if word == "L0001" else word for word in words], *more, status=None)
            # What is wrong with the new range is its point, and an answer "no" of a comparison is one.
            self.assertIn(
                done.returncode,
                (0, 1) if words[0] in ("check", "compare", "load") else (0,),
                f"{words}\n{done.stdout}{done.stderr}",
            )
            played.add(words[0])
        self.assertLessEqual({"check", "preview", "load", "map", "reprice", "verify", "export", "stock"}, played)
        self.assertEqual(self.json("history")["loads"][2]["records"]["item"]["new"], 40)
