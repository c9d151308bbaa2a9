"""A preview → the plan that a system is asked to carry out."""

from __future__ import annotations

from kotrel.core.changes.change_set import key_text
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.parts import Preview


def plan_of(preview: Preview, stamp: Stamp) -> Plan:
    """Everything that the preview shows, with what in it only follows from other rows."""
    follows: dict[str, frozenset[str]] = {}
    for each in preview.checked:
        if each.consequence == "ended":
            name = each.rows.record.name
            keys = each.rows.values.select(key_text(each.rows.record)).to_series()
            follows[name] = follows.get(name, frozenset()) | frozenset(keys)
    return Plan(preview.changes, stamp, follows)
