"""A small shop whose ledger is a plain list: what documents post is added up by Python,
another road than the program's.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from functools import cache
from typing import Any

import polars as pl

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.row_comparison import compare
from kotrel.core.description.description_reading import read_description
from kotrel.core.description.model import Description
from kotrel.core.documents.document_reversal import TakenBack, Taking, reverse_documents
from kotrel.core.documents.load_documents import InDocuments, Ledger, check_documents
from kotrel.core.documents.stock_rules import CAREFUL, StockRules
from kotrel.core.rows.rows import Rows
from kotrel.core.rows.system_state import SystemState
from kotrel.core.stock.sums import LedgerQuery
from kotrel.practice.installing import description_text
from tests.builders import columns_of, rows_of, values_of
from tests.support import TODAY

NOW = datetime(2026, 11, 23, 9, 30)

ITEMS = {
    "code": ["ROPE", "RADIO", "PAINT", "HIRE"],
    "unit": ["M", "EA", "L", "EA"],
    "kind": ["stocked", "stocked", "stocked", "service"],
    "serial_tracked": ["no", "yes", "no", "no"],
    "lot_tracked": ["no", "no", "yes", "no"],
    "cost": ["8.0000", "100.0000", "12.0000", None],
    "price": ["10.00", "150.00", None, "5.00"],
}
HELD: dict[str, Mapping[str, Sequence[str | None]]] = {
    "item": ITEMS,
    "unit": {"code": ["M", "EA", "L", "COIL", "BOX"], "decimals": ["2", "0", "3", "0", "0"]},
    "unit_conversion": {"item": ["ROPE", "ROPE"], "unit": ["COIL", "BOX"], "factor": ["200.000000", "3.000000"]},
}


@cache
def practice() -> Description:
    return read_description(description_text())


class Shop:
    """Posts documents and takes them back; ``movements`` are dictionaries of texts, as the ledger has them."""

    def __init__(self, rules: StockRules = CAREFUL) -> None:
        self.rules = rules
        self.movements: list[dict[str, str]] = []
        self.headers: list[dict[str, str | None]] = []
        self.done: dict[str, list[RecordChanges]] = {}

    # what the program asks

    def read(self, record: str, fields: Sequence[str], among: Any = None, filled: Any = None) -> pl.DataFrame:
        about = practice().records[record]
        if about.nature == "document" or about.part_of is not None:
            rows = [row for row in self.headers if row["kind"] == record and (not filled or row.get(filled))]
            given: Mapping[str, Sequence[str | None]] = {name: [row.get(name) for row in rows] for name in fields}
        else:
            given = HELD.get(record, {})
        size = len(next(iter(given.values()), []))
        return pl.DataFrame(
            {name: given.get(name, [None] * size) for name in fields}, schema=dict.fromkeys(fields, pl.String)
        )

    def sums(self, query: LedgerQuery) -> pl.DataFrame:
        groups: dict[tuple[str | None, ...], list[Decimal]] = {}
        for row in self.movements:
            if row["counts_as"] == query.counts_as:
                found = groups.setdefault(tuple(row.get(name) for name in query.by), [Decimal(0), Decimal(0)])
                found[0] += Decimal(row["quantity"])
                found[1] += Decimal(row["value"])
        rows = [(*key, str(quantity), str(value)) for key, (quantity, value) in groups.items()]
        return pl.DataFrame(rows, schema=dict.fromkeys((*query.by, "quantity", "value"), pl.String), orient="row")

    # what a test asks

    def on_hand(self, item: str = "ROPE") -> tuple[Decimal, Decimal]:
        """Quantity and value of an item."""
        mine = [row for row in self.movements if row["item"] == item and row["counts_as"] == "on hand"]
        return sum((Decimal(row["quantity"]) for row in mine), Decimal(0)), sum(
            (Decimal(row["value"]) for row in mine), Decimal(0)
        )

    def check(
        self,
        kind: str,
        number: str,
        *lines: Mapping[str, str],
        header: Mapping[str, str] | None = None,
        only_new: bool = False,
        new_codes: Sequence[str] = (),
    ) -> tuple[InDocuments, list[Rows]]:
        """Checks one document; a line may have ``lots``: texts like ``S-1`` or ``lot=quantity`` for lots
        and serial numbers.
        """
        records = practice().records
        head = {"number": number, "warehouse": "QUAY", "date": "2026-11-20", **(header or {})}
        head = {name: value for name, value in head.items() if name in records[kind].fields}
        parts = [_rows(kind, [head])]
        filled = [
            {"document": number, "line": str(n), "warehouse": head.get("warehouse", ""), **line}
            for n, line in enumerate(lines, 1)
        ]
        parts.append(
            _rows(
                f"{kind}_line",
                [{k: v for k, v in line.items() if k in records[f"{kind}_line"].fields} for line in filled],
            )
        )
        lots = [{"document": number, "line": line["line"], "part": str(n), **lot} for line in filled
                for n, lot in enumerate(line.get("lots", ()), 1)]  # type: ignore[arg-type]  # fmt: skip
        if lots:
            parts.append(_rows(f"{kind}_lot", lots))  # type: ignore[arg-type]
        ledger = Ledger(self.read, self.sums, lambda record, keys: {})
        return check_documents(
            parts, SystemState(practice(), self.read), ledger, self.rules, NOW, only_new, new_codes
        ), parts

    def post(
        self, kind: str, number: str, *lines: Mapping[str, Any], header: Mapping[str, str] | None = None
    ) -> set[str]:
        """Posts a document; returns the kinds of errors, and posts nothing if there are any."""
        done, _ = self.check(kind, number, *lines, header=header)
        wrong = {group.kind for part in done.parts for group in part.findings if group.severity == "error"}
        if not wrong:
            changes = [
                compare(rows, pl.DataFrame(schema=dict.fromkeys(rows.fields, pl.String)))
                for rows in (*done.parts, *done.movements)
            ]
            self._keep(number, changes)
        return wrong

    def take_back(self, number: str) -> TakenBack:
        """Takes a document back; posts nothing if something is in the way."""
        how = Taking(TODAY, NOW, "back", self.rules)
        back = reverse_documents(self.done[number], practice(), self.read, self.sums, how)
        if not back.blocked_by:
            self._keep(f"{number}-R", back.changes)
        return back

    def _keep(self, number: str, changes: Sequence[RecordChanges]) -> None:
        self.done[number] = list(changes)
        for each in changes:
            for row in each.frame.select(each.fields).iter_rows(named=True):
                if each.record.nature == "ledger":
                    self.movements.append(row)
                else:
                    self.headers.append({"kind": each.record.name, **row})


def _rows(record: str, rows: Sequence[Mapping[str, str]]) -> Rows:
    return rows_of(practice().records[record], values_of(columns_of(rows)))
