"""What a process keeps so as not to compute it again: sizes in bytes, least recently used out first, one clear.

Nothing here is ever the only place of anything: throwing it away loses time only.
"""

from collections.abc import Callable, Hashable
from contextlib import suppress
from threading import RLock
from typing import Any, Final, Generic, TypeVar

import numpy as np
from cachetools import LRUCache

Value = TypeVar("Value")
_SMALL_BYTES: Final = 2_048  # an entry that is no array: an object with what belongs to it
_all: "list[Cache[Any]]" = []


class Cache(Generic[Value]):
    """Values by key, up to a size in bytes."""

    def __init__(self, name: str, most_bytes: int, size_of: "Callable[[Value], int] | None" = None) -> None:
        """
        Args:
            name: unique; figures name it.
            most_bytes: a value larger than this is not kept.
            size_of: bytes of a value; a guess from its arrays if None.
        """
        self.name = name
        self._lock = RLock()
        self._kept: LRUCache[Hashable, Value] = LRUCache(most_bytes, size_of or bytes_of)
        _all.append(self)

    def get(self, key: Hashable) -> Value | None:
        """The value of a key; None where it is not kept."""
        with self._lock:
            return self._kept.get(key)

    def put(self, key: Hashable, value: Value) -> Value:
        """Keep a value; it comes back."""
        # A value larger than the whole cache is not kept.
        with self._lock, suppress(ValueError):
            self._kept[key] = value
        return value

    def get_or_make(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """The value of a key, made where it is not kept; two threads may make it twice."""
        found = self.get(key)
        return self.put(key, make()) if found is None else found

    def drop(self, key: Hashable) -> None:
        """Keep the value of a key no longer."""
        with self._lock:
            self._kept.pop(key, None)

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            self._kept.clear()

    @property
    def kept_bytes(self) -> int:
        """Size of what is kept."""
        return int(self._kept.currsize)


def bytes_of(value: Any) -> int:
    """A guess at the bytes of a value from the arrays in it."""
    if isinstance(value, np.ndarray):
        # A view of a file takes no memory of its own.
        return _SMALL_BYTES if isinstance(value.base, np.memmap) else int(value.nbytes) + _SMALL_BYTES
    if isinstance(value, dict):
        return sum(map(bytes_of, value.values())) + _SMALL_BYTES
    if isinstance(value, tuple | list):
        return sum(map(bytes_of, value)) + _SMALL_BYTES
    parts = [part for part in getattr(value, "__dict__", {}).values() if isinstance(part, np.ndarray | dict)]
    return sum(map(bytes_of, parts)) + _SMALL_BYTES


def clear_caches() -> None:
    """Throw away everything that is kept; for tests, whose databases and media folders start anew."""
    for cache in _all:
        cache.clear()


def cache_sizes() -> dict[str, int]:
    """Bytes kept, by the name of the cache."""
    return {cache.name: cache.kept_bytes for cache in _all}
