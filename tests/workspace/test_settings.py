"""Settings and saved mappings: found, read, refused with their line, and rewritten with their comments."""

import tempfile
import unittest
from pathlib import Path

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.matching.proposing import Proposal
from kotrel.core.tables.detection import find_table
from kotrel.loading.sheets_in.spellings import learn_spellings
from kotrel.setup.creating import create_workspace
from kotrel.workspace.mapping_reading import map_named, read_maps
from kotrel.workspace.mapping_writing import write_map
from kotrel.workspace.mappings import apply_map
from kotrel.workspace.settings import find_workspace, open_workspace
from tests.support import SMALL, grid, small


class Folder(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "system.toml").write_text(SMALL, "utf-8")
        self.say(
            '[system]\nurl = "sqlite:a.db"\n# a comment\n[sheets]\ndecimal_mark = ","\n[spellings.unit]\n"Stk." = "EA" # pieces\n'
        )

    def say(self, text: str) -> None:
        (self.folder / "kotrel.toml").write_text(text, "utf-8")

    def save(self, text: str, name: str = "m") -> None:
        (self.folder / "maps").mkdir(exist_ok=True)
        (self.folder / "maps" / f"{name}.toml").write_text(text, "utf-8")


class Settings(Folder):
    def test_what_is_said_is_known(self):
        workspace = open_workspace(self.folder)
        self.assertEqual((workspace.conventions.decimal_mark, workspace.conventions.dates), (",", "auto"))
        self.assertEqual(workspace.conventions.spellings, {"unit": {"STK": "EA"}})
        self.assertEqual(workspace.description.order, ("unit", "item"))

    def test_the_nearest_workspace_upwards_is_found(self):
        deep = self.folder / "a" / "b"
        deep.mkdir(parents=True)
        self.assertEqual(find_workspace(None, deep), self.folder)
        self.assertEqual(find_workspace(self.folder, Path("/")), self.folder)
        for told in (deep, None):
            with self.assertRaises(WrongUse):
                find_workspace(told, Path(tempfile.gettempdir()))

    def test_wrong_settings_are_told_with_their_line(self):
        for text, line in (
            ('[system]\nurl = "sqlite:a.db"\n[sheet]\n', 3),
            ("[system]\nurl = 5\n", 2),
            ('[system]\nurl = "sqlite:a.db"\n[spellings]\nunit = "x"\n', 4),
            ('[system]\ndescription = "system.toml"\n', 1),
            ("system = 1\n", 1),
            ('[system]\nurl = "sqlite:a.db"\n[spellings.unt]\nstk = "EA"\n', 3),
            ('[system]\nurl = "sqlite:a.db"\n[spellings.unit]\n"Stk." = "EA"\nstk = "M"\n', 5),
        ):
            self.say(text)
            with self.subTest(text), self.assertRaises(WrongUse) as caught:
                open_workspace(self.folder)
            self.assertIn(f"line {line}:", caught.exception.message)

    def test_what_no_file_can_be_called_or_mean_is_told(self):
        for text in (
            '[system]\ndescription = "a\\u0000.toml"\n',
            "x = " + "[" * 20_000,
            ".".join("x" * 3_000) + " = 1",
        ):
            with self.subTest(text[:30]):
                self.say(text)
                with self.assertRaises(WrongUse) as caught:
                    open_workspace(self.folder)
                self.assertIn("line 2" if "u0000" in text else "too deep", caught.exception.message)

    def test_spellings_are_learned_once_and_comments_stay(self):
        self.assertEqual(learn_spellings(self.folder, {"unit": {"Mtr": "M", "STK": "EA"}, "item": {"K": "KELD"}}), 2)
        self.assertEqual(learn_spellings(self.folder, {"unit": {"mtr": "M"}}), 0)
        text = (self.folder / "kotrel.toml").read_text("utf-8")
        self.assertIn("# a comment", text)
        self.assertIn("# pieces", text)
        self.assertEqual(
            open_workspace(self.folder).conventions.spellings,
            {"unit": {"STK": "EA", "MTR": "M"}, "item": {"K": "KELD"}},
        )

    def test_a_workspace_is_made_once_and_never_over_another(self):
        new = self.folder / "new"
        made = create_workspace(new, None, practice=False, with_journal=False)
        self.assertEqual(made.practice, "made")
        self.assertTrue((new / "practice.db").is_file() and (new / "maps").is_dir() and (new / ".kotrel").is_dir())
        with self.assertRaises(WrongUse):
            create_workspace(new, None, practice=False, with_journal=False)
        (self.folder / "file").touch()
        with self.assertRaises(WrongUse):
            create_workspace(self.folder / "file", None, practice=False, with_journal=False)
        with self.assertRaises(OutOfReach):
            create_workspace(self.folder / "other", f"sqlite:{self.folder}/gone.db", practice=False, with_journal=False)


