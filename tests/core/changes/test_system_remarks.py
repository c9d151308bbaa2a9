"""What the system says of rows becomes findings at their cells."""

from __future__ import annotations

import unittest

from msgspec.structs import replace

from kotrel.core.changes.system_remarks import Refusal, replaced_more, with_refusals
from kotrel.core.columns import ROW
from tests.support import rows


def sheet():
    return rows(("Item code", "Cost"), ("A", "1"), ("B", "2"), ("C", "3"))


def refusal(key: str, message: str, field: str | None = None, **more: object) -> Refusal:
    return replace(Refusal("item", "test.xlsx", "Sheet1", 0, key, message, field=field), **more)  # type: ignore[arg-type]


def told(findings):
    return [
        (group.severity, group.kind, group.field, group.cells.select(ROW, "value", "message", "suggestion").rows())
        for group in findings
    ]


class Remarks(unittest.TestCase):
    def test_each_row_gets_what_was_said_of_it_at_the_field(self):
        done = with_refusals(
            sheet(),
            [
                refusal("C", "too dear", "cost", advice="ask"),
                refusal("A", "no"),
                refusal("A", "never"),
                refusal("A", "no"),
                refusal("B", "odd", severity="warning"),
                refusal("Z", "of no row here"),
                refusal("B", "of another sheet", file="other.xlsx"),
                refusal("B", "long", "cost", layout="till"),
            ],
        )
        self.assertEqual(
            told(done.findings),
            [
                ("error", "refused-by-system", "cost", [(4, "3.00", "the system says: too dear", "ask")]),
                ("error", "refused-by-system", "code", [(2, "A", "the system says: no; never", None)]),
                ("warning", "system-remark", "code", [(3, "B", "the system says: odd", None)]),
                ("error", "not-writable", "cost", [(3, "2.00", "long", None)]),
            ],
        )

    def test_without_remarks_or_a_key_nothing_is_added(self):
        self.assertEqual(with_refusals(sheet(), []).findings, ())
        self.assertEqual(with_refusals(sheet(), [refusal("Z", "no")]).findings, ())
        keyless = rows(("Cost", "Unit"), ("1", "EA"))
        self.assertEqual(with_refusals(keyless, [refusal("A", "no")]).findings, keyless.findings)

    def test_what_would_be_replaced_is_named_for_each_field(self):
        found = replaced_more(sheet(), [(2, "cost", "1.001"), (4, "unit", "x y"), (3, "cost", "2.002")])
        self.assertEqual(
            [(group.field, group.cells[ROW].to_list()) for group in found], [("cost", [2, 3]), ("unit", [4])]
        )
        self.assertIn("“2.002”", found[0].cells["message"][1])
