"""Characters that could act on a terminal or hide in it → marks that can be seen."""

from __future__ import annotations

import re

_ACTING = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2064\u2066-\u206f\ufeff\ufff9-\ufffb]"
)
"""Control characters but for tab and line feed; zero-width characters; those that turn the direction of writing."""


def harmless(text: str) -> str:
    """The text with visible marks for characters that would act on a terminal: ``␛`` for escape, ``‹200B›`` for others."""
    return _ACTING.sub(_mark, text) if _ACTING.search(text) else text


def _mark(found: re.Match[str]) -> str:
    code = ord(found[0])
    if code < 32:
        return chr(0x2400 + code)
    return "\u2421" if code == 127 else f"‹{code:04X}›"
