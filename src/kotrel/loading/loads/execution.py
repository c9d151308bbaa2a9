"""The load itself: all of it or nothing, or just the good rows if the user asks for that."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path

import polars as pl
from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.changes.change_set import RecordChanges
from kotrel.core.changes.journal import Stamp, load_name
from kotrel.core.changes.system_remarks import Refusal
from kotrel.core.columns import before
from kotrel.core.errors import OutOfReach
from kotrel.core.loading.document_steps import documents_of_good_rows, shape_parts, whole_documents
from kotrel.core.loading.joint_rows import whole_rows
from kotrel.core.loading.load_model import Preview, SheetRows
from kotrel.core.loading.pipeline import preview
from kotrel.loading.file_options import FileOptions
from kotrel.loading.loads.in_progress import in_progress
from kotrel.loading.loads.plans import plan_of
from kotrel.loading.loads.preview import loaded_before, understood_with_fingerprint
from kotrel.loading.loads.refused_rows import keep_stamps, rest_of, write_rests_beside
from kotrel.loading.sheets_in.checking import business_of, parts_of
from kotrel.loading.sheets_in.sheet_reading import Understood
from kotrel.sheets.ooxml.stamps import stamps_of
from kotrel.systems.interface import Altered, ConcurrentChange, Reading, Receipt, Refused, Step, System
from kotrel.workspace.exports import STAMP
from kotrel.workspace.settings import Workspace

LOG = logging.getLogger("kotrel.load")
TRIES = 3
"""A load is tried this many times if somebody else changes the same rows while it runs."""

MOST_REFUSED = 1_000
"""With more refused rows than this, something else is wrong and the load is not tried again."""

ROUNDS = 50
"""The good rows are tried at most this many times, each time without those that the system itself refused."""


class Loaded(Struct, frozen=True):
    """How a load ended.

    Attributes:
        status: ``loaded``; ``sent`` where the system answers later; ``tried`` for a trial that the system would take;
            ``refused``, ``nothing to do``, or ``not loaded`` if the user said no.
        number: of the load in the history, also if the system itself refused it.
        altered: what came out otherwise than it was sent, because the system's own rules changed it.
        receipt: what the system said of it, or None.
        rest: the workbooks with the rows that were not loaded, and how many each has.
    """

    status: str
    number: int | None
    preview: Preview
    rest: tuple[tuple[Path, int], ...] = ()
    altered: tuple[Altered, ...] = ()
    receipt: Receipt | None = None


class LoadRequest(Struct, frozen=True):
    """What to load, for whom, and how.

    Attributes:
        good_rows: True to load the good rows and write the others to a file.
        again: True to load the same content again.
        trial: True to let the system check it, and keep nothing.
        wait: False to do not wait for the system to finish.
    """

    files: tuple[Path, ...]
    wanted: FileOptions
    who: str
    remark: str
    at: datetime
    good_rows: bool = False
    again: bool = False
    trial: bool = False
    wait: bool = True


def load_files(
    order: LoadRequest, workspace: Workspace, step: Step, agree: Callable[[Preview], bool] | None = None
) -> Loaded:
    """Loads files, all or nothing.

    Args:
        agree: called with the preview if there is a person to ask; the load continues only if what it would
            do is still what was shown.

    Raises:
        OutOfReach: the system cannot be reached, or others kept changing the same rows.
    """
    understood, content = understood_with_fingerprint(order.files, workspace, order.wanted, order.at.date(), step)
    parts = parts_of(understood, workspace)
    system = workspace.system()
    stamp = Stamp(order.at, order.who, tuple(path.name for path in order.files), content, order.remark)
    shown: Preview | None = None
    if agree is not None:
        with system.reading() as reading:
            shown = _preview(parts, workspace, order, reading, stamp, step, with_stakes=True)
        if not _may_go_on(shown, order):
            return _not_loaded(shown)
        if not agree(shown):
            return Loaded("not loaded", None, shown)
    if order.trial:
        return _load(parts, workspace, order, system, stamp, shown, step)
    stamps = {each.rows.table.file: _stamps(each) for each in understood}
    keep_stamps(workspace.hidden, stamp.fingerprint, stamps)
    with in_progress(workspace.hidden, stamp):
        done = _load(parts, workspace, order, system, stamp, shown, step)
    if done.status in ("loaded", "sent"):
        _remember(done.preview, understood, done.number or 0)
        if order.good_rows and not done.preview.ok:
            done = replace(done, rest=tuple(write_rests_beside(rest_of(done.preview.changes), stamps)))
    return done


def _stamps(understood: Understood) -> dict[str, str]:
    """What marks a file, as it was read: as of that export or of none, and by those price rules."""
    found = {name: text for name, text in stamps_of(Path(understood.rows.table.file)).items() if name != STAMP}
    return found | ({STAMP: understood.export.stamp} if understood.export is not None else {})


def _require_as_shown(shown: Preview | None, found: Preview) -> None:
    """Raises OutOfReach where somebody has said yes to other changes than would be made now."""
    if shown is not None and not _same_changes(shown, found):
        raise OutOfReach(
            "the system changed while you were looking at the preview; nothing was loaded",
            "Run the load again and look at the new preview.",
            "changed-meanwhile",
        )


def _load(
    parts: Sequence[SheetRows],
    workspace: Workspace,
    order: LoadRequest,
    system: System,
    stamp: Stamp,
    shown: Preview | None,
    step: Step,
) -> Loaded:
    refusals: list[Refusal] = []
    moved = 0
    for _ in range(TRIES + ROUNDS):
        previewed: Preview | None = None
        try:
            with system.writing() as writing:
                previewed = _preview(parts, workspace, order, writing, stamp, step, refusals)
                if not _may_go_on(previewed, order):
                    return _not_loaded(previewed)
                if not refusals:
                    _require_as_shown(shown, previewed)
                plan = replace(plan_of(previewed, replace(stamp, notes=previewed.notes)), wait=order.wait)
                _log_plan(previewed, order)
                receipt = writing.try_out(plan, step) if order.trial else writing.take(plan, step)
            status = "tried" if order.trial else receipt.status
            LOG.info("%s: %s", status, load_name(receipt.number) if receipt.number else "no number")
            return Loaded(status, receipt.number or None, previewed, altered=receipt.altered, receipt=receipt)
        except Refused as refused:
            assert previewed is not None
            refusals += refused.refusals
            if order.good_rows and refused.refusals and len(refusals) < MOST_REFUSED:
                step("trying again without the refused rows")
                continue
            return _record_refusals(parts, workspace, order, system, stamp, refusals, step)
        except ConcurrentChange:
            moved += 1
            if moved >= TRIES:
                break
            step("somebody else changed the same rows: trying again")
    raise OutOfReach(
        "others keep changing the same rows; nothing was loaded",
        "Run it again when they have finished.",
        "changed-meanwhile",
    )


def _log_plan(preview: Preview, order: LoadRequest) -> None:
    """What is about to be written, record by record."""
    LOG.info("files %s", ", ".join(str(path) for path in order.files))
    for record, counts in preview.counts().items():
        LOG.info(
            "writing %s: %s",
            record,
            ", ".join(f"{number:,} {action}" for action, number in counts.items() if number) or "nothing",
        )


def _preview(
    parts: Sequence[SheetRows],
    workspace: Workspace,
    order: LoadRequest,
    reading: Reading,
    stamp: Stamp,
    step: Step,
    refusals: Sequence[Refusal] = (),
    with_stakes: bool = False,
) -> Preview:
    business = business_of(workspace, order.wanted.options, datetime.now())
    read, parts = parts, shape_parts(parts, business, reading)
    previewed = preview(parts, business, reading, step, refusals, with_stakes)
    while order.good_rows:
        # A document that Kotrel makes of a flat sheet is made of its good lines.
        if (apart := documents_of_good_rows(read, previewed.checked, business)) is not None:
            read, parts = apart, shape_parts(apart, business, reading)
            previewed = preview(parts, business, reading, step, refusals, with_stakes)
            continue
        # A row that makes several records is loaded with all of them, and a document whole; or it stays for the rest.
        whole = whole_rows(parts, previewed.checked) or whole_documents(parts, previewed.checked, business, reading)
        if whole is None:
            break
        parts = whole
        previewed = preview(parts, business, reading, step, refusals, with_stakes)
    # What stock is to be may be asked for again: what is right already is left out.
    again = order.again or order.wanted.options.documents.as_target
    return previewed if again else replace(previewed, before=loaded_before(reading.history(), stamp.fingerprint))


def _may_go_on(preview: Preview, order: LoadRequest) -> bool:
    return preview.before is None and preview.touches and (preview.ok or order.good_rows)


def _not_loaded(preview: Preview) -> Loaded:
    if preview.before is not None:
        return Loaded("nothing to do", None, preview)
    return Loaded("nothing to do" if preview.ok else "refused", None, preview)


def _same_changes(shown: Preview, now: Preview) -> bool:
    return len(shown.changes) == len(now.changes) and all(
        first.fields == second.fields and _timeless(first).equals(_timeless(second))
        for first, second in zip(shown.changes, now.changes, strict=True)
    )


def _timeless(changes: RecordChanges) -> pl.DataFrame:
    """The changes without the moment at which documents are posted, which is another each time."""
    return changes.frame.drop("posted_at") if changes.record.nature == "ledger" else changes.frame


def _record_refusals(
    parts: Sequence[SheetRows],
    workspace: Workspace,
    order: LoadRequest,
    system: System,
    stamp: Stamp,
    refusals: Sequence[Refusal],
    step: Step,
) -> Loaded:
    """Records a load that the system itself refused: each refusal is a finding at its row,
    and the history has the load.
    """
    with system.writing() as writing:
        previewed = preview(
            parts, business_of(workspace, order.wanted.options, datetime.now()), writing, step, refusals
        )
        # A trial leaves nothing behind, not even in the history.
        number = (
            None
            if order.trial
            else writing.note_refused(previewed.changes, replace(stamp, kind="refused", notes=previewed.notes))
        )
    return Loaded("refused", number, previewed)


def _remember(loaded: Preview, understood: Sequence[Understood], number: int) -> None:
    """Remembers what was loaded from sheets that came from an export: their next load is compared with it."""
    # What follows from a sheet's rows has fewer fields than the sheet.
    ordered = sorted(loaded.changes, key=lambda each: len(each.fields))
    by_place = {(each.record.name, each.file, each.sheet): each for each in ordered}
    for part in understood:
        rows = part.rows
        changes = by_place.get((rows.record.name, *rows.table.origin))
        if part.export is None or changes is None:
            continue
        # The load is done whether or not this can be saved; without it, a later load reports a clash.
        with suppress(OSError, OutOfReach):
            part.export.remember_loaded(rows.record.name, _loaded_cells(changes), number)


def _loaded_cells(changes: RecordChanges) -> pl.DataFrame:
    """The key, the fields, and ``loaded FIELD``: whether the load set it in that row."""
    did = changes.rows_of("new", "changed")
    key = list(changes.record.key)
    others = [name for name in changes.fields if name not in key]
    return did.select(
        *key,
        *others,
        *(pl.col(name).ne_missing(pl.col(before(name))).alias(f"loaded {name}") for name in others),
    )
