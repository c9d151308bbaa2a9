"""Writes accepted spellings into ``kotrel.toml``; its comments stay."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from kotrel.core.errors import OutOfReach
from kotrel.core.similarity import folded
from kotrel.workspace.settings import FILE


def learn_spellings(folder: Path, learned: Mapping[str, Mapping[str, str]]) -> int:
    """Adds spellings to the settings. Returns how many were new.

    Args:
        learned: record → the words in the sheet → the code they stand for.

    Raises:
        OutOfReach: the settings cannot be written.
    """
    # Only here: every other command would wait for it.
    import tomlkit
    from tomlkit.items import Table

    path = folder / FILE
    try:
        document = tomlkit.parse(path.read_text("utf-8-sig"))
        spellings = document.setdefault("spellings", tomlkit.table(is_super_table=True))
        added = 0
        for record, words in learned.items():
            table = spellings.setdefault(record, tomlkit.table())
            assert isinstance(table, Table)
            known = {folded(word) for word in table}
            for word, code in words.items():
                if folded(word) not in known:
                    table.add(word, code)
                    added += 1
        if added:
            temporary = path.with_suffix(".new")
            temporary.write_text(tomlkit.dumps(document), "utf-8", newline="\n")
            temporary.replace(path)
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None
    return added
