"""``--log FILE``: what was done, step by step, with times. Everything in the program reports to ``logging``;
this keeps it.
"""

from __future__ import annotations

import logging
from collections.abc import Sequence
from pathlib import Path

from kotrel import __version__
from kotrel.core.errors import OutOfReach
from kotrel.screen.unexpected import without_secrets

LOG = logging.getLogger("kotrel")


class _WithoutSecrets(logging.Formatter):
    """Formats a record on one line, without the passwords of addresses."""

    def format(self, record: logging.LogRecord) -> str:
        return without_secrets(super().format(record)).replace("\n", " ")


def keep_log(file: str, words: Sequence[str]) -> None:
    """Adds all that this run does to a file.

    Raises:
        OutOfReach: it cannot be written.
    """
    try:
        handler = logging.FileHandler(Path(file), "a", "utf-8")
    except OSError as error:
        raise OutOfReach(
            f"{file} cannot be written: {error.strerror or error}",
            "--log names a file in a folder that is there.",
            "file-not-writable",
        ) from None
    handler.setFormatter(_WithoutSecrets("%(asctime)s.%(msecs)03d  %(message)s", "%Y-%m-%d %H:%M:%S"))
    LOG.addHandler(handler)
    LOG.setLevel(logging.INFO)
    LOG.info("kotrel %s: kotrel %s", __version__, " ".join(words))
