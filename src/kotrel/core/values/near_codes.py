"""Codes that a person would take for the same: other capitals, separators, zeros, look-alike characters, slips."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

import polars as pl

from kotrel.core.parallel import WORTH_THREADS, map_parallel
from kotrel.core.similarity import slips_between
from kotrel.core.values.same_writing import usual_codes


def common_start(values: pl.Series) -> str:
    """What all the values begin with, such as ``ITM-``: the first and the last in order say so for all between."""
    first, last = values.min(), values.max()
    if not isinstance(first, str) or not isinstance(last, str):
        return ""
    differ = next((place for place, (one, other) in enumerate(zip(first, last, strict=False)) if one != other), None)
    return first[:differ]


_SEPARATORS = r"[\s\-_./\\,:;'\"`*+|()\[\]]+"
_LONGEST = 60
"""Characters of a code of which all slips are tried; longer ones are compared with those of their length."""
_SAFE_WORD = 4
"""Letters that a run needs before one that differs is a slip: sizes and colours (``XL``, ``RED``) are shorter."""


_ODD = r"[^ -~]"
_UNLIKE = "-_./\\,:;'\"`*+|()[]01OILoil" + "".join(map(chr, filter(lambda at: chr(at).isspace(), range(0x3001))))
"""The characters in which codes that look alike may differ: separators, zeros, letters like digits."""


def may_be_near(codes: pl.Series, others: pl.Series, are_plain: bool) -> pl.Series:
    """Boolean for each code: false where it surely has no form in common with any of the others.

    Without the characters in which they may differ, codes with a common form are the same. Their first letter rules out
    most of a million in a tenth of the time of their forms.

    Args:
        are_plain: the codes are known to be plain ASCII.
    """
    others = usual_codes(others)
    letters = _first_letter(others).unique()
    start = common_start(codes).lstrip(_UNLIKE) if are_plain else ""
    if start and start[0].upper() not in letters:
        return pl.Series([False]).new_from_index(0, len(codes))
    # Codes that all begin with one letter need not be asked for it.
    likely = pl.Series([True]).new_from_index(0, len(codes)) if start else _first_letter(codes).is_in(letters.implode())
    if likely.any():
        kept = _letters_left(codes.filter(likely)).is_in(_letters_left(others).unique().implode())
        likely = likely.scatter(likely.arg_true(), kept)
    return (likely if are_plain else likely | codes.str.contains(_ODD)).fill_null(False)


def _first_letter(codes: pl.Series) -> pl.Series:
    return codes.str.strip_chars_start(_UNLIKE).str.slice(0, 1).str.to_uppercase()


def _letters_left(codes: pl.Series) -> pl.Series:
    def left(part: pl.Series) -> pl.Series:
        return part.str.replace_all(f"[{re.escape(_UNLIKE)}]+", "").str.to_uppercase()

    pieces = [codes.slice(start, WORTH_THREADS) for start in range(0, len(codes), WORTH_THREADS)]
    return pl.concat(map_parallel(left, pieces, len(codes))) if len(pieces) > 1 else left(codes)


def near_form(codes: pl.Series) -> pl.Series:
    """What codes have in common with those that look like them: ``rope_010`` and ``R0PE-10`` both give ``R0PE-10``.

    Capitals, single separators, the zeros before a number, and the letters O, I and L as digits.
    """
    codes = usual_codes(codes)
    form = pl.col("code").str.to_uppercase().str.replace_all(_SEPARATORS, "-").str.strip_chars("-")
    # An I or L beside a digit is one before zeros are looked at; a letter O is a zero only there.
    form = form.str.replace_all("([0-9])[IL]([0-9-]|$)", "${1}1${2}")
    form = form.str.replace_all("(^|-)[IL]([0-9])", "${1}1${2}")
    form = form.str.replace_all("O", "0", literal=True).str.replace_all(r"(^|[^0-9])0+([0-9])", "${1}${2}")
    # Only now: else the O of BOLT would be a zero before the number 1, and BOLT be like BLT.
    form = form.str.replace_all("[IL]", "1")
    return pl.DataFrame({"code": codes}).select(form).to_series()


_FEW_SHAPES = 2_000


def all_of_one_shape(codes: pl.Series) -> bool:
    """True where codes that are not the same surely do not look alike: each has digits where the others have, and the
    same few words.

    Most columns are so, and a look at their shape takes a tenth of the time of all their forms.
    """
    first = codes[0]
    if not isinstance(first, str) or not first.isascii():
        return False
    kinds = ("[0-9]" if each.isdigit() else "[A-Z]" if each.isupper() else re.escape(each) for each in first)
    shape = "".join(kinds)
    if re.search("[a-z]", first) or not bool(codes.str.contains(f"^{shape}$").all()):
        return False
    if all(each.isdigit() for each in first[len(common_start(codes)) :]):
        # All begin with the same word, and have only digits behind it.
        return True
    words = codes.str.replace_all("[0-9]", "").unique()
    return len(words) <= _FEW_SHAPES and near_form(words).n_unique() == len(words)


def surely_differ(codes: pl.Series) -> bool:
    """Whether no two of the codes are the same, written in another way or not: known without their forms in most columns.

    Of very many codes, this takes a quarter of the time of their forms; a true answer is sure, a false one is not.
    """
    if codes.hash().n_unique() < len(codes):
        return False
    start = common_start(codes)
    if start.isascii() and bool(codes.str.contains(f"^{re.escape(start)}[0-9]+$").all()):
        return True
    if codes.str.contains(_ODD).any():
        return False
    bare = codes.str.replace_all("[^A-Za-z0-9]+", "").str.to_uppercase()
    return bare.hash().n_unique() == len(codes)


def bare_form(codes: pl.Series) -> pl.Series:
    """Codes without separators and without the zeros before a number, in capitals:
    ``CLO-00140`` and ``CLO00140`` agree.
    """
    form = pl.col("code").str.to_uppercase().str.replace_all(_SEPARATORS, "")
    return pl.DataFrame({"code": codes}).select(form.str.replace_all("(^|[^0-9])0+([0-9])", "${1}${2}")).to_series()


def same_places(one: str, other: str) -> bool:
    """True where one form has all the separators that the other has:
    ``A-12`` and ``A12``, not ``1-12`` and ``11-2``.
    """
    first, second = _places(one), _places(other)
    return first <= second or second <= first


def _places(form: str) -> set[int]:
    places, at = set(), 0
    for letter in form:
        if letter == "-":
            places.add(at)
        else:
            at += 1
    return places


class OneEditAway:
    """Finds known codes that differ from a code by one letter more, less or other, or by two neighbours exchanged.

    All that it may be is looked up: among a million known codes that is far less than comparing with each.
    """

    def __init__(self, known: Iterable[str]) -> None:
        self._known = frozenset(known)
        self._letters = sorted(set().union(*self._known))

    def of(self, code: str) -> list[str]:
        if len(code) > _LONGEST:
            alike = (each for each in self._known if abs(len(each) - len(code)) < 2)
            return sorted(each for each in alike if slips_between(code, each, 1) == 1)
        return sorted({other for other in self._edited(code) if other in self._known} - {code})

    def _edited(self, code: str) -> Iterator[str]:
        for place in range(len(code) + 1):
            start, end = code[:place], code[place:]
            for letter in self._letters:
                yield start + letter + end
                yield start + letter + end[1:]
            if end:
                yield start + end[1:]
                yield start + end[1:2] + end[0] + end[2:]


def is_slip(code: str, held: str) -> bool:
    """True where the codes, one edit apart, differ inside a word of four letters or more:
    ``KELDRFIT``, ``KELDRIFT``.
    """
    one, other = code.upper(), held.upper()
    start = next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    for text in (one, other):
        run = next((it for it in re.finditer(r"[^\W\d_]+", text) if it.start() <= start <= it.end()), None)
        if run is None or len(run[0]) < _SAFE_WORD:
            return False
    return True


def is_cut_off(code: str, held: str) -> bool:
    """True where the code is another's beginning, cut within a word or a number."""
    if len(code) < _SAFE_WORD or len(held) <= len(code) or not held.startswith(code):
        return False
    last, following = code[-1], held[len(code)]
    return (last.isalpha() and following.isalpha()) or (last.isdigit() and following.isdigit())
