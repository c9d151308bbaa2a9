"""Changes values in the text of a settings file, and leaves all else as it is: comments go and move with what they
stand at.

A comment belongs to the setting or the table right below it, or before which it stands on the same line. A table of a
list (``[[step]]``) takes its own tables (``[step.set]``) along.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime
from typing import Any

from msgspec import Struct, field

from kotrel.core.description.toml_reading import numbered, parsed, quoted_text

Path = tuple[str, ...]
"""Where a value is: names of tables and keys; a table of a list as :func:`numbered` says."""
_BARE = re.compile(r"[A-Za-z0-9_-]+")
_HEADER = re.compile(r"^\s*(\[\[?)\s*(.+?)\s*\]\]?\s*(#.*)?$")


def value_at(data: Mapping[str, Any], path: Path) -> Any:
    """The value at a path of a settings file that is read; None where there is none."""
    here: Any = data
    for part in path:
        name, _, place = part.partition("\x00")
        here = here.get(name) if isinstance(here, dict) else None
        if place:
            here = here[int(place) - 1] if isinstance(here, list) and len(here) >= int(place) else None
    return here


class NotEditable(Exception):
    """The file is written in a way in which this value cannot be changed."""


class _Item(Struct):
    """A key with its value as they are written; without a key, a line that belongs to the table as a whole.

    Attributes:
        lead: comments right above it.
        tail: blanks and a comment behind the value.
        between: blanks before the value.
    """

    key: Path
    raw_key: str
    raw: str
    lead: list[str] = field(default_factory=list)
    tail: str = ""
    between: str = " "

    def lines(self) -> list[str]:
        if not self.key:
            return self.lead
        return [*self.lead, f"{self.raw_key}={self.between}{self.raw}{self.tail}"]


class _Block(Struct):
    """A table: its header, what stands above that, and its items; ``loose`` are lines that belong to none of them."""

    path: Path
    header: str | None
    lead: list[str] = field(default_factory=list)
    items: list[_Item] = field(default_factory=list)
    loose: list[str] = field(default_factory=list)

    def lines(self) -> list[str]:
        found = [*self.lead, *([self.header] if self.header is not None else [])]
        for item in self.items:
            found += item.lines()
        return [*found, *self.loose]


class TomlText:
    """The text of a settings file, to be changed value by value.

    Raises:
        NotToml: it is no TOML.
    """

    def __init__(self, text: str) -> None:
        self._end = "\r\n" if "\r\n" in text else "\n"
        self._last = self._end if text.endswith("\n") or not text else ""
        # What cannot be parsed cannot be changed.
        parsed(text)
        self._blocks = _blocks_of(text.replace("\r\n", "\n"))

    def text(self) -> str:
        """The file as it is now."""
        lines = [line for block in self._blocks for line in block.lines()]
        return self._end.join("\n".join(lines).split("\n")) + self._last

    def data(self) -> dict[str, Any]:
        """What it says."""
        return parsed(self.text())

    def value(self, path: Path) -> Any:
        """The value at a path; None where there is none."""
        return value_at(self.data(), path)

    def set(self, path: Path, value: Any) -> None:
        """Sets one value; None takes it away, with the comments at it.

        Raises:
            NotEditable: it is part of something that is written otherwise.
        """
        for block in self._blocks:
            for item in block.items:
                if not item.key:
                    continue
                where = block.path + item.key
                if where == path:
                    if value is None:
                        block.items.remove(item)
                    else:
                        item.raw = written(value)
                    return
                if path[: len(where)] == where and item.raw.lstrip().startswith("{"):
                    item.raw = _with_inline(item.raw, path[len(where) :], value)
                    return
        if value is None:
            self.remove(path)
            return
        for own in self._blocks:
            if own.path == path[:-1] and (own.header is not None or not own.path):
                own.items.append(_Item(path[-1:], f"{_key(path[-1])} ", written(value)))
                return
        self.add(path[:-1], {path[-1]: value})

    def remove(self, path: Path) -> None:
        """Takes a table away, with all below it and the comments at it; nothing where there is none."""
        kept = []
        for block in self._blocks:
            if block.path[: len(path)] == path and block.header is not None:
                continue
            for item in [each for each in block.items if each.key]:
                where = block.path + item.key
                if where[: len(path)] == path:
                    block.items.remove(item)
                elif path[: len(where)] == where and item.raw.lstrip().startswith("{"):
                    item.raw = _with_inline(item.raw, path[len(where) :], None)
            kept.append(block)
        self._blocks = kept

    def add(self, path: Path, values: Mapping[str, Any]) -> None:
        """A new table behind its like: behind the last one with the same parent, or at the end.

        Where its like are written in one line (``code = { … }``), so is it.
        """
        parent, name = path[:-1], path[-1]
        for block in self._blocks:
            if block.path == parent and block.items and block.items[-1].raw.lstrip().startswith("{"):
                block.items.append(_Item((name,), f"{_key(name)} ", written(dict(values))))
                return
        items = [_Item((key,), f"{_key(key)} ", written(value)) for key, value in values.items()]
        header = "[[" + _dotted(path) + "]]" if "\x00" in name else f"[{_dotted(path)}]"
        after = [place for place, block in enumerate(self._blocks) if block.path[: len(parent)] == parent]
        like = [
            place
            for place in after
            if self._blocks[place].path[len(parent) :][:1] and _same_list(self._blocks[place].path[len(parent)], name)
        ]
        at = (max(like) if like else max(after) if after and parent else len(self._blocks) - 1) + 1
        self._blocks.insert(at, _Block(path, header, [""], items))

    def rename(self, path: Path, name: str) -> None:
        """Gives a table, or a key, another name; all below it and the comments stay at it."""
        new = (*path[:-1], name)
        for block in self._blocks:
            if block.path[: len(path)] == path:
                block.path = new + block.path[len(path) :]
                if block.header is not None:
                    found = _HEADER.match(block.header)
                    assert found is not None
                    block.header = block.header.replace(found[2], _dotted(block.path), 1)
            for item in [each for each in block.items if each.key]:
                where = block.path + item.key
                if where[: len(path)] == path:
                    moved = new + where[len(path) :]
                    item.key = moved[len(block.path) :]
                    item.raw_key = f"{'.'.join(map(_key, item.key))} "

    def arrange(self, path: Path, order: Sequence[int | Mapping[str, Any]]) -> None:
        """Puts the tables of a list in another order; those that are not named go.

        Args:
            path: of the list, such as ``("step",)``.
            order: of each table its number now, from 1, or the values of a new one.
        """
        parent, name = path[:-1], path[-1]
        groups: dict[int, list[_Block]] = {}
        start = None
        rest: list[_Block] = []
        for block in self._blocks:
            own, _, number_now = (block.path[len(parent)] if len(block.path) > len(parent) else "").partition("\x00")
            if block.path[: len(parent)] == parent and own == name and number_now:
                start = len(rest) if start is None else start
                groups.setdefault(int(number_now), []).append(block)
            else:
                rest.append(block)
        if any(isinstance(each, int) and each not in groups for each in order):
            raise NotEditable(f"{name} is not written as [[{name}]]")
        done: list[_Block] = []
        for index, table_key in enumerate(order, start=1):
            number = numbered(name, index)
            if isinstance(table_key, int):
                for block in groups[table_key]:
                    block.path = (*parent, number, *block.path[len(path) :])
                    done.append(block)
            else:
                items = [_Item((key,), f"{_key(key)} ", written(value)) for key, value in table_key.items()]
                done.append(_Block((*parent, number), f"[[{_dotted((*parent, number))}]]", [""], items))
        at = len(rest) if start is None else start
        self._blocks = [*rest[:at], *done, *rest[at:]]

    def path_at(self, line: int) -> Path:
        """The table or key that is written in a line of the text, from 1."""
        at = 0
        for block in self._blocks:
            at += len(block.lead) + (block.header is not None)
            if line <= at:
                return block.path
            for item in block.items:
                at += sum(each.count("\n") + 1 for each in item.lines())
                if line <= at:
                    return block.path + item.key
            at += len(block.loose)
        return ()


def written(value: Any) -> str:
    """A value as TOML writes it.

    Args:
        value: a text, a number, yes or no, a day, a list, or a table.
    """
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return quoted_text(value)
    if isinstance(value, date | datetime):
        return value.isoformat()
    if isinstance(value, Mapping):
        inside = ", ".join(f"{_key(str(key))} = {written(each)}" for key, each in value.items())
        return f"{{ {inside} }}" if inside else "{}"
    if isinstance(value, Iterable):
        return "[" + ", ".join(map(written, value)) + "]"
    return str(value)


def _key(name: str) -> str:
    return name if _BARE.fullmatch(name) else quoted_text(name)


def _dotted(path: Path) -> str:
    return ".".join(_key(part.partition("\x00")[0]) for part in path)


def _same_list(part: str, name: str) -> bool:
    """True for two tables of one list, or for two that are in none."""
    return part.partition("\x00")[0] == name.partition("\x00")[0] if "\x00" in name else "\x00" not in part


def _names(dotted: str) -> Path:
    """The names of a dotted key as it is written."""
    here: Any = parsed(f"{dotted} = 1")
    found: list[str] = []
    while isinstance(here, dict):
        [(name, here)] = here.items()
        found.append(name)
    return tuple(found)


def _blocks_of(text: str) -> list[_Block]:
    blocks = [_Block((), None)]
    lists: dict[Path, int] = {}
    pending: list[str] = []
    lines = text.split("\n")
    if lines and not lines[-1]:
        lines.pop()
    at = 0
    while at < len(lines):
        line = lines[at]
        bare = line.strip()
        if not bare or bare.startswith("#"):
            pending.append(line)
            at += 1
            continue
        if bare.startswith("["):
            found = _HEADER.match(line)
            if found is None:
                raise NotEditable(f"line {at + 1} is written in an unusual way")
            path = _in_lists(_names(found[2]), lists, found[1] == "[[")
            lead = _split_lead(pending)
            blocks[-1].loose += pending[: len(pending) - len(lead)]
            blocks.append(_Block(path, line, lead))
            pending, at = [], at + 1
            continue
        key, rest = _key_and_rest(line)
        end = _end_of_value(lines, at, len(line) - len(rest))
        raw, tail = end[1], end[2]
        # What stands further above, behind a blank line, belongs to the table as a whole.
        lead = _split_lead(pending)
        loose = pending[: len(pending) - len(lead)]
        blocks[-1].items += [_Item((), "", "", [each]) for each in loose]
        between = line[len(key) + 1 : len(line) - len(rest)]
        blocks[-1].items.append(_Item(_names(key.strip()), key, raw, lead, tail, between))
        pending, at = [], end[0]
    blocks[-1].loose += pending
    return blocks


def _split_lead(pending: Sequence[str]) -> list[str]:
    """The comments right above a line, with the blank lines above them."""
    at = len(pending)
    while at and pending[at - 1].strip().startswith("#"):
        at -= 1
    while at and not pending[at - 1].strip():
        at -= 1
    return list(pending[at:])


def _in_lists(path: Path, lists: dict[Path, int], new: bool) -> Path:
    """The path with the number of each list in it."""
    lines: list[str] = []
    for depth, name in enumerate(path, start=1):
        here = (*lines, name)
        if new and depth == len(path):
            lists[here] = lists.get(here, 0) + 1
        lines.append(numbered(name, lists[here]) if here in lists else name)
    return tuple(lines)


def _key_and_rest(line: str) -> tuple[str, str]:
    """A key as it is written, with its blanks, and the rest of the line after the sign."""
    at, quote = 0, ""
    while at < len(line):
        letter = line[at]
        if quote:
            if letter == "\\" and quote == '"':
                at += 1
            elif letter == quote:
                quote = ""
        elif letter in "\"'":
            quote = letter
        elif letter == "=":
            break
        at += 1
    rest = line[at + 1 :]
    return line[:at], rest.lstrip()


def _end_of_value(lines: Sequence[str], at: int, start: int) -> tuple[int, str, str]:
    """The number of the line behind a value, the value as it is written, and the rest of its last line."""
    text = "\n".join(lines[at:])
    position, depth = start, 0
    while position < len(text):
        if (
            quote := next((each for each in ('"""', "'''", '"', "'") if text.startswith(each, position)), None)
        ) is not None:
            position = _end_of_text(text, position, quote)
            if not depth:
                break
            continue
        letter = text[position]
        if letter == "#" and depth:
            position = text.index("\n", position)
        elif letter in "[{":
            depth += 1
        elif letter in "]}":
            depth -= 1
            if not depth:
                position += 1
                break
        elif not depth and letter in " \t\n#":
            break
        position += 1
    raw = text[start:position]
    if not depth and text[position : position + 1] == " " and re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", raw):
        # A day and a time with a blank between them.
        found = re.match(r" [0-9:.]+(?:Z|[+-][0-9:]+)?", text[position:])
        if found:
            raw, position = raw + found[0], position + found.end()
    end = text.find("\n", position)
    tail = text[position:] if end < 0 else text[position:end]
    return at + text[:position].count("\n") + 1, raw, tail.rstrip()


