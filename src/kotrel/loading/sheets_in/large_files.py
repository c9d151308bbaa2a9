"""Checks a very large text file part by part; only keys and unique values are kept of all parts."""

from __future__ import annotations

import struct
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import ExitStack
from datetime import date
from functools import partial
from pathlib import Path

import polars as pl
from msgspec.structs import replace

from kotrel.core.checking.all_checks import CHECKS, check_rows
from kotrel.core.checking.circles import check_circles
from kotrel.core.checking.dependents import with_dependents
from kotrel.core.checking.filled_series import check_filled_series
from kotrel.core.checking.keys import check_keys
from kotrel.core.checking.unique import check_unique
from kotrel.core.columns import ROW, clearing
from kotrel.core.errors import WrongUse
from kotrel.core.expressions.numbering import counts_up
from kotrel.core.loading.load_model import Checked
from kotrel.core.matching.by_headings import Matched
from kotrel.core.matching.row_reading import understand
from kotrel.core.matching.second_tables import second_tables
from kotrel.core.normalizing.amounts import number_evidence, number_witnesses
from kotrel.core.normalizing.date_columns import date_evidence
from kotrel.core.parallel import few_ahead, one_ahead
from kotrel.core.phrases import count
from kotrel.core.pricing.below_cost import check_below_cost
from kotrel.core.resolving.list_additions import Consequence
from kotrel.core.resolving.near_duplicates import find_repeated
from kotrel.core.resolving.new_codes import find_doubtful_codes
from kotrel.core.resolving.periods import follow_periods
from kotrel.core.resolving.ready_rows import filled_keys, filled_rows
from kotrel.core.resolving.repairing import repair
from kotrel.core.rows.distinct_values import Few
from kotrel.core.rows.findings import FindingGroup, RepairGroup, concerns_sheet
from kotrel.core.rows.load_options import DEFAULT_OPTIONS
from kotrel.core.rows.rows import Defaulted, Rows
from kotrel.core.rows.system_state import SystemState, is_new
from kotrel.core.tables.detection import find_table, is_data
from kotrel.core.tables.table import Grid, Table
from kotrel.loading.file_options import FileOptions
from kotrel.loading.sheets_in.checking import check_files
from kotrel.loading.sheets_in.sheet_choice import match_tables
from kotrel.sheets.encodings import CHECKED, is_utf8_file
from kotrel.sheets.opening_files import TEXT_ENDINGS
from kotrel.sheets.room import most_at_once
from kotrel.sheets.safe_writing import make_folder
from kotrel.sheets.textfiles import TextPart, read_in_parts
from kotrel.systems.interface import Reading, Step
from kotrel.workspace.settings import Workspace
from kotrel.workspace.stored_blocks import blocks_of, frame_in

_LENGTH = struct.Struct("<Q")


class Spool(ExitStack):
    """Rows in so many files; gone when it is closed.

    Args:
        folder: where there is room for them.
        by: rows with the same values in these fields come together.
    """

    def __init__(self, folder: Path, by: Sequence[str], files: int) -> None:
        super().__init__()
        self._by = list(by)
        make_folder(folder)
        where = Path(self.enter_context(tempfile.TemporaryDirectory(prefix="parts-", dir=folder)))
        self._files = [self.enter_context((where / f"{number}.rows").open("w+b")) for number in range(files)]

    def add(self, rows: pl.DataFrame) -> None:
        """Puts rows aside."""
        # A field that a default fills is a column only where it filled one.
        rows = rows.with_columns(pl.lit(None, pl.String).alias(name) for name in self._by if name not in rows.columns)
        place = pl.struct(self._by).hash(seed=1) % len(self._files)
        for (number,), part in rows.with_columns(place.alias("file")).partition_by("file", as_dict=True).items():
            for block in blocks_of(part.drop("file")):
                self._files[number].write(_LENGTH.pack(len(block)) + block)

    def together(self) -> Iterator[pl.DataFrame]:
        """The rows of each file, in the order in which they came."""
        for file in self._files:
            file.seek(0)
            parts: list[pl.DataFrame] = []
            while head := file.read(_LENGTH.size):
                parts.append(frame_in(file.read(_LENGTH.unpack(head)[0])))
            if parts:
                yield pl.concat(parts, how="diagonal")


