"""Processes beside this one, which do not share Python's lock: they read and write workbooks while it does other work."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from queue import SimpleQueue
from types import TracebackType
from typing import IO, Any, TypeVar

from kotrel.core.errors import KotrelError
from kotrel.sheets.contained import as_process

T = TypeVar("T")


class Helpers:
    """Some such processes, and what is to be done by them, in its order.

    Args:
        number: how many processes; starting one takes most of a second.
        here: this process works, too; it does all where there is no other.
    """

    def __init__(self, number: int, here: bool = False) -> None:
        self._started: list[_Helper] = []
        for _ in range(number):
            # A machine that has no room for another process has one for this.
            with suppress(OSError):
                self._started.append(_Helper())
        self._free: SimpleQueue[_Helper | None] = SimpleQueue()
        hands: list[_Helper | None] = [*self._started, *([None] if here or not self._started else [])]
        for each in hands:
            self._free.put(each)
        self._pool = ThreadPoolExecutor(len(hands))

    def submit(self, work: Callable[..., T], *args: object) -> Future[T]:
        """Has a function of a module of ours called; it, its arguments and its result go to the other process and back."""
        return self._pool.submit(self._do, work, args)

    def _do(self, work: Callable[..., T], args: tuple[object, ...]) -> T:
        helper = self._free.get()
        try:
            return work(*args) if helper is None else helper.do(work, args)
        finally:
            self._free.put(helper)

    def __enter__(self) -> Helpers:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)
        for each in self._started:
            each.close()


class _Helper:
    """A process that does one thing after the other. It ends when its input does, also where this process is killed."""

    def __init__(self) -> None:
        command, environment = as_process("kotrel.counting.helpers")
        self._process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**environment, "POLARS_MAX_THREADS": "1"},
        )

    def do(self, work: Callable[..., T], args: tuple[object, ...]) -> T:
        """What the work gives; where the other process has ended or could not do it, this one does.

        Raises:
            KotrelError: as the work.
        """
        into, out = self._process.stdin, self._process.stdout
        assert into is not None and out is not None
        try:
            pickle.dump((work, args), into, pickle.HIGHEST_PROTOCOL)
            into.flush()
            is_done, answer = pickle.load(out)
        except (OSError, EOFError, ValueError, pickle.UnpicklingError):
            return work(*args)
        if isinstance(answer, KotrelError):
            raise answer
        return answer if is_done else work(*args)

    def close(self) -> None:
        """Ends the process."""
        self._process.kill()
        self._process.wait()
        for stream in (self._process.stdin, self._process.stdout):
            if stream is not None:
                with suppress(OSError):
                    stream.close()


def _work(asked: IO[bytes], answers: IO[bytes]) -> None:
    while True:
        try:
            work, args = pickle.load(asked)
        except EOFError:
            return
        answer: tuple[bool, Any]
        try:
            answer = True, work(*args)
        except KotrelError as error:
            answer = False, error
        except Exception:
            # The process that asked does it itself, and says what is wrong.
            answer = False, None
        pickle.dump(answer, answers, pickle.HIGHEST_PROTOCOL)
        answers.flush()


if __name__ == "__main__":
    stream = os.fdopen(os.dup(1), "wb")
    # What is printed here must not get into the answers.
    os.dup2(2, 1)
    with suppress(KeyboardInterrupt, BrokenPipeError):
        _work(sys.stdin.buffer, stream)
