"""Counts long sentences and words that our standard avoids: ``python scripts/plain_words.py [FOLDER] [--show]``.

Read are all texts of the program that people may see, and the guides; ``--show`` lists each place.
"""

from __future__ import annotations

import ast
import re
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

LONGEST = 25
AVOIDED = re.compile(
    r"\b(?:told|is said|are said|says so|stands|comes? about|gives? out|given out|takes (?:no|these|at most|what)|goes by|of (?:its|their) own|"
    r"the one … the other|holds nothing|so many|otherwise|works? out|worked out|in the way|mended|taken in|takes in|"
    r"nearly one that is there|is read as it is|riddle)\b",
    re.IGNORECASE,
)


def program_texts(root: Path) -> Iterator[tuple[str, str]]:
    """Place and text of each string of at least three words that is no docstring and no statement of a database."""
    for path in sorted((root / "src" / "kotrel").rglob("*.py")):
        tree = ast.parse(path.read_text("utf-8"))
        docs = {node.value for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        inner = {
            part
            for node in ast.walk(tree)
            if isinstance(node, ast.JoinedStr)
            for part in ast.walk(node)
            if part is not node
        }
        for node in ast.walk(tree):
            if node in docs or node in inner:
                continue
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                text = node.value
            elif isinstance(node, ast.JoinedStr):
                text = "".join(str(part.value) if isinstance(part, ast.Constant) else "X" for part in node.values)
            else:
                continue
            if (
                len(re.findall(r"[A-Za-z]{2,}", text)) >= 3
                and not re.match(r"\s*[A-Z]{3,} [A-Z]", text)
                and "\\" not in text
            ):
                yield f"{path.relative_to(root)}:{node.lineno}", text
    for path in sorted((root / "src" / "kotrel").rglob("topics/*.txt")):
        yield str(path.relative_to(root)), path.read_text("utf-8")


def guide_texts(root: Path) -> Iterator[tuple[str, str]]:
    """Place and text of each paragraph of the guides, without code."""
    for path in [root / "README.md", root / "CHANGELOG.md", *sorted((root / "docs").rglob("*.md"))]:
        text = re.sub(r"```.*?```|<!--.*?-->", "", path.read_text("utf-8"), flags=re.DOTALL)
        for paragraph in re.split(r"\n\s*\n|\n(?=[-|#] ?)", text):
            yield str(path.relative_to(root)), " ".join(paragraph.split())


def main(root: Path, show: bool) -> None:
    for name, texts in (("program", program_texts(root)), ("guides", guide_texts(root))):
        sentences, long, words = 0, 0, Counter[str]()
        for place, text in texts:
            for sentence in re.split(r"(?<=[.!?;])\s+|\n|\|", text):
                count = len(re.findall(r"[A-Za-z’'-]+", sentence))
                sentences += count > 2
                long += count > LONGEST
                if show and count > LONGEST:
                    print(f"{place}: {count} words: {sentence[:160]}")
            for found in AVOIDED.findall(text):
                words[found.lower()] += 1
                if show:
                    print(f"{place}: “{found}”: {text[:120]!r}")
        shown = ", ".join(f"{word} {number}" for word, number in words.most_common())
        print(
            f"{name}: {sentences:,} sentences, {long:,} of more than {LONGEST} words; {words.total():,} words to avoid: {shown}"
        )


if __name__ == "__main__":
    folders = [word for word in sys.argv[1:] if not word.startswith("-")]
    main(Path(folders[0]) if folders else Path(__file__).parent.parent, "--show" in sys.argv)
