"""What variances look like: goods in another bin, counted in another unit, or two codes mixed up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal

from msgspec.structs import replace

from kotrel.core.counting.variance import CountLine


def _is_off_by(line: CountLine, factor: Decimal) -> bool:
    """Whether what is counted is what is expected in another unit, of which one is ``factor``."""
    if not line.expected or not line.counted:
        return False
    return line.counted * factor == line.expected or line.expected * factor == line.counted


def suspected(
    lines: Sequence[CountLine],
    factors: Mapping[str, Sequence[tuple[str, Decimal]]],
    steady: Mapping[int, Decimal] | None = None,
) -> list[CountLine]:
    """The lines with what their variances look like: goods in another bin, or counted in another unit.

    Args:
        factors: item → its other units and how many base units are in one.
        steady: number of a place near them that was counted as expected → that quantity.
    """
    # A serial number that has moved is explained.
    off = [line for line in lines if line.counted is not None and line.variance and not line.remarks]
    said = [
        *((line, f"the opposite difference is in {place}: in the wrong bin?") for line, place in _opposites(off)),
        *(
            (line, f"counted in {unit} instead of {line.place.unit}, or the other way round?")
            for line in off
            for unit, factor in factors.get(line.place.item, ())
            if _is_off_by(line, factor)
        ),
        *((line, f"{other.place.item} has the opposite difference: mixed up?") for line, other in _mixed_up(off)),
        *(
            (line, f"it fits the line {where}, as the counts around it do: did they slip by a line?")
            for line, where in _slipped(off, steady or {})
        ),
    ]
    remarks: dict[int, tuple[str, ...]] = {}
    for line, words in said:
        number = line.place.number
        remarks[number] = (*remarks.get(number, line.remarks), words)
    return [replace(line, remarks=remarks.get(line.place.number, line.remarks)) for line in lines]


def _opposites(off: Sequence[CountLine]) -> list[tuple[CountLine, str]]:
    """Lines with the place where the same item is off by the opposite."""
    # Every line looks up its opposites: comparing all with all would take hours where a whole warehouse is off.
    by_variance: dict[tuple[str, Decimal], CountLine] = {}
    for line in off:
        by_variance.setdefault((line.place.item, line.variance), line)
    found = []
    for line in off:
        other = by_variance.get((line.place.item, -line.variance))
        if other is not None:
            where = other.place
            found.append((line, " ".join(filter(None, (where.warehouse, where.bin, where.lot, where.serial)))))
    return found


_SLIPPED = 5
"""Lines, one below the other, that have the quantity of the line above or below; fewer do so by chance."""
_DIFFERENT = 4
"""Quantities that must differ among them."""


def _slipped(off: Sequence[CountLine], steady: Mapping[int, Decimal]) -> list[tuple[CountLine, str]]:
    """Lines with what is expected at the line ``above`` or ``below``, as the lines around them.

    Places are numbered in the order of the count sheets.

    Args:
        steady: number of a place that was counted as expected → that quantity. Where two lines have the same, the second
            is right although all have slipped.
    """
    by_number = {line.place.number: line for line in off}
    counted = {number: line.counted for number, line in by_number.items()} | dict(steady)
    expected = {number: line.expected for number, line in by_number.items()} | dict(steady)
    found: list[tuple[CountLine, str]] = []
    for step, where in ((-1, "above"), (1, "below")):
        run: list[int] = []
        for number in sorted(counted):
            fits = counted[number] == expected.get(number + step)
            if run and not (fits and number == run[-1] + 1):
                found += _proved(run, by_number, where)
                run = []
            run += [number] if fits else []
        found += _proved(run, by_number, where)
    return found


def _proved(run: Sequence[int], off: Mapping[int, CountLine], where: str) -> list[tuple[CountLine, str]]:
    """The lines of a run that are off; none where they are too few to prove anything."""
    lines = [off[number] for number in run if number in off]
    enough = len(lines) >= _SLIPPED and len({line.counted for line in lines}) >= _DIFFERENT
    return [(line, where) for line in lines] if enough else []


def _neighbours_swapped(code: str) -> list[str]:
    return [code[:n] + code[n + 1] + code[n] + code[n + 2 :] for n in range(len(code) - 1) if code[n] != code[n + 1]]


def _mixed_up(off: Sequence[CountLine]) -> list[tuple[CountLine, CountLine]]:
    """Lines with another of the opposite variance in the same warehouse whose code looks alike.

    Two codes look alike if they are of one length and differ in one character, or in two neighbours that changed
    places. They are looked up by what is left of them without one character.
    """
    # By far the most have no line that is off by the opposite.
    there = {(line.place.warehouse, line.variance) for line in off}
    off = [line for line in off if (line.place.warehouse, -line.variance) in there]
    order = {line.place.number: number for number, line in enumerate(off)}
    known: dict[tuple[str | None, Decimal, str], list[CountLine]] = {}
    for line in off:
        code = line.place.item
        for form in (code, *_without_one(code)):
            mine = known.setdefault((line.place.warehouse, line.variance, form), [])
            if len(mine) < 2 and all(each.place.item != code for each in mine):
                mine.append(line)
    pairs = []
    for line in off:
        code, where, wanted = line.place.item, line.place.warehouse, -line.variance
        alike = [
            other
            for form in (*_without_one(code), *_neighbours_swapped(code))
            for other in known.get((where, wanted, form), ())
            if other.place.item != code
        ]
        if alike:
            pairs.append((line, min(alike, key=lambda each: order[each.place.number])))
    return pairs


def _without_one(code: str) -> list[str]:
    """A code with one character after the other left open; no code has a NUL."""
    return [f"{code[:n]}\0{code[n + 1 :]}" for n in range(len(code))]
