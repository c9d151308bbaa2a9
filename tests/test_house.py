"""The rules of the house: imports run one way, files stay small."""

import ast
import unittest
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "kotrel"

LAYERS = {
    "core": set(),
    "sheets": {"core"},
    "systems": {"core"},
    "practice": {"core", "systems"},
    "workspace": {"core", "systems", "practice"},
    "stages": {"core", "sheets", "systems", "practice", "workspace"},
    "reports": {"core", "sheets", "systems", "stages"},
    "commands": {"core", "sheets", "systems", "practice", "workspace", "stages", "reports"},
}
"""Room → the rooms it may import from, besides itself."""


class House(unittest.TestCase):
    def test_imports_run_one_way(self):
        for path in SOURCE.rglob("*.py"):
            room = path.relative_to(SOURCE).parts[0]
            if room not in LAYERS:
                continue
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                names = (
                    [node.module]
                    if isinstance(node, ast.ImportFrom)
                    else [a.name for a in node.names]
                    if isinstance(node, ast.Import)
                    else []
                )
                for name in names:
                    parts = (name or "").split(".")
                    if parts[0] == "kotrel" and len(parts) > 1:
                        self.assertIn(parts[1], LAYERS[room] | {room}, f"{path.relative_to(SOURCE)} imports {name}")

    def test_every_room_is_known(self):
        rooms = {path.name for path in SOURCE.iterdir() if path.is_dir() and path.name != "__pycache__"}
        self.assertEqual(rooms, set(LAYERS))

    def test_files_stay_small(self):
        long = {
            path.name: count
            for path in SOURCE.rglob("*.py")
            if (count := len(path.read_text("utf-8").splitlines())) > 420
        }
        self.assertEqual(long, {})

    def test_no_floats_in_the_core(self):
        for path in (SOURCE / "core").rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text("utf-8"))):
                name = node.id if isinstance(node, ast.Name) else node.attr if isinstance(node, ast.Attribute) else ""
                self.assertNotIn(name, ("float", "Float64", "Float32"), path.name)