def _end_of_text(text: str, position: int, quote: str) -> int:
    at = position + len(quote)
    while not text.startswith(quote, at):
        at += 2 if text[at] == "\\" and quote[0] == '"' else 1
    at += len(quote)
    while len(quote) == 3 and text.startswith(quote[0], at) and at < position + len(text):
        # Up to two quotes may stand right before the closing ones.
        at += 1
    return at


def _with_inline(raw: str, path: Path, value: Any) -> str:
    """A table in one line with one value set, or taken away where it is None."""
    parts = _inline_parts(raw)
    for index, (key, inline_text) in enumerate(parts):
        if key == path:
            if value is None:
                del parts[index]
            else:
                parts[index] = (key, written(value))
            break
        if path[: len(key)] == key and inline_text.startswith("{"):
            parts[index] = (key, _with_inline(inline_text, path[len(key) :], value))
            break
    else:
        if value is None:
            return raw
        if len(path) > 1:
            value, path = {path[1]: value} if len(path) == 2 else _nested(path[1:], value), path[:1]
        parts.append((path, written(value)))
    inside = ", ".join(f"{'.'.join(map(_key, key))} = {own}" for key, own in parts)
    return f"{{ {inside} }}" if inside else "{}"


def _nested(path: Path, value: Any) -> Any:
    return {path[0]: _nested(path[1:], value)} if path else value


def _inline_parts(raw: str) -> list[tuple[Path, str]]:
    """The keys and values of a table in one line, as they are written."""
    parts: list[tuple[Path, str]] = []
    inside = raw.strip()[1:-1].strip()
    while inside:
        key, rest = _key_and_rest(inside)
        own = _until_comma(rest)
        parts.append((_names(key.strip()), own.rstrip()))
        inside = rest[len(own) :].removeprefix(",").lstrip()
    return parts


def _until_comma(text: str) -> str:
    """A value up to the comma behind it."""
    position, depth = 0, 0
    while position < len(text):
        if (quote := next((each for each in ('"', "'") if text.startswith(each, position)), None)) is not None:
            position = _end_of_text(text, position, quote)
            continue
        if text[position] in "[{":
            depth += 1
        elif text[position] in "]}":
            depth -= 1
        elif text[position] == "," and not depth:
            break
        position += 1
    return text[:position]
