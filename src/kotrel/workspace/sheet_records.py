"""Records that only sheets have: a count sheet, and what a program says of a load. A saved match can be for them too."""

from __future__ import annotations

from dataclasses import replace

from kotrel.core.changes import answers
from kotrel.core.counting import sheet_record
from kotrel.core.description.model import Description, Record

READ_BY = {sheet_record.NAME: "kotrel count collect COUNT FILE", answers.NAME: "kotrel outcome LOAD --from FILE"}
"""Record → the command that reads such a sheet."""


def with_sheet_records(description: Description) -> Description:
    """The description with these records; where the system has one of the same name, that is meant."""
    own: dict[str, Record] = {
        answers.NAME: answers.result_record([each for each in description.records.values() if not each.is_kept], [])
    }
    ledger = description.stock_places
    if ledger is not None and "item" in ledger.fields and ledger.fields["item"].to:
        own[sheet_record.NAME] = sheet_record.count_record(description)
    return replace(description, records={**own, **description.records})
