"""Results kept by what makes them: arrays under keys, and hashes of values that never change."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

from recitant_core.units.arrays import FloatArray

Value = TypeVar("Value", bound=type)


class Remembered:
    """Arrays by key, least recently used out first. They are shared: nobody may write to them."""

    def __init__(self, most_bytes: int) -> None:
        """Empty, with room for this many bytes."""
        self._most_bytes = most_bytes
        self._arrays: OrderedDict[Hashable, FloatArray] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get_or_make(self, key: Hashable, make: Callable[[], FloatArray]) -> FloatArray:
        """The array of a key, read-only; made where it is not kept."""
        with self._lock:
            found = self._arrays.get(key)
            if found is not None:
                self._arrays.move_to_end(key)
                return found
        found = make()
        found.flags.writeable = False
        with self._lock:
            if key not in self._arrays:
                self._arrays[key] = found
                self._bytes += found.nbytes
            while self._bytes > self._most_bytes:
                _, gone = self._arrays.popitem(last=False)
                self._bytes -= gone.nbytes
        return found

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            self._arrays.clear()
            self._bytes = 0


def keeps_hash(frozen: Value) -> Value:
    """A frozen dataclass whose values work out their hash once: those with many fields are asked for it often."""
    plain: Any = frozen.__hash__

    def hash_once(self: Any) -> int:
        found: int | None = self.__dict__.get("_hash")
        if found is None:
            found = plain(self)
            object.__setattr__(self, "_hash", found)
        return found

    frozen.__hash__ = hash_once  # type: ignore[method-assign,assignment]
    return frozen
