"""Posts a count: adjustments in one load, through the same checks, journal and undo as every other."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal

from msgspec import Struct

from kotrel.core.changes.journal import Stamp
from kotrel.core.counting.count_posting import (
    Adjusted,
    Rest,
    adjustment_family,
    as_documents,
    as_list,
    countable_list,
    numbered_documents,
    to_close,
)
from kotrel.core.description.model import Description, Record
from kotrel.core.documents.families import Family
from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.loading.load_model import Preview, SheetRows
from kotrel.core.loading.pipeline import preview
from kotrel.core.rows.load_options import DEFAULT_OPTIONS
from kotrel.core.rows.rows import Rows
from kotrel.core.stock.sums import PLACE, LedgerQuery, half_away
from kotrel.core.values.dates import moment_text
from kotrel.counting.count_files import Count, open_count
from kotrel.counting.count_state import State, posting_lock, read_state, settle_posts
from kotrel.loading.loads.in_progress import in_progress
from kotrel.loading.loads.plans import plan_of
from kotrel.loading.sheets_in.checking import business_of
from kotrel.systems.interface import ConcurrentChange, Reading, Receipt, Refused, Step
from kotrel.workspace.settings import Workspace

TRIES = 3


class PostingOptions(Struct, frozen=True):
    """How a count is posted.

    Attributes:
        day: the date of the adjustments, ISO, or None for today.
        rest: what happens to lines that were not counted.
        second: what to do with places counted twice.
    """

    day: str | None = None
    account: str | None = None
    rest: Rest = "open"
    second: str = "recount"
    remark: str = ""


class Posting(Struct, frozen=True):
    """What is posted, or would be.

    Attributes:
        status: ``posted``, ``sent`` where the system answers later, ``refused``, ``nothing to post``, or ``not posted``
            if the user said no.
        load: its number in the history; None where nothing had to change.
    """

    state: State
    adjusted: list[Adjusted]
    status: str = "planned"
    load: int | None = None
    preview: Preview | None = None
    receipt: Receipt | None = None

    @property
    def changed(self) -> list[Adjusted]:
        return [each for each in self.adjusted if each.adjustment]

    @property
    def net(self) -> Decimal:
        return sum((half_away(each.adjustment * each.line.place.cost, 2) for each in self.adjusted), Decimal(0))

    @property
    def documents(self) -> list[str]:
        return list(dict.fromkeys(each.document for each in self.adjusted if each.document is not None))


def post_count(
    name: str,
    options: PostingOptions,
    workspace: Workspace,
    who: str,
    now: datetime,
    step: Step,
    agree: Callable[[Posting], bool] | None = None,
) -> Posting:
    """Posts what was counted and is decided; each line once.

    Raises:
        WrongUse: there is no such count, or the system takes no adjustments.
        OutOfReach: somebody else posts it at the same time, or the system cannot be reached.
    """
    into = _target(workspace.description, options)
    system = workspace.system()
    if agree is not None:
        with system.reading() as reading, open_count(workspace.hidden, name) as count:
            settle_posts(count, reading)
            planned = _plan(count, reading, into, workspace, options)
        if not planned.adjusted:
            return Posting(planned.state, [], "nothing to post")
        if not agree(planned):
            return Posting(planned.state, planned.adjusted, "not posted")
    from filelock import FileLock, Timeout

    with open_count(workspace.hidden, name) as count:
        lock = posting_lock(count.path)
    try:
        with FileLock(lock, timeout=30):
            return _post(name, options, workspace, into, who, now, step)
    except Timeout:
        raise OutOfReach(
            f"the count {name} is being posted by somebody else", "Try again in a moment.", "count-busy"
        ) from None


def _target(description: Description, options: PostingOptions) -> Family | Record:
    """What the system takes: documents that correct stock, otherwise its list of stock."""
    family = adjustment_family(description)
    if family is not None:
        return family
    stock = countable_list(description)
    if stock is None:
        raise WrongUse(
            "the system accepts no document that corrects stock up and down, and no list of quantities",
            "Enter the differences there by hand: kotrel count variance NAME -o FILE writes them. Or describe such a document in system.toml.",
            "no-such-record",
        )
    if options.account or options.day:
        raise WrongUse(
            f"this system accepts counted quantities as a list ({stock.title}), without {'an account' if options.account else 'a date'}",
            f"Leave {'--account' if options.account else '--date'} out.",
            "wrong-command-line",
        )
    return stock


def _plan(
    count: Count, reading: Reading, into: Family | Record, workspace: Workspace, options: PostingOptions
) -> Posting:
    state = read_state(count, reading, workspace, options.second)
    if isinstance(into, Record):
        return Posting(state, list(to_close(state.lines, options.rest)))
    family = into
    taken = set(reading.read(family.header.name, [family.number])[family.number])
    return Posting(state, numbered_documents(list(to_close(state.lines, options.rest)), name=count.name, taken=taken))


def _post(
    name: str, options: PostingOptions, workspace: Workspace, into: Family | Record, who: str, now: datetime, step: Step
) -> Posting:
    system = workspace.system()
    day = options.day or now.date().isoformat()
    for _ in range(TRIES):
        number: int | None = None
        stamp = Stamp(now, who, (f"count {name}",), _fingerprint(name), options.remark)
        try:
            with in_progress(workspace.hidden, stamp), system.writing() as writing:
                with open_count(workspace.hidden, name) as count:
                    # What an interrupted posting left is settled first; nobody else can be posting.
                    _settle_here(count, writing)
                    planned = _plan(count, writing, into, workspace, options)
                    if not planned.adjusted:
                        return Posting(planned.state, [], "nothing to post")
                    at = moment_text(now.replace(tzinfo=None))
                    # Noted before it happens: whatever interrupts it, the history says whether it did.
                    number = count.begin_post(stamp.fingerprint, at, who, _noted(planned.adjusted))
                parts = [SheetRows(rows) for rows in _rows(planned, into, name, day, options.account, writing)]
                previewed = None
                receipt: Receipt | None = None
                if planned.changed:
                    previewed = preview(parts, business_of(workspace, DEFAULT_OPTIONS, datetime.now()), writing, step)
                    if not previewed.ok:
                        _end(name, workspace, number, None)
                        return Posting(planned.state, planned.adjusted, "refused", preview=previewed)
                    receipt = writing.take(plan_of(previewed, stamp), step)
            load = receipt.number if receipt is not None else None
            _end(name, workspace, number, load or 0)
            status = "sent" if receipt is not None and receipt.status == "sent" else "posted"
            return Posting(planned.state, planned.adjusted, status, load, previewed, receipt)
        except ConcurrentChange:
            _end(name, workspace, number, None)
            step("somebody else changed the same rows: once more")
        except Refused as refused:
            _end(name, workspace, number, None)
            raise OutOfReach(
                f"the system refused the adjustments: {refused.refusals[0].message if refused.refusals else ''}; nothing was posted",
                "Look at that place, then post again.",
                "refused-as-a-whole",
            ) from None
    raise OutOfReach(
        "others keep changing the same rows; nothing was posted",
        "Run it again when they have finished.",
        "changed-meanwhile",
    )


def _rows(
    planned: Posting, into: Family | Record, name: str, day: str, account: str | None, reading: Reading
) -> list[Rows]:
    if isinstance(into, Family):
        return as_documents(planned.adjusted, into, name, day, account)
    places = [each for each in PLACE if each in into.fields]
    return as_list(planned.adjusted, into, reading.ledger_sums(LedgerQuery(places)), name)


def _end(name: str, workspace: Workspace, number: int | None, load: int | None) -> None:
    if number is not None:
        with open_count(workspace.hidden, name) as count:
            count.end_post(number, load)


def _settle_here(count: Count, reading: Reading) -> None:
    loads = {entry.fingerprint: entry.number for entry in reading.history() if entry.kind == "load"}
    for post in count.posts():
        if post.load is None:
            count.end_post(post.number, loads.get(post.fingerprint))


def _noted(adjusted: list[Adjusted]) -> list[tuple[int, str, str | None, str, str | None, str]]:
    return [
        (
            adjustment.line.place.number,
            f"{adjustment.line.expected:f}",
            None if adjustment.line.counted is None else f"{adjustment.line.counted:f}",
            f"{adjustment.adjustment:f}",
            adjustment.document,
            adjustment.why,
        )
        for adjustment in adjusted
    ]


def _fingerprint(name: str) -> str:
    """A fingerprint that no other posting has."""
    import secrets

    return hashlib.sha256(f"{name} {secrets.token_hex(16)}".encode()).hexdigest()
