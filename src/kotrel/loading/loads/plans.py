"""A preview → the plan that a system is asked to carry out."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from kotrel.core.changes.change_set import key_text
from kotrel.core.changes.journal import Stamp
from kotrel.core.changes.plan import Plan
from kotrel.core.changes.reference_order import in_reference_order
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.loading.load_model import Preview
from kotrel.systems.interface import Reading, System


def foreseen(preview: Preview, system: System, reading: Reading) -> Sequence[Refusal]:
    """The rows that the system is known not to take, before anything is sent to it."""
    if not system.can.foresees:
        return ()
    return reading.foreseen(plan_of(preview, Stamp(datetime.now().astimezone(), "", (), "")))


def plan_of(preview: Preview, stamp: Stamp) -> Plan:
    """Everything that the preview shows, with what in it only follows from other rows."""
    follows: dict[str, frozenset[str]] = {}
    for each in preview.checked:
        if each.consequence in ("ended", "resumed"):
            name = each.rows.record.name
            keys = each.rows.values.select(key_text(each.rows.record)).to_series()
            follows[name] = follows.get(name, frozenset()) | frozenset(keys)
    return Plan(tuple(in_reference_order(preview.changes)), stamp, follows)