class Maps(Folder):
    TABLE = find_table(grid(("Art", "Words", "Min A", "Min B"), ("1", "x", "2", "3")), 1)

    def test_a_proposal_is_saved_with_its_reasons_and_read_again(self):
        path = self.folder / "maps" / "new.toml"
        record = small().records["item"]
        columns = self.TABLE.columns
        write_map(path, record, "f.xlsx", [Proposal(record.fields["code"], columns[0], 88, "because")], columns[1:])
        self.assertIn("88 % sure: because", path.read_text("utf-8"))
        [saved] = read_maps(self.folder, small())
        self.assertEqual((saved.record, saved.headings(), saved.skip), ("item", ["Art"], ()))
        [matched] = apply_map(saved, self.TABLE, small())
        # What nobody decided stays undecided: it is not left out.
        self.assertEqual((matched.letters, matched.unknown), ({"code": "A"}, tuple(self.TABLE.columns[1:])))
        with self.assertRaises(WrongUse):
            write_map(path, record, "f.xlsx", [], [])

    def test_columns_that_repeat_and_other_records(self):
        self.save('record = "item"\n[field.code]\ncolumn = "Art"\n[[also]]\nrecord = "item"\n[also.field.code]\ncolumn = "=A"\n'
                  '[also.field.description]\nrepeat = ["A", "B"]\n[also.field.cost]\ncolumn = "Min {description}"\n')  # fmt: skip
        saved = map_named(self.folder, "m", small())
        self.assertEqual(saved.headings(), ["Art", "Min A", "Min B"])
        matches = apply_map(saved, self.TABLE, small())
        self.assertEqual([match.letters.get("cost") for match in matches], [None, "C", "D"])
        self.assertEqual([match.label for match in matches], ["", "A", "B"])
        self.assertEqual([column.heading for column in matches[0].unknown], ["Words"])
        self.assertEqual([match.optional for match in matches], [False, True, True])

    def test_wrong_matches_are_told_with_their_line(self):
        for text, line in (
            ('record = "itm"', 1),
            ('record = ["item"]', 1),
            ('record = "item"\nfields = 1', 2),
            ('record = "item"\nskip = "x"', 2),
            ('record = "item"\n[field.cost]\ncolumn = 1', 3),
            ('record = "item"\n[field.cost]\ncolumn = "a"\njoin = ["b"]', 2),
            ('record = "item"\n[field.cost]\ncolumn = "a"\ndefault_by = "nix"', 4),
            ('record = "item"\n[field.cost]\nsplit = "a"\npattern = "{x}"\npart = "y"', 4),
            ('record = "item"\n[field.cost]\ncolumn = "a"\npattern = "x"', 4),
            ('record = "item"\n[field.cost]\nfixed = "1"\ntranslate = { a = "b" }', 4),
            ('record = "item"\n[field.cost]\njoin = ["a", 1]', 3),
            ('record = "item"\n[field.cost]\ndefault_by = "unit"\ndefaults = { EA = "1" }', 3),
            ('record = "item"\n[field.unit]\ncolumn = "a"\n[field.cost]\ndefault_by = "unit"', 5),
            ('record = "item"\n[[also]]\nrecord = "nix"', 3),
            ('record = "item"\n[[also]]\nrecord = "unit"\n[[also]]\nrecord = "nix"', 5),
            ('record = "item"\n[[also]]\nrecord = { a = 1 }', 3),
            ("record = \nskip = []", 1),
        ):
            self.save(text)
            with self.subTest(text), self.assertRaises(WrongUse) as caught:
                map_named(self.folder, "m", small())
            self.assertIn(f"line {line}", caught.exception.message)
        with self.assertRaises(WrongUse) as caught:
            map_named(self.folder, "mm", small())
        self.assertIn("The saved mappings are: m", caught.exception.hint)

    def test_a_heading_that_is_not_there_is_told_with_the_likely_one(self):
        self.save('record = "item"\n[field.code]\ncolumn = "Word"')
        with self.assertRaises(WrongUse) as caught:
            apply_map(map_named(self.folder, "m", small()), self.TABLE, small())
        self.assertIn("“Words”", caught.exception.hint)

    def test_of_two_columns_with_one_heading_the_letter_is_asked_for(self):
        table = find_table(grid(["Code", "Price", "Price"], ["a", "1", "2"], name="S"))
        self.save('record = "item"\n[field.code]\ncolumn = "Code"\n[field.cost]\ncolumn = "Price"')
        with self.assertRaises(WrongUse) as caught:
            apply_map(map_named(self.folder, "m", small()), table, small())
        self.assertIn("B and C", caught.exception.message)
        fields = small().records["item"].fields
        proposals = [
            Proposal(fields[name], column, 50, "so")
            for name, column in zip(("code", "cost"), table.columns, strict=False)
        ]
        write_map(self.folder / "maps" / "w.toml", small().records["item"], "a.csv", proposals, [table.columns[2]])
        matched = apply_map(map_named(self.folder, "w", small()), table, small())
        self.assertEqual(matched[0].sources["cost"].columns, ("B",))