LARGE = 600 * 1024 * 1024
"""Text files of at least this many bytes are checked in parts."""
PART = 56 * 1024 * 1024

FILE = 32 * 1024 * 1024
"""Bytes of the file for each of the files in which rows are put aside: what is looked at together fits the memory."""

ACROSS = (check_keys, check_unique, check_circles)
"""Checks that need all rows at once; the others check one part at a time."""
# A series may run from one part into the next: it is not looked for.
INSIDE = tuple(check for check in CHECKS if check not in (*ACROSS, check_filled_series))


def is_large(path: Path, size: int = LARGE) -> bool:
    """True for a UTF-8 text file that is to be checked in parts: a large one, and one that is for this machine."""
    try:
        if path.suffix.lower() not in TEXT_ENDINGS:
            return False
        found, most = path.stat().st_size, most_at_once()
        return (found >= size or (most is not None and found > most)) and is_utf8_file(path, CHECKED)
    except OSError:
        return False


def check_any(
    files: Sequence[Path], workspace: Workspace, wanted: FileOptions, today: date, step: Step
) -> list[Checked]:
    """Checks files, a very large text file in parts."""
    if len(files) == 1 and wanted.encoding is None and is_large(files[0]):
        if wanted.options != DEFAULT_OPTIONS:
            raise WrongUse(
                f"{files[0]} is so large that it is checked in parts, without load options",
                "Check it without these options, or split the file.",
                "too-large-for-options",
            )
        step(f"reading {files[0].name}")
        with workspace.system().reading() as reading:
            return check_large(files[0], workspace, wanted, today, reading, step)
    return check_files(files, workspace, wanted, today, step)


def check_large(
    path: Path,
    workspace: Workspace,
    wanted: FileOptions,
    today: date,
    reading: Reading,
    step: Step,
    part_bytes: int = PART,
) -> list[Checked]:
    """Checks a large file: every check that :func:`kotrel.loading.sheets_in.checking.check_files` makes, in bounded
    memory.

    The result has only keys and unique values of the rows, or none of them, but all findings and repairs.

    Raises:
        WrongUse: all rows are needed at once: the mapping makes several records or numbers codes, or they are
            documents.
    """
    witnesses: Witnesses | None = None
    while True:
        seen = Witnesses()
        done = _check_parts(path, workspace, wanted, today, reading, step, part_bytes, witnesses or seen, seen)
        if witnesses is not None or seen.agree():
            return done
        # A later part shows how the columns of all are written: they are read once more, by all that the file shows.
        witnesses = seen


class Witnesses:
    """How the columns of a file that is read in parts write their numbers and days, as far as it has been read."""

    def __init__(self) -> None:
        self.texts: dict[str, pl.Series] = {}
        self._is_day: dict[str, bool] = {}
        self._decided: dict[str, list[tuple[object, ...]]] = {}

    def look(self, table: Table, matched: Matched) -> None:
        """Adds what a part shows."""
        for name, letter in matched.letters.items():
            field = matched.record.fields[name]
            if letter not in table.cells.columns or not (field.is_decimal or field.kind == "date"):
                continue
            column = table.cells[letter].drop_nulls().str.strip_chars()
            self._is_day[letter] = is_day = field.kind == "date"
            own = column.unique() if is_day else number_witnesses(column)
            before = self.texts.get(letter)
            texts = own.rename(letter) if before is None else pl.concat([before, own.rename(letter)]).unique()
            self.texts[letter] = texts if is_day else number_witnesses(texts)
            self._decided.setdefault(letter, []).append(self._evidence(letter))

    def agree(self) -> bool:
        """True where every part was read as it would be with all that the file shows."""
        return all(set(decided) == {self._evidence(letter)} for letter, decided in self._decided.items())

    def _evidence(self, letter: str) -> tuple[object, ...]:
        return (date_evidence if self._is_day[letter] else number_evidence)(self.texts[letter])


