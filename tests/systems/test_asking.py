"""Reads over a service, whose requests are only so large."""

from __future__ import annotations

import sqlite3
from unittest.mock import patch

import polars as pl

from kotrel.core.stock.sums import LedgerQuery
from kotrel.systems.service import service_reading as reading
from kotrel.workspace.settings import open_workspace
from tests.support import Program


class Asking(Program):
    def test_more_values_than_a_request_holds_are_asked_for_in_parts(self) -> None:
        behind = self.start_on_service(body_bytes=20_000)
        with sqlite3.connect(behind / "practice.db") as database:
            codes = [code for (code,) in database.execute("SELECT code FROM item ORDER BY code")]
        wanted = pl.Series([*codes[::2], *(f"NONE-{n:05}" for n in range(5_000))])
        with open_workspace(self.folder).system().reading() as look:
            # As one request it is too large for the service, and said to be; in parts of a known size it never is.
            self.assertEqual(sorted(look.read("item", ["code"], ("code", wanted))["code"]), codes[::2])
            with patch.object(reading, "AT_ONCE", 100):
                self.assertEqual(sorted(look.read("item", ["code"], ("code", wanted))["code"]), codes[::2])
                self.assertEqual(look.read("item", ["code"], ("code", wanted.clear())).height, 0)
            whole = look.ledger_sums(LedgerQuery(["item", "warehouse"])).filter(pl.col("item").is_in(codes[::2]))
            parts = look.ledger_sums(LedgerQuery(["item", "warehouse"], [("item", wanted)]))
            self.assertGreater(whole.height, 50)
            self.assertTrue(parts.sort("item", "warehouse").equals(whole.sort("item", "warehouse")))
