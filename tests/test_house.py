"""The rules of the house: imports run one way, files stay small, tests stand where their code does."""

import ast
import unittest
from collections.abc import Iterator
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "kotrel"

LAYERS = {
    "core": set(),
    "sheets": {"core"},
    "systems": {"core", "sheets"},
    "practice": {"core", "systems"},
    "workspace": {"core", "systems", "practice"},
    "stages": {"core", "sheets", "systems", "practice", "workspace"},
    "reports": {"core", "sheets", "systems", "stages"},
    "serving": {"core", "systems", "practice", "workspace", "stages"},
    "commands": {"core", "sheets", "systems", "practice", "workspace", "stages", "reports", "serving"},
}
"""Room → the rooms it may import from, besides itself."""

CORE = (
    ("errors", "columns", "parallel", "phrases", "similarity"),
    ("values",), ("description",), ("expressions",), ("tables",), ("rows",), ("understanding",), ("readying",), ("checking",),
    ("changes",), ("stock",), ("documents",), ("counting",), ("pricing",), ("parts",), ("layouts",), ("document_steps",), ("pipeline",), ("whole_rows",),
)  # fmt: skip
"""Folders and files of the core; each imports only from those in the lines before its own, and from its own."""

LONGEST = 300
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


class House(unittest.TestCase):
    def test_imports_run_one_way(self):
        for path in SOURCE.rglob("*.py"):
            room = path.relative_to(SOURCE).parts[0]
            for parts in imports_of(path) if room in LAYERS else ():
                self.assertIn(parts[0], LAYERS[room] | {room}, f"{path.relative_to(SOURCE)} imports {'.'.join(parts)}")

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

    def test_no_two_files_of_the_core_import_each_other(self):
        files = {path.relative_to(SOURCE).with_suffix("").parts: path for path in (SOURCE / "core").rglob("*.py")}
        graph = {
            name: {
                parts[:cut]
                for parts in imports_of(path)
                for cut in (len(parts), len(parts) - 1)
                if parts[:cut] in files
            }
            for name, path in files.items()
        }
        for name, others in graph.items():
            for other in others - {name}:
                self.assertNotIn(name, graph[other], f"{'.'.join(name)} and {'.'.join(other)}")

    def test_every_room_is_known(self):
        rooms = {path.name for path in SOURCE.iterdir() if path.is_dir() and path.name != "__pycache__"}
        self.assertEqual(rooms, set(LAYERS))
        core = {path.name.removesuffix(".py") for path in (SOURCE / "core").iterdir()}
        self.assertEqual(core - {"__init__", "__pycache__"}, {name for names in CORE for name in names})

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