def _check_parts(
    path: Path,
    workspace: Workspace,
    wanted: FileOptions,
    today: date,
    reading: Reading,
    step: Step,
    part_bytes: int,
    known: Witnesses,
    seen: Witnesses,
) -> list[Checked]:
    """One look at all parts.

    Args:
        known: how columns are written, by what is known of the file; ``seen`` is added to, and may be the same.
    """
    parts = read_in_parts(path, part_bytes)
    first = next(parts)
    kinds = dict.fromkeys(first.cells.columns, "text")
    grid = Grid(str(path), "", first.cells, kinds, first.lines, ragged=first.ragged, usual_width=first.usual_width)
    [(table, matches, remarks, *_)], _ = match_tables(
        [find_table(grid, wanted.heading_row, first.last)], workspace, wanted, str(path)
    )
    matched = _one_at_a_time(path, table, matches)
    record = matched.record
    reading.require(record.name)
    state = SystemState(workspace.description, reading.read)
    kept: list[Rows] = []
    put_aside: list[range | pl.Series] = []
    told: set[tuple[object, ...]] = set()
    repeated: list[FindingGroup] = []
    left_out: list[str] = []
    number = 0

    def understood() -> Iterator[Rows]:
        last: int | None = None
        for piece in _tables(table, parts, left_out):
            seen.look(piece, matched)
            rows = understand(piece, matched, workspace.conventions, today, known.texts)
            yield rows.with_findings(second_tables(rows, workspace.description.records.values(), last))
            last = piece.last_row or last

    with ExitStack() as closing:
        spool: Spool | None = None
        # The next part is read and understood while this one is checked.
        for rows in one_ahead(understood()):
            number += 1
            step(f"checking part {number}")
            rows, new = _readied(rows, state, workspace)
            repeated += find_repeated(rows, state, lambda new=new: new)  # type: ignore[misc]
            rows = check_rows(rows, state, INSIDE)
            rows = rows.with_findings(check_below_cost(rows, state, workspace.prices))
            rows = replace(rows, findings=_drop_told(rows.findings, told))
            slim = _slim(rows)
            if number == 1 and (by := _together_by(slim)):
                files = max(-(-path.stat().st_size // FILE), 1)
                spool = closing.enter_context(Spool(workspace.hidden, by, files))
            if spool is not None:
                spool.add(slim.values)
                put_aside.append(_compact(slim.values[ROW]))
                slim = replace(slim, values=slim.values.select(ROW).clear())
                slim = replace(slim, table=replace(slim.table, cells=slim.values))
            kept.append(slim)
        step("looking at all rows together")
        whole = _join_parts(kept)
        del kept
        caused: list[Checked] = []
        said: list[str] = []
        if spool is not None:
            whole, caused, said = _looked_at_together(whole, spool, state, today)
            whole = _as_cells(whole, pl.concat(_in_full(each) for each in put_aside).to_frame())
        elif whole.has_key:
            whole = _across(whole, state)
    whole = whole.with_findings(repeated)
    return [*caused, Checked(whole, (*table.remarks, *left_out, *remarks, *said, f"checked in {number} parts"))]


def _compact(rows: pl.Series) -> range | pl.Series:
    """Numbers of rows, in short where none is missing between the first and the last."""
    first, last = rows.min(), rows.max()
    if isinstance(first, int) and isinstance(last, int) and last - first + 1 == len(rows):
        return range(first, last + 1)
    return rows


def _in_full(rows: range | pl.Series) -> pl.Series:
    if isinstance(rows, pl.Series):
        return rows
    return pl.int_range(rows.start, rows.stop, dtype=pl.UInt32, eager=True).alias(ROW)


def _readied(rows: Rows, state: SystemState, workspace: Workspace) -> tuple[Rows, pl.Series]:
    """A part's rows ready for the checks, as :func:`kotrel.core.resolving.ready_rows.ready_rows` makes them,
    and which are new.
    """
    record, conventions = rows.record, workspace.conventions
    sets = [each for each in workspace.description.defaults.values() if each.record == record.name and each.where]
    rows = repair(rows, state, conventions.spellings)
    rows = filled_keys(rows, state, sets, conventions)
    new = is_new(rows, state)
    return filled_rows(rows, state, lambda: new, sets, conventions), new


def _together_by(slim: Rows) -> list[str]:
    """The fields of rows that are looked at together, where those with other values there have nothing to do with each
    other.

    Nothing for records whose rows are all to be compared with all: those that are kept in memory.
    """
    record = slim.record
    if len(record.key) < 2 or not slim.has_key:
        return []
    if (
        record.circles
        or record.unique_together
        or any(name in slim.fields for fields in record.unique_groups().values() for name in fields)
    ):
        return []
    last = record.period[0] if record.period else record.key[-1]
    return [name for name in record.key if name != last]


def _open_rows(values: pl.DataFrame, last: str) -> int:
    """Rows whose last day is blank."""
    return values[last].null_count() if last in values.columns else values.height


def _looked_at_together(
    whole: Rows, spool: Spool, state: SystemState, today: date
) -> tuple[Rows, list[Checked], list[str]]:
    """The rows with what is found among those that belong together, rows that no sheet has, and remarks."""
    parts: list[Rows] = []
    ended: list[Consequence] = []
    rows_end = 0
    bare = replace(whole, findings=(), repairs=())
    for rows, consequences, end in few_ahead(
        lambda values: _file_checked(bare, values, state, today), spool.together()
    ):
        parts.append(rows)
        ended += consequences
        rows_end += end
    whole = _join_parts([whole, *parts]) if parts else whole
    said = [f"{count(rows_end, 'row ends', 'rows end')} where another begins or ended"] if rows_end else []
    if not ended or any(True for _ in concerns_sheet(whole.findings)):
        return whole, [], said
    return whole, _rows_of_no_sheet(ended, whole, state), said


def _file_checked(
    bare: Rows, values: pl.DataFrame, state: SystemState, today: date
) -> tuple[Rows, tuple[Consequence, ...], int]:
    """What is found among rows that belong together, the rows of no sheet, and how many rows got an end."""
    state = state.with_own_answers()
    rows = _as_cells(replace(bare, few=Few()), values.sort(ROW))
    before = rows.values
    new = is_new(rows, state)
    rows = rows.with_findings(find_doubtful_codes(rows, state, lambda: new, ()))
    if rows.record.period is not None and (first := rows.record.period[0]) not in rows.sources:
        rows = replace(rows, defaulted=(Defaulted(first, "", "system", rows.values[ROW]),))
    rows, consequences, _ = follow_periods(rows, state, lambda: new, today=today)
    end = 0
    if rows.record.period is not None:
        last = rows.record.period[1]
        end = _open_rows(before, last) - _open_rows(rows.values, last)
    rows = check_rows(rows, state, ACROSS)
    return _as_cells(rows, rows.values.select(ROW).clear()), consequences, end


def _rows_of_no_sheet(ended: Sequence[Consequence], whole: Rows, state: SystemState) -> list[Checked]:
    """The rows that no sheet has, of all its pieces together, without those whose cause was refused."""
    made: list[Checked] = []
    for kind in dict.fromkeys(each.kind for each in ended):
        mine = [each for each in ended if each.kind == kind]
        rows = replace(mine[0].rows, values=pl.concat([each.rows.values for each in mine], how="diagonal").sort(ROW))
        causes = pl.concat([each.causes for each in mine])
        good = causes[ROW].filter(~causes[ROW].is_in(whole.refused.implode()))
        one = Consequence(kind, replace(rows, table=replace(rows.table, cells=rows.values.select(ROW))), causes)
        left = one.caused_by(good, check_rows(one.rows, state))
        if left.values.height:
            made.append(Checked(left, consequence=kind))
    return made


def _across(whole: Rows, state: SystemState) -> Rows:
    """Rows that are in memory, compared with each other."""
    new = partial(is_new, whole, state)
    whole = whole.with_findings(find_doubtful_codes(whole, state, new, ()))
    for check in ACROSS:
        # One after the other: each needs about as much memory as all the keys.
        whole = check_rows(whole, state, (check,))
    return with_dependents(whole, state)


def _one_at_a_time(path: Path, table: Table, matches: Sequence[Matched]) -> Matched:
    """The mapping, if it can be applied part by part; nothing is left unchecked silently."""
    if matches[0].record.is_posted:
        raise WrongUse(
            f"{path} has documents, which are checked as wholes, and is so large that it is checked in parts",
            "Split the file between two documents.",
            "too-large-for-documents",
        )
    numbered = any(source.make and counts_up(source.make) for source in matches[0].sources.values())
    if len(matches) > 1 or numbered or table.looked_up:
        what = (
            "makes several records from one sheet"
            if len(matches) > 1
            else "numbers codes across all rows"
            if numbered
            else "looks values up in another table"
        )
        raise WrongUse(
            f"the saved mapping {what}, and {path} is so large that it is checked in parts",
            "Split the file, or check it with a mapping for one record that makes no codes and looks nothing up.",
            "too-large-for-mapping",
        )
    return matches[0]


def _tables(first: Table, parts: Iterable[TextPart], remarks: list[str]) -> Iterator[Table]:
    """The first table and, in its shape, those of the other parts; what of them is no data is a remark."""
    headings = [[column.raw for column in first.columns], [column.lower for column in first.columns]]
    yield first
    letters = [column.letter for column in first.columns]
    for part in parts:
        cells = part.cells.select(letters).insert_column(0, part.lines)
        full = ~cells.select(pl.all_horizontal(pl.col(letters).is_null())).to_series()
        cells = cells.filter(full)
        data = is_data(cells.select(letters), cells[ROW], headings, remarks, part.last, begins=False)
        yield replace(
            first,
            cells=cells if data is None else cells.filter(data),
            kinds=dict.fromkeys(letters, "text"),
            ragged=part.ragged,
            swallowed=part.swallowed,
            unquoted="",
        )


def _drop_told(groups: Sequence[FindingGroup], told: set[tuple[object, ...]]) -> tuple[FindingGroup, ...]:
    """Without what was told already of an earlier part about the sheet as a whole; what is new is added to ``told``."""
    left: list[FindingGroup] = []
    for group in groups:
        of_sheet = (group.cells[ROW] == 0).all()
        this = (group.kind, group.letter, *group.cells["message"].head(1))
        if not of_sheet or this not in told:
            left.append(group)
        if of_sheet:
            told.add(this)
    return tuple(left)


def _slim(rows: Rows) -> Rows:
    """Rows with only the fields that are compared across all parts."""
    record = rows.record
    groups = (*record.unique_groups().values(), *record.unique_together, *record.circles)
    across = {*record.key, *(record.period or ()), *(name for group in groups for name in group)}
    across |= {field.name for field in record.references if field.to == record.name}
    names = [name for name in rows.fields if name in across]
    names += [clearing(name) for name in rows.cleared if name in across]
    # What is known of the columns by their distinct values would keep all columns of the part. Which rows a default
    # filled is shown by a preview, and such a file is only checked.
    return replace(
        rows,
        table=replace(rows.table, cells=rows.table.cells.select(ROW)),
        values=rows.values.select(ROW, *names),
        defaulted=(),
        few=Few(),
    )


def _join_parts(parts: Sequence[Rows]) -> Rows:
    """All parts as one, with findings and repairs of the same kind joined."""
    groups: dict[tuple[object, ...], list[FindingGroup]] = {}
    repairs: dict[tuple[object, ...], list[RepairGroup]] = {}
    for part in parts:
        for group in part.findings:
            groups.setdefault((group.severity, group.kind, group.title, group.field, group.letter), []).append(group)
        for each in part.repairs:
            repairs.setdefault((each.kind, each.title, each.field), []).append(each)
    first = parts[0]
    whole = replace(
        first,
        findings=tuple(replace(same[0], cells=pl.concat([each.cells for each in same])) for same in groups.values()),
        repairs=tuple(replace(same[0], cells=pl.concat([each.cells for each in same])) for same in repairs.values()),
    )
    return _as_cells(whole, pl.concat([part.values for part in parts], how="diagonal"))


def _as_cells(rows: Rows, values: pl.DataFrame) -> Rows:
    """Rows with other values, which are used as the cells too:
    a second copy of all keys would take as much memory again.
    """
    letters = {name: letter for name, letter in rows.letters.items() if name in values.columns}
    return replace(rows, table=replace(rows.table, cells=values.rename(letters), unquoted=""), values=values)
