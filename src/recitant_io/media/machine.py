"""What the process may use of its machine: cores, memory that was given back and stays with it; and when it ends."""

import ctypes
import gc
import os
import signal
from typing import Final

_TRIM_THRESHOLD: Final = -1
_TOP_PAD: Final = -2
_MMAP_THRESHOLD: Final = -3
_MOST_ARENAS: Final = -8
_MOST_MMAP_BYTES: Final = 32 << 20  # the allocator takes no higher threshold
_PR_SET_PDEATHSIG: Final = 1
_KEPT_BYTES: Final = 128 << 20
_OBJECTS_BETWEEN_COLLECTIONS: Final = (20_000, 50, 100)  # the interpreter's own: 700, 10, 10


def n_cores() -> int:
    """Number of cores that this process may run on."""
    return len(os.sched_getaffinity(0))


def end_with_parent(signal_number: int = signal.SIGKILL) -> None:
    """Have this process sent a signal when the one that made it dies, however that happens.

    Source: prctl(2), PR_SET_PDEATHSIG.
    """
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal_number)


def collect_rarely() -> None:
    """Tell the interpreter to look for cycles of garbage seldom, and never among what has been loaded so far.

    A process that keeps plans of a thousand clips pauses for a tenth of a second otherwise, in the middle of an answer.
    What is no cycle is freed at once as before.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(*_OBJECTS_BETWEEN_COLLECTIONS)


def keep_freed_memory() -> bool:
    """Tell the C library's allocator to reuse large blocks instead of handing them to the system and back.

    Without it the system clears every large array page by page, a fifth of what a mix costs altogether; one arena for
    all threads keeps the peak of memory where it is with one.

    Returns:
        Whether the allocator took it; one that does not know it (another C library) goes on as before.

    Source: mallopt(3).
    """
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (AttributeError, OSError):
        return False
    settings = (
        (_MMAP_THRESHOLD, _MOST_MMAP_BYTES),
        (_TRIM_THRESHOLD, _KEPT_BYTES),
        (_TOP_PAD, _KEPT_BYTES // 4),
        (_MOST_ARENAS, 1),
    )
    return all(mallopt(which, value) for which, value in settings)
