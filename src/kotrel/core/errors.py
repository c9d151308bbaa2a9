"""Errors for users. Each has a complete message, and what to do about it."""

from __future__ import annotations


class KotrelError(Exception):
    """An error for the user: what, where, and what to do next.

    Attributes:
        kind: kebab-case name of the problem, stable, for programs that read ``--json``.
        hint: what to do next, or an empty text.
        status: the exit status of the command (1 wrong data, 2 wrong use or settings, 3 out of reach).
    """

    status = 2

    def __init__(self, message: str, hint: str = "", kind: str = "wrong-use") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.kind = kind


class WrongUse(KotrelError):
    """The command line or a settings file is wrong (exit status 2)."""

    status = 2


class WrongData(KotrelError):
    """A file can be read, but its content cannot be used at all (exit status 1)."""

    status = 1

    def __init__(self, message: str, hint: str = "", kind: str = "wrong-data") -> None:
        super().__init__(message, hint, kind)


class OutOfReach(KotrelError):
    """A file or a system cannot be reached, read or written (exit status 3)."""

    status = 3

    def __init__(self, message: str, hint: str = "", kind: str = "out-of-reach") -> None:
        super().__init__(message, hint, kind)
