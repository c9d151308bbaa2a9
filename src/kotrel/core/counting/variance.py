"""What was counted against what the system expected, and what is to be posted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.counting.tolerances import Tolerance
from kotrel.core.phrases import plain_number
from kotrel.core.stock.sums import half_away

ZERO = Decimal(0)


class CountEntry(Struct, frozen=True):
    """One counted line.

    Attributes:
        round: 0 for the first count, 1 for the first recount, and so on; a correction by hand comes after all rounds.
        counted: in the base unit.
        at: when it was counted, canonical text, or None.
        where: the file and the row it stands in.
    """

    place: int
    round: int
    counted: Decimal
    counter: str
    at: str | None
    where: str
    remark: str = ""


class CountPlace(Struct, frozen=True):
    """A frozen place, with its number."""

    number: int
    item: str
    warehouse: str | None
    bin: str | None
    lot: str | None
    serial: str | None
    expected: Decimal
    cost: Decimal
    unit: str
    description: str
    category: str = ""
    find: bool = False

    @property
    def key(self) -> tuple[str, str | None, str | None, str | None, str | None]:
        return self.item, self.warehouse, self.bin, self.lot, self.serial


class CountLine(Struct, frozen=True):
    """One place after counting.

    Attributes:
        expected: what the system held when it was counted.
        counted: None where it was not.
        recount: why it should be counted again, or an empty text.
        undecided: True where it cannot be posted until it is counted again.
        remarks: what is suspected.
    """

    place: CountPlace
    expected: Decimal
    counted: Decimal | None
    entries: tuple[CountEntry, ...] = ()
    recount: str = ""
    undecided: bool = False
    remarks: tuple[str, ...] = ()

    @property
    def variance(self) -> Decimal:
        return ZERO if self.counted is None else self.counted - self.expected

    @property
    def value(self) -> Decimal:
        """The variance at cost, two decimals."""
        variance = self.variance
        return half_away(variance * self.place.cost, 2) if variance else ZERO

    @property
    def percent(self) -> Decimal | None:
        """The variance in per cent of what was expected; None where nothing was."""
        return half_away(self.variance * 100 / self.expected, 1) if self.expected else None

    def within(self, tolerance: Tolerance) -> bool:
        """True where the line is within tolerance; what was found where nothing was expected never is."""
        off = abs(self.variance)
        if not off:
            return True
        if not self.expected:
            return False
        tolerance = tolerance.of(self.place.item)
        by_percent = tolerance.percent and off * 100 <= abs(self.expected) * tolerance.percent
        by_value = tolerance.value and abs(self.value) <= tolerance.value
        return bool(off <= tolerance.quantity or by_percent or by_value)


class Totals(Struct, frozen=True):
    """Net and gross variance at cost, and accuracy in per cent: lines within tolerance ÷ lines counted;
    None without any.
    """

    net: Decimal
    gross: Decimal
    accuracy: Decimal | None
    counted: int
    not_counted: int


Key = tuple[str, str | None, str | None, str | None, str | None]


class Movements(Struct, frozen=True):
    """What happened to places since the freeze.

    Attributes:
        now: what each place holds now, in the ledger.
        since: place → (moment, quantity) of what moved after the freeze; what other counts corrected is no movement.
        known: False where the system does not say when goods moved: then what was frozen is all that is known.
    """

    now: Mapping[Key, Decimal]
    since: Mapping[Key, Sequence[tuple[str, Decimal]]]
    known: bool = True

    def is_shifted(self, key: Key, trading: bool) -> bool:
        """Whether it matters when a place was counted: with trading stopped, not where as much came as went."""
        moves = self.since.get(key, ())
        return bool(moves) and (trading or sum((quantity for _, quantity in moves), ZERO) != 0)

    def within(self, key: Key, first: str, last: str) -> bool:
        """True where something moved there between two moments, both included."""
        return any(first <= at <= last for at, _ in self.since.get(key, ()))

    def held_at(self, key: Key, moment: str) -> Decimal:
        """What a place held at a moment after the freeze: what it holds now, less what has moved since."""
        later = (quantity for at, quantity in self.since.get(key, ()) if at > moment)
        return self.now.get(key, ZERO) - sum(later, ZERO)


MOVED_WHILE_STOPPED = "stock moved here although trading is stopped"
"""Why to count a line again that is right only if the goods moved after it was counted."""
NOTHING_MOVED = Movements({}, {}, known=False)


def lines_of(
    places: Sequence[CountPlace],
    entries: Sequence[CountEntry],
    trading: bool,
    moved: Movements,
    second: str,
    tolerance: Tolerance,
) -> list[CountLine]:
    """Every place with what was counted there, the last round counting.

    Args:
        second: what to do where two entries of one round are for one place: ``recount``, ``add`` or ``error``.
    """
    by_place: dict[int, list[CountEntry]] = {}
    for entry in entries:
        by_place.setdefault(entry.place, []).append(entry)
    lines: list[CountLine] = []
    for place in places:
        mine = by_place.get(place.number, [])
        if len(mine) > 1:
            last = max(each.round for each in mine)
            mine = [each for each in mine if each.round == last]
        lines.append(_line(place, mine, trading, moved, second))
    return [_advised(line, tolerance) for line in lines]


def _line(place: CountPlace, entries: Sequence[CountEntry], trading: bool, moved: Movements, second: str) -> CountLine:
    # Where nothing moved since the freeze, it holds what was frozen, and what other counts have corrected since.
    held = moved.now.get(place.key, ZERO) if moved.known else place.expected
    if not entries:
        return CountLine(place, held, None)
    shifted = moved.is_shifted(place.key, trading)
    if len(entries) == 1 and not shifted:
        # By far the most: counted once, at a place where nothing has moved.
        return CountLine(place, held, entries[0].counted, tuple(entries))
    counted = sum((each.counted for each in entries), ZERO)
    line = CountLine(place, held, counted, tuple(entries))
    if len(entries) > 1 and second != "add":
        by = " and ".join(f"{each.counter or each.where} {plain_number(each.counted)}" for each in entries)
        return replace(line, counted=entries[-1].counted, recount=f"counted twice: {by}", undecided=True)
    return _when_counted(line, trading, moved) if shifted else line


def _when_counted(line: CountLine, trading: bool, moved: Movements) -> CountLine:
    """A line with what was expected when it was counted; undecided where movements make that uncertain."""
    key, times = line.place.key, [each.at for each in line.entries]
    if None in times and trading:
        said = "stock moved here since the freeze, and the sheet does not say when it was counted"
        return replace(line, recount=said, undecided=True)
    if None in times:
        # Whoever says that trading is stopped says that goods moved only after they were counted.
        return replace(line, expected=moved.held_at(key, ""), recount=MOVED_WHILE_STOPPED)
    first, last = min(map(str, times)), max(map(str, times))
    if any(moved.within(key, str(at), _end_of(str(at))) for at in times):
        return replace(line, recount="stock moved while it was being counted", undecided=True)
    expected = moved.held_at(key, last)
    if first != last and moved.held_at(key, first) != expected:
        return replace(line, recount="stock moved between the counts that are added up", undecided=True)
    return replace(line, expected=expected)


def _end_of(at: str) -> str:
    """The end of the minute or second that a time says: 14:30 is any moment of that minute."""
    if len(at) > len("2027-01-09 14:30:00"):
        return at
    return f"{at[:16]}:59.999999" if at.endswith(":00") else f"{at}.999999"


def _advised(line: CountLine, tolerance: Tolerance) -> CountLine:
    if line.counted is None or line.counted == line.expected or line.recount or line.within(tolerance):
        return line
    first = all(entry.round == 0 for entry in line.entries)
    return replace(line, recount="out of tolerance") if first else line


def with_serials(lines: Sequence[CountLine], elsewhere: Mapping[tuple[str, str], str]) -> list[CountLine]:
    """The lines, each serial number at one place: one that was found in another bin of the count has moved there.

    The place that it has left counts as empty, if nobody counted it. A serial number that was counted at two places, or
    that the system has at a place outside the count, is undecided: a person has to look.

    Args:
        elsewhere: item and serial number → the place outside the count where the system has it.
    """
    by_place: dict[tuple[str, str], list[CountLine]] = {}
    left: dict[tuple[str, str], CountLine] = {}
    for line in lines:
        if line.place.serial is None:
            continue
        one = (line.place.item, line.place.serial)
        if line.counted:
            by_place.setdefault(one, []).append(line)
        elif line.expected:
            left[one] = line
    done: list[CountLine] = []
    for line in lines:
        if line.place.serial is None:
            done.append(line)
            continue
        one = (line.place.item, line.place.serial)
        there = by_place.get(one, [])
        if line.counted:
            done.append(_found_serial(line, there, left.get(one), elsewhere.get(one)))
        elif len(there) == 1 and line.expected:
            remark = f"moved to {warehouse_and_bin(there[0].place)}"
            done.append(replace(line, counted=ZERO, recount="", remarks=(*line.remarks, remark)))
        else:
            done.append(line)
    return done


def _found_serial(
    line: CountLine, same_serial: Sequence[CountLine], former: CountLine | None, outside: str | None
) -> CountLine:
    """A line on which a serial number was found.

    Args:
        same_serial: all lines on which it was; ``former``: where it was expected; ``outside``: where the system has it.
    """
    if len(same_serial) > 1:
        places = " and ".join(warehouse_and_bin(other.place) for other in same_serial if other is not line)
        return replace(line, recount=f"the serial number was also counted in {places}", undecided=True)
    if line.expected:
        return line
    if former is not None:
        remark = f"moved from {warehouse_and_bin(former.place)}"
        line = replace(line, recount="", remarks=(*line.remarks, remark))
    if outside is not None:
        said = f"the system has this serial number in {outside}: look again. kotrel count set confirms that it is here"
        line = replace(line, recount=said, undecided=True)
    return line


def warehouse_and_bin(place: CountPlace) -> str:
    """``SHED S-01``: where a place is, without its lot."""
    return " ".join(filter(None, (place.warehouse, place.bin)))


def totals_of(lines: Sequence[CountLine], tolerance: Tolerance, quiet: int = 0, left: int = 0) -> Totals:
    """Net with sign and gross without, at cost; accuracy of the lines counted.

    Args:
        quiet: so many lines more were counted as expected, and ``left`` were not counted.
    """
    counted = [line for line in lines if line.counted is not None and not line.undecided]
    values = [line.value for line in counted if line.variance]
    net, gross = sum(values, ZERO), sum(map(abs, values), ZERO)
    within = sum(1 for line in counted if line.within(tolerance)) + quiet
    whole = len(counted) + quiet
    accuracy = half_away(Decimal(within * 100) / whole, 1) if whole else None
    open_lines = sum(1 for line in lines if line.counted is None) + left
    return Totals(net, gross, accuracy, whole, open_lines)
