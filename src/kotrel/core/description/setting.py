"""One setting of a settings file, declared: readers take its name from here, and so does the reference."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct


class Setting(Struct, frozen=True):
    """One setting.

    Attributes:
        kind: what it may be, in words of the reference: ``text``, ``a whole number``, ``a list of headings``.
        default: what holds without it, as it would be written; an empty text where there is none.
        example: how it is written.
        meaning: what it does, in a sentence.
    """

    kind: str
    default: str
    example: str
    meaning: str


Section = Mapping[str, Setting]


def section(**settings: tuple[str, str, str, str]) -> Section:
    """A table of settings, each as (kind, default, example, meaning)."""
    return {name.rstrip("_"): Setting(*facts) for name, facts in settings.items()}
