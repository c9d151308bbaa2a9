"""Asks what unknown values mean, and remembers the answers in ``kotrel.toml``; its comments stay."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from msgspec import Struct

from kotrel.core.description.list_names import ListNames
from kotrel.core.errors import OutOfReach
from kotrel.core.loading.load_model import Checked
from kotrel.core.phrases import listed
from kotrel.core.values.same_writing import form_of
from kotrel.loading.list_reading import names_of
from kotrel.workspace.settings import FILE, Workspace


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
            known = {form_of(word) for word in table}
            for word, code in words.items():
                if form_of(word) not in known:
                    table.add(word, code)
                    added += 1
        if added:
            temporary = path.with_suffix(".new")
            temporary.write_text(tomlkit.dumps(document), "utf-8", newline="\n")
            temporary.replace(path)
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None
    return added


class SpellingQuestion(Struct, frozen=True):
    """A value that is not on its list: in how many rows, the likely code (or None), and the list's names."""

    value: str
    rows: int
    likely: str | None
    names: ListNames


def learn(
    checked: Sequence[Checked], workspace: Workspace, answer: Callable[[SpellingQuestion], str | None]
) -> dict[str, dict[str, str]]:
    """Asks about each unknown value and writes the accepted answers into the settings.

    Args:
        answer: gives the code that was meant, blank for no answer, or None to stop; what was answered is kept.

    Returns:
        Record → words → code, as learned.
    """
    learned: dict[str, dict[str, str]] = {}
    with workspace.system().reading() as reading:
        names = names_of(workspace, reading)
        for each in checked:
            for group in each.rows.findings:
                if group.kind != "not-on-list" or group.field is None:
                    continue
                about = each.rows.record.fields[group.field]
                known = names(str(about.to))
                values = group.cells["value"].drop_nulls()
                for value in values.unique(maintain_order=True):
                    if value in learned.get(known.record.name, {}):
                        continue
                    likely = known.likely(value)
                    code = answer(SpellingQuestion(value, int((values == value).sum()), likely, known))
                    if code is None:
                        learn_spellings(workspace.folder, learned)
                        return learned
                    if code:
                        learned.setdefault(known.record.name, {})[value] = code
    learn_spellings(workspace.folder, learned)
    return learned


def listed_codes(known: ListNames, most: int = 30) -> str:
    """The codes of a list with their names, the first of them where there are many."""
    shown = [f"{code} ({known.names[code]})" if code in known.names else code for code in known.codes]
    return f"On the list {known.record.title}: {listed(shown, most)}"


def not_listed(known: ListNames, said: str) -> str:
    """What to say to an answer that is no code."""
    likely = known.likely(said)
    return f"“{said}” is not on the list {known.record.title}" + (
        f"; did you mean {likely}?" if likely else "; ? shows it."
    )
