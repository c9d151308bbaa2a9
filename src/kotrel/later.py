"""Packages that are imported when something of theirs is first used: a question without tables waits for none."""

from __future__ import annotations

import os
import sys
from importlib.util import find_spec, module_from_spec
from threading import RLock
from types import ModuleType

TYPE_CHECKING = False
if TYPE_CHECKING:
    from importlib.machinery import ModuleSpec


_MEMORY = ("_RJEM_MALLOC_CONF", "dirty_decay_ms:100,muzzy_decay_ms:0")
"""How long memory that Polars no longer uses stays with this process: a tenth of a second. Polars itself says up to one
and a half, in the environment of every process that it starts, too (jemalloc(3), TUNING). Other allocators pay no
attention to it.
"""


class _Later(ModuleType):
    """A package that is not imported yet; it becomes itself with the first name that is asked of it."""

    def __init__(self, spec: ModuleSpec) -> None:
        super().__init__(spec.name)
        self._later = spec
        self._lock = RLock()

    def __getattr__(self, name: str) -> object:
        # What looks through all modules asks for such names, and uses nothing.
        if name.startswith("__") and name != "__path__":
            raise AttributeError(name)
        # Another thread that asks meanwhile waits for the lock. The package, while it is made, misses some of its names.
        with self._lock:
            state = self.__dict__
            if "__path__" not in state:
                state.update(module_from_spec(self._later).__dict__)
                if self._later.loader is not None:
                    self._later.loader.exec_module(self)
                self.__class__ = ModuleType  # type: ignore[assignment]
            if name not in state:
                raise AttributeError(f"module {self.__name__!r} has no attribute {name!r}")
            return state[name]


def import_later(name: str) -> None:
    """Lets the next ``import`` of a package wait until something of it is used; nothing where it is there already."""
    os.environ.update([_MEMORY])
    if name not in sys.modules and (spec := find_spec(name)) is not None:
        sys.modules[name] = _Later(spec)
