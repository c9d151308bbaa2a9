"""Connecting to a database server: a few attempts, and why there is no connection,
in the same words for every kind of server.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

from kotrel.core.errors import OutOfReach

PAUSES = (0.5, 1.5)
"""Seconds between attempts to connect; as long as nothing has been sent, trying again does no harm."""

Connection = TypeVar("Connection")


def connected_patiently(
    connect: Callable[[], Connection], errors: tuple[type[Exception], ...], why: Callable[[Exception], OutOfReach]
) -> Connection:
    """An open connection; a server that does not answer is tried a few times.

    Args:
        errors: what ``connect`` raises where there is no connection; ``why`` is what that means.

    Raises:
        OutOfReach: there is none.
    """
    for pause in (*PAUSES, None):
        try:
            return connect()
        except errors as error:
            clear = why(error)
            if pause is None or clear.kind != "system-down":
                raise clear from None
            time.sleep(pause)
    raise AssertionError


def user_refused(name: str) -> OutOfReach:
    return OutOfReach(
        f"{name} refuses the user or the password",
        "Set KOTREL_PASSWORD, and check the user in kotrel.toml.",
        "password-refused",
    )


def no_database(name: str, words: str) -> OutOfReach:
    return OutOfReach(f"{name}: {words}", "Check url under [system] in kotrel.toml.", "no-database")


def not_reached(name: str, words: str) -> OutOfReach:
    return OutOfReach(
        f"{name} cannot be reached",
        f"Check that the server is running and the address is right. It said: {words[:200]}",
        "system-down",
    )
