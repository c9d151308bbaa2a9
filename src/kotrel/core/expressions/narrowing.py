"""What a condition says about a field alone: the only values it lets through, so that no more than those are read."""

from __future__ import annotations

from collections.abc import Mapping

from kotrel.core.expressions.parsing import Node, is_tree, parse, written_text

NOTHING: Mapping[tuple[str, str], str] = {}


def only_values(text: str, field: str, meant: Mapping[tuple[str, str], str] = NOTHING) -> list[str] | None:
    """The values of a field that a condition can be true for, or None where it says nothing plain about the field.

    Args:
        meant: what texts in the condition mean for fields (see :class:`kotrel.core.expressions.Compiled`).

    Only what must hold in any case counts: ``item is 'A' and …`` and ``item is one of ('A', 'B')``.
    """
    among: list[str] | None = None
    for part in _musts(parse(text)):
        values = _values(part, field)
        if values is not None:
            values = [meant.get((field, value), value) for value in values]
            among = values if among is None else [value for value in among if value in values]
    return among


def _musts(node: Node) -> list[Node]:
    if is_tree(node) and node.data == "both":
        return [part for child in node.children for part in _musts(child)]
    if is_tree(node) and node.data == "_value":
        return [part for child in node.children for part in _musts(child)]
    return [node]


def _values(node: Node, field: str) -> list[str] | None:
    if not is_tree(node) or node.data not in ("is_same", "is_one_of"):
        return None
    first, *others = node.children
    if not is_tree(first) or first.data != "field" or str(first.children[0]).lower() != field:
        return None
    texts = [written_text(each) for each in others]
    return None if None in texts else [text for text in texts if text is not None]
