"""The rules of the house: imports run one way, files stay small, tests stand where their code does."""

import ast
import re
import unittest
from collections.abc import Iterator
from pathlib import Path

from tests.faults.known import HARMLESS
from tests.faults.making import faults_of

SOURCE = Path(__file__).parent.parent / "src" / "kotrel"

FOUNDATION = ({"core"}, {"sheets"}, {"systems"}, {"screen", "workspace"})
CAPABILITIES = ({"loading"}, {"stock"}, {"counting", "pricing", "exchange"})
ABOVE = (
    {"practice"},
    {"serving"},
    {"setup", "reporting", "settings_books"},
    {"arguments"},
    {"helping"},
    {"cli"},
    {"__main__"},
)
STOREYS = (*FOUNDATION, *CAPABILITIES, *ABOVE)
"""Rooms from the ground up: each imports from those below its own, and never from the room beside it."""

CORE = (
    ("errors", "columns", "parallel", "phrases", "remembering", "similarity"),
    ("languages",), ("values",), ("description",), ("expressions",), ("tables",), ("rows",), ("normalizing",), ("matching",), ("resolving",),
    ("checking",), ("changes",), ("stock",), ("documents",), ("counting",), ("pricing",), ("loading",), ("layouts",),
)  # fmt: skip
"""Folders and files of the core; each imports only from those in the lines before its own, and from its own."""

LONGEST = 500
"""Lines a file may have."""


def imports_of(path: Path) -> Iterator[tuple[str, ...]]:
    """The parts of each Kotrel module that a file imports, without ``kotrel``."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        names: list[str] = []
        if isinstance(node, ast.ImportFrom):
            names = [f"{node.module}.{alias.name}" for alias in node.names]
        elif isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        for name in names:
            parts = name.split(".")
            if parts[0] == "kotrel" and len(parts) > 1:
                yield tuple(parts[1:])


def files() -> dict[tuple[str, ...], Path]:
    """Each module of the program, by its parts, without ``kotrel``."""
    return {path.relative_to(SOURCE).with_suffix("").parts: path for path in SOURCE.rglob("*.py")}


class House(unittest.TestCase):
    def test_imports_run_one_way(self):
        storey = {room: height for height, rooms in enumerate(STOREYS) for room in rooms}
        for name, path in files().items():
            room = name[0]
            for parts in imports_of(path) if room in storey else ():
                if parts[0] != room and parts[0] in storey:
                    self.assertLess(storey[parts[0]], storey[room], f"{'/'.join(name)} imports {'.'.join(parts)}")

    def test_imports_of_the_core_run_one_way(self):
        level = {name: place for place, names in enumerate(CORE) for name in names}
        for path in (SOURCE / "core").rglob("*.py"):
            own = path.relative_to(SOURCE / "core").parts[0].removesuffix(".py")
            if own == "__init__":
                continue
            for parts in imports_of(path):
                self.assertLessEqual(
                    level[parts[1]], level[own], f"{path.relative_to(SOURCE)} imports {'.'.join(parts)}"
                )

    def test_imports_go_round_in_no_circle(self):
        known = files()
        graph = {
            name: {
                parts[:cut]
                for parts in imports_of(path)
                for cut in (len(parts), len(parts) - 1)
                if parts[:cut] in known
            }
            - {name}
            for name, path in known.items()
        }
        # What imports nothing that is left is taken away, until nothing is left or only circles are.
        while free := {name for name, others in graph.items() if not others & set(graph)}:
            for name in free:
                del graph[name]
        self.assertEqual(graph, {})

    def test_every_room_is_known(self):
        rooms = {path.name for path in SOURCE.iterdir() if path.is_dir() and path.name != "__pycache__"}
        self.assertLessEqual(rooms, {room for rooms in STOREYS for room in rooms})
        core = {path.name.removesuffix(".py") for path in (SOURCE / "core").iterdir()}
        self.assertEqual(core - {"__init__", "__pycache__"}, {name for names in CORE for name in names})

    def test_a_command_that_is_advised_can_be_typed_with_any_file(self):
        # “kotrel check my list.csv” would look for two files.
        bare = re.compile(
            r"(?:kotrel|program\}) [a-z ]+[^\"'\n]*\{(?!quoted)[^}\n]*(?:file|output|path(?!\.stem))[^}\n]*\}"
        )
        for path in SOURCE.rglob("*.py"):
            self.assertIsNone(bare.search(path.read_text("utf-8")), path)

    def test_no_two_files_have_one_name(self):
        names = [path.stem for path in SOURCE.rglob("*.py") if path.stem != "__init__"]
        self.assertEqual({name for name in names if names.count(name) > 1}, set())

    def test_files_stay_small(self):
        long = {
            str(path.relative_to(SOURCE.parent.parent)): count
            for folder in (SOURCE, SOURCE.parent.parent / "tests")
            for path in folder.rglob("*.py")
            if (count := len(path.read_text("utf-8").splitlines())) > LONGEST
        }
        self.assertEqual(long, {})

    def test_tests_stand_where_their_code_does(self):
        tests = Path(__file__).parent
        for path in (tests / "core").rglob("test_*.py"):
            self.assertTrue((SOURCE / path.relative_to(tests).parent).is_dir(), path)

    def test_no_floats_in_the_core(self):
        for path in (SOURCE / "core").rglob("*.py"):
            if path.name == "outliers.py":
                # A median is a statistic, not a figure: it only decides what is worth a look.
                continue
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                name = node.id if isinstance(node, ast.Name) else node.attr if isinstance(node, ast.Attribute) else ""
                self.assertNotIn(name, ("float", "Float64", "Float32"), path.name)

    def test_texts_of_columns_are_made_in_one_way(self):
        # Polars' own function for them gives up at a column with an empty piece.
        for path in SOURCE.rglob("*.py"):
            self.assertNotIn("pl.format(", path.read_text("utf-8"), path.name)

    def test_faults_said_to_be_harmless_can_be_put_in(self):
        # What is listed there and no longer fits the code would hide nothing, or the wrong fault.
        for file, known in HARMLESS.items():
            can_be = {fault.what for fault in faults_of(file, (SOURCE / file).read_text("utf-8"))}
            self.assertEqual(set(known) - can_be, set(), file)
