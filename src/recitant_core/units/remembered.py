"""Results cached by their inputs, fingerprints of arrays, and hashes of values that never change."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import lru_cache
from threading import Lock
from typing import Any, Final, Generic, TypeVar
from weakref import ref

import numba
import numpy as np
from numpy.typing import NDArray

Value = TypeVar("Value", bound=type)
Kept = TypeVar("Kept")
Fingerprint = tuple[int, int]
_SMALL_BYTES: Final = 1_024  # what is no array


class Remembered(Generic[Kept]):
    """Results by key, least recently used out first. They are shared: arrays are read-only."""

    def __init__(self, most_bytes: int) -> None:
        """Empty, with room for this many bytes."""
        self._most_bytes = most_bytes
        self._kept: OrderedDict[Hashable, Kept] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get_or_make(self, key: Hashable, make: Callable[[], Kept]) -> Kept:
        """The result of a key, made where it is not kept; two threads may make it twice.

        Args:
            key: equal for equal results, and for nothing else.
            make: gives the result; an array comes back read-only, since all callers share it.
        """
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                self._kept.move_to_end(key)
                return found
        found = make()
        if isinstance(found, np.ndarray):
            found.flags.writeable = False
        with self._lock:
            if key not in self._kept:
                self._kept[key] = found
                self._bytes += _bytes_of(found)
            while self._bytes > self._most_bytes:
                _, gone = self._kept.popitem(last=False)
                self._bytes -= _bytes_of(gone)
        return found

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            self._kept.clear()
            self._bytes = 0


def _bytes_of(value: object) -> int:
    return value.nbytes if isinstance(value, np.ndarray) else _SMALL_BYTES


def fingerprint(values: NDArray[Any]) -> Fingerprint:
    """Hash of an array's bytes, with its length: equal for arrays of the same shape and content.

    Worked out once for an array that is read-only. Of use within this process alone.
    """
    known = _prints.get(id(values))
    if known is not None and known[0]() is values:
        return known[1]
    found = (len(values), hash(np.ascontiguousarray(values).tobytes()))
    if not values.flags.writeable:
        place = id(values)
        _prints[place] = (ref(values, lambda _gone: _prints.pop(place, None)), found)
    return found


def prints_of_stretches(values: NDArray[np.float64], stretches: "list[slice]") -> NDArray[np.uint64]:
    """Hash of the values of each stretch, uint64 (stretches,).

    Of use within this process alone. A stretch has the print of its values and its place together.
    """
    bits = np.ascontiguousarray(values).view(np.uint64)
    edges = np.array([(one.start, min(one.stop, len(values))) for one in stretches], np.int64).reshape(-1, 2)
    found: NDArray[np.uint64] = _weighed(bits, edges, _weights(1 << max(0, len(values) - 1).bit_length()))
    return found


@lru_cache(maxsize=2)
def _weights(n_values: int) -> NDArray[np.uint64]:
    # Odd ones: two stretches that differ in one value never have the same sum, others by chance alone.
    return np.random.default_rng().integers(0, 1 << 63, n_values, np.uint64) * np.uint64(2) + np.uint64(1)


@numba.njit(cache=True, nogil=True)
def _weighed(bits: Any, edges: Any, weights: Any) -> Any:
    found = np.zeros(len(edges), np.uint64)
    for index in range(len(edges)):
        total = np.uint64(0)
        for place in range(edges[index, 0], edges[index, 1]):
            total += bits[place] * weights[place]
        found[index] = total
    return found


_prints: dict[int, tuple["ref[NDArray[Any]]", Fingerprint]] = {}


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
