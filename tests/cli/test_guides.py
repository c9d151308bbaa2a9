"""The guides: links lead somewhere, and every command of Start and How to runs as printed,
on the files that a page names.
"""

import os
import re
import shlex
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.cli.test_terminal import talk
from tests.support import Program, run_kotrel

ROOT = Path(__file__).parents[2]
DOCS = ROOT / "docs"
ASKS_YES = ("load", "undo")


def pages() -> list[Path]:
    return sorted([*DOCS.glob("start/*.md"), *DOCS.glob("how-to/*.md")])


def anchor(heading: str) -> str:
    """How a heading is linked to, on the site and where the sources are read."""
    plain = re.sub(r"[`*]", "", heading).strip().lower()
    return re.sub(r"\s", "-", re.sub(r"[^\w\s-]", "", plain))


class Links(unittest.TestCase):
    def test_every_link_and_anchor_leads_somewhere(self):
        lost = []
        for page in [*DOCS.rglob("*.md"), *(ROOT / name for name in ("README.md", "CONTRIBUTING.md", "SECURITY.md"))]:
            text = re.sub(r"```.*?```", "", page.read_text("utf-8"), flags=re.DOTALL)
            for target in re.findall(r"\]\(([^)\s]+)\)", text):
                if target.startswith(("http", "mailto")):
                    continue
                path, _, part = target.partition("#")
                there = (page.parent / path) if path else page
                if not there.exists() or (
                    part
                    and part
                    not in {
                        anchor(line.lstrip("# "))
                        for line in there.read_text("utf-8").splitlines()
                        if line.startswith("#")
                    }
                ):
                    lost.append(f"{page.relative_to(ROOT)}: {target}")
        self.assertEqual(lost, [])

    def test_every_page_is_in_the_contents(self):
        listed = {
            str((page.parent / line).resolve().relative_to(DOCS))
            for page in DOCS.rglob("index.md")
            for block in re.findall(r"```\{toctree\}(.*?)```", page.read_text("utf-8"), re.DOTALL)
            for line in block.split() if not line.startswith(":") and re.fullmatch(r"[\w/-]+", line)
        }  # fmt: skip
        there = {str(page.relative_to(DOCS).with_suffix("")) for page in DOCS.rglob("*.md")} - {"index"}
        self.assertEqual(there - listed, set())


class Guides(Program):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.made = Path(tempfile.mkdtemp(prefix="kotrel-guides-"))
        cls.addClassCleanup(shutil.rmtree, cls.made, ignore_errors=True)
        done = run_kotrel(cls.made, "demo", "--short", "shop")
        assert done.returncode == 0, done.stdout + done.stderr

    def test_every_command_runs_as_printed(self):
        for page in pages():
            with self.subTest(page.name):
                self.play(page)

    def play(self, page: Path) -> None:
        """Runs a page in a workspace of its own, from its first command to its last."""
        self.folder = Path(tempfile.mkdtemp(prefix="kotrel-guide-")) / "shop"
        self.addCleanup(shutil.rmtree, self.folder.parent, ignore_errors=True)
        shutil.copytree(self.made / "shop", self.folder)
        parts = re.findall(r"<!--\s*(.*?)-->|```([a-z{}]*)\n(.*?)```", page.read_text("utf-8"), re.DOTALL)
        answers, background = [], False
        for place, (comment, language, block) in enumerate(parts):
            kind, _, more = comment.partition("\n" if comment.startswith("test") else ":")
            if kind.strip() == "test":
                exec(more, {"folder": self.folder})  # what the reader does in a spreadsheet program
            elif kind.strip() == "answers":
                answers = [each.strip() for each in more.split("|")]
            elif kind.strip() == "background":
                background = True
            elif block and not language:
                after = parts[place + 1][0] if place + 1 < len(parts) else ""
                allowed = (
                    {int(word) for word in after.removeprefix("status:").split()}
                    if after.startswith("status:")
                    else {0}
                )
                for line in block.splitlines():
                    words = shlex.split(line.split("    ")[0])
                    if words[:1] == ["kotrel"]:
                        self.run_line(words[1:], answers, allowed, background)
                        answers, background = [], False

    def run_line(self, words: list[str], answers: list[str], allowed: set[int], background: bool) -> None:
        if background:
            self.serve(words)
            return
        if answers and words[0] == "map":
            if sys.platform == "win32":
                self.skipTest("needs a pseudo-terminal")
            status, said = talk(self.folder, words, *answers, asks=b"\r\n> ", seconds=60)
        else:
            named = [
                word for word in words if not word.startswith("-") and word not in ("office", "till-desk", "online")
            ]
            command = named[0] if named else ""
            asks = command in ASKS_YES or words[:2] == ["count", "post"] or command == "map"
            done = run_kotrel(self.folder, *words, *(["--yes"] if asks else []))
            status, said = done.returncode, done.stdout + done.stderr
        self.assertIn(status, allowed, f"kotrel {' '.join(words)}\n{said}")
        self.assertNotIn("Traceback", said)

    def serve(self, words: list[str]) -> None:
        process = subprocess.Popen(
            [sys.executable, "-m", "kotrel", *words], cwd=self.folder, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"}
        )  # fmt: skip
        self.addCleanup(process.stdout.close)
        self.addCleanup(process.wait)
        self.addCleanup(process.send_signal, signal.SIGTERM)
        for line in process.stdout:
            if "is served at" in line:
                break


if __name__ == "__main__":
    unittest.main()
