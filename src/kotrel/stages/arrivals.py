"""What became of an upload: what was sent, held against what the program has given out since."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import polars as pl

from kotrel.core.description.shown_values import shown
from kotrel.systems.folder.mirror import read_about
from kotrel.workspace.settings import Workspace
from kotrel.workspace.uploads import Upload, sent_rows, upload_named

Status = Literal["arrived", "not there", "differs"]


@dataclass(frozen=True)
class Arrival:
    """One row that was sent: its key, what it was sent as, and what the program's list says of it."""

    key: str
    sent_as: str
    status: Status
    message: str = ""


@dataclass(frozen=True)
class Arrivals:
    """All rows of an upload.

    Attributes:
        newer: True where the list was given out after the upload: before that, it can say nothing.
    """

    upload: Upload
    rows: list[Arrival]
    newer: bool

    def count(self, status: Status) -> int:
        return sum(1 for each in self.rows if each.status == status)


def arrivals(name: str, workspace: Workspace) -> Arrivals:
    """What became of an upload.

    Raises:
        WrongUse: there is no such upload.
    """
    upload = upload_named(workspace.hidden, name)
    record = workspace.description.records[upload.record]
    sent = sent_rows(workspace.hidden, upload)
    fields = [field for field in sent.columns if field in record.fields]
    key = list(record.key)
    with workspace.system().reading() as reading:
        held = reading.read(record.name, fields, (key[0], sent[key[0]])).unique(key, keep="any")
    there = held.select(
        *key,
        *(pl.col(field).alias(f"held {field}") for field in fields if field not in key),
        pl.lit(True).alias("is held"),
    )
    rows: list[Arrival] = []
    for row in sent.join(there, on=key, how="left", maintain_order="left").iter_rows(named=True):
        code = " / ".join(str(row[field]) for field in key)
        if not row["is held"]:
            rows.append(Arrival(code, row["sent as"], "not there", "the program's list does not have it"))
            continue
        # A blank was not sent: it changes nothing there.
        other = [
            field
            for field in fields
            if field not in key and row[field] is not None and row[field] != row[f"held {field}"]
        ]
        words = [
            f"{record.fields[field].title} is {shown(row[f'held {field}'], record.fields[field]) or 'blank'}, sent was {shown(row[field], record.fields[field])}"
            for field in other
        ]
        rows.append(Arrival(code, row["sent as"], "differs" if other else "arrived", "; ".join(words)))
    _, lists = read_about(workspace.hidden)
    newer = any(each.record == record.name and each.at > upload.at for each in lists)
    return Arrivals(upload, rows, newer)
