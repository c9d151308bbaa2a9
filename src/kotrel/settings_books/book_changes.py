"""Applies what an edited workbook changes, and has the settings read
as every command reads them before anything is written.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from kotrel.core.errors import WrongUse
from kotrel.settings_books.edit_model import Change, Edits, SettingProblem, message_alone, sentence
from kotrel.workspace.toml_editing import NotEditable, Path, TomlText


def _rename_all(text: TomlText, renamed: Sequence[Change]) -> None:
    for number, each in enumerate(renamed):
        text.rename(each.path, f"kotrel-exchanges-{number}")
    for number, each in enumerate(renamed):
        text.rename((*each.path[:-1], f"kotrel-exchanges-{number}"), each.after)


def applied(changes: Sequence[Change], files: Mapping[str, str]) -> dict[str, str]:
    """The files with the changes; those that no change is in are left out.

    Names are exchanged by way of names that nobody has, so that two rows may take each other's.

    Raises:
        NotEditable: a file is written in a way in which it cannot be changed.
    """
    done: dict[str, str] = {}
    for file in dict.fromkeys(each.file for each in changes):
        text = TomlText(files[file])
        mine = [each for each in changes if each.file == file]
        for change in (one for one in mine if not one.late):
            change.apply(text)
        renamed = [each for each in mine if each.is_new_name]
        _rename_all(text, renamed)
        for change in (one for one in mine if one.late and one not in renamed):
            change.apply(text)
        done[file] = text.text()
    return done


def proved(
    edits: Edits, files: Mapping[str, str], require_sound: Callable[[Mapping[str, str]], None]
) -> dict[str, str]:
    """The files with all changes that go together; what a reader of the settings refuses becomes a problem at its cell.

    Args:
        require_sound: raises WrongUse where one of the files is wrong, with its line.
    """
    left, before = list(edits.changes), _trouble(files, require_sound)
    while True:
        try:
            done = applied(left, files)
        except NotEditable as error:
            edits.problems.append(
                SettingProblem("", "", f"this cannot be changed in the file as it is written: {error}")
            )
            return {}
        try:
            require_sound({**files, **done})
            return done
        except WrongUse as error:
            if message_alone(error.message) == before:
                edits.problems.append(
                    SettingProblem("", "", sentence(f"this was wrong before: {error.message}", error.hint))
                )
                return {}
            blamed = _blamed(error, left, {**files, **done})
            value = "" if blamed is None else blamed.path[-1] if blamed.late and not blamed.before else blamed.after
            words = sentence(message_alone(error.message), error.hint)
            edits.problems.append(SettingProblem(blamed.cell if blamed else "", value, words))
            if blamed is None:
                return {}
            left.remove(blamed)


def _trouble(files: Mapping[str, str], require_sound: Callable[[Mapping[str, str]], None]) -> str:
    """What is wrong in the files as they are; an empty text where nothing is."""
    try:
        require_sound(files)
    except WrongUse as error:
        return message_alone(error.message)
    return ""


def _blamed(error: WrongUse, changes: Sequence[Change], files: Mapping[str, str]) -> Change | None:
    """The change that an error in a line of a file comes from."""
    import re

    match = re.search(r"line ([0-9]+)", error.message)
    if match is None:
        named = (change for change in changes if change.after and change.after in error.message)
        return next(named, changes[0] if len(changes) == 1 else None)
    said_of = error.message.partition(",")[0]
    rated: list[tuple[int, Change]] = []
    for file, text in files.items():
        if file.rpartition("/")[2] in said_of:
            where = TomlText(text).path_at(int(match[1]))
            rated += [(_shared(each.path_after, where), each) for each in changes if each.file == file]
    shared, best = max(rated, key=lambda each: each[0], default=(0, None))
    return best if shared or len(changes) == 1 else None


def _shared(one: Path, other: Path) -> int:
    return next(
        (place for place, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other))
    )


def changes_in_order(changes: Sequence[Change]) -> Iterator[Change]:
    """The changes as they are shown: file by file, each once."""
    yield from sorted(changes, key=lambda each: each.file)
