"""Names of months and weekdays, whole or cut short, in the languages of the sheets that people send each other."""

from __future__ import annotations

import unicodedata

_MONTHS = (
    "january januar janvier enero gennaio januari janeiro styczen stycznia jan janner",
    "february februar fevrier febrero febbraio februari fevereiro luty lutego",
    "march marz mars marzo maart marco marzec marca marts",
    "april avril abril aprile kwiecien kwietnia",
    "may mai mayo maggio mei maio maj maja",
    "june juni juin junio giugno junho czerwiec czerwca",
    "july juli juillet julio luglio julho lipiec lipca",
    "august aout agosto augustus augusti sierpien sierpnia",
    "september septembre septiembre settembre setembro wrzesien wrzesnia",
    "october oktober octobre octubre ottobre outubro pazdziernik pazdziernika",
    "november novembre noviembre novembro listopad listopada",
    "december dezember decembre diciembre dicembre dezembro grudzien grudnia desember",
)
_WEEKDAYS = [
    "monday",
    "tuesday",
    "wednesday",
    "thursday",
    "friday",
    "saturday",
    "sunday",
    "montag",
    "dienstag",
    "mittwoch",
    "donnerstag",
    "freitag",
    "samstag",
    "sonnabend",
    "sonntag",
    "lundi",
    "mardi",
    "mercredi",
    "jeudi",
    "vendredi",
    "samedi",
    "dimanche",
    "lunes",
    "martes",
    "miercoles",
    "jueves",
    "viernes",
    "sabado",
    "domingo",
    "lunedi",
    "martedi",
    "mercoledi",
    "giovedi",
    "venerdi",
    "sabato",
    "domenica",
    "maandag",
    "dinsdag",
    "woensdag",
    "donderdag",
    "vrijdag",
    "zaterdag",
    "zondag",
    "poniedzialek",
    "wtorek",
    "sroda",
    "czwartek",
    "piatek",
    "sobota",
    "niedziela",
    "mandag",
    "tisdag",
    "onsdag",
    "torsdag",
    "fredag",
    "lordag",
    "sondag",
    "tirsdag",
    "mon",
    "tue",
    "tues",
    "wed",
    "weds",
    "thu",
    "thur",
    "thurs",
    "fri",
    "sat",
    "sun",
    "mo",
    "di",
    "mi",
    "do",
    "fr",
    "sa",
    "so",
]
SHORTEST = 3
"""Letters that a month's name cut short must have."""


def plain_letters(text: str) -> str:
    """Small letters without accents."""
    text = text.casefold().replace("ł", "l").replace("ø", "o")
    return "".join(each for each in unicodedata.normalize("NFD", text) if not unicodedata.combining(each))


def _by_name() -> dict[str, int]:
    """Every name, and every beginning of one that means a single month, → its number."""
    meant: dict[str, set[int]] = {}
    for number, names in enumerate(_MONTHS, start=1):
        for name in names.split():
            for end in range(SHORTEST, len(name) + 1):
                meant.setdefault(name[:end], set()).add(number)
    whole = {name: number for number, names in enumerate(_MONTHS, start=1) for name in names.split()}
    return {name: next(iter(numbers)) for name, numbers in meant.items() if len(numbers) == 1} | whole


_MONTH = _by_name()


def month_of(name: str) -> int | None:
    """The number of a month by its name, or by a beginning of it that no other month has; None for any other word."""
    return _MONTH.get(plain_letters(name))


def is_weekday(name: str) -> bool:
    """True for the name of a weekday, whole or cut short to three letters or more."""
    word = plain_letters(name)
    return word in _WEEKDAYS or (len(word) >= SHORTEST and any(each.startswith(word) for each in _WEEKDAYS))
