"""Work on several cores at once, its results in order: compiled loops let go of the interpreter while they run."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")
_wanted = [1]


def use_threads(n: int) -> None:
    """Let long work use at most ``n`` cores from now on; 1, as at first, for none beside the caller's."""
    _wanted[0] = max(1, n)


def n_threads() -> int:
    """How many cores long work may use."""
    return _wanted[0]


def in_order(work: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """What ``work`` makes of each item, in their order; while the caller uses one, the other cores make the next.

    Items are taken one by one in the caller's thread. What ``work`` raises is raised at its place; what comes later is
    given up then, as it is when the caller stops early.
    """
    n = n_threads()
    if n == 1:
        yield from map(work, items)
        return
    with ThreadPoolExecutor(n) as pool:
        under_way: deque[Future[Result]] = deque()
        try:
            for item in items:
                under_way.append(pool.submit(work, item))
                if len(under_way) == n:
                    yield under_way.popleft().result()
            while under_way:
                yield under_way.popleft().result()
        finally:
            pool.shutdown(wait=True, cancel_futures=True)


def ahead(items: Iterable[Item]) -> Iterator[Item]:
    """The items in order, the next one made in another thread while the caller works on one."""
    if n_threads() == 1:
        yield from items
        return
    left = iter(items)
    end = object()
    with ThreadPoolExecutor(1) as pool:
        following = pool.submit(next, left, end)
        while True:
            item = following.result()
            if item is end:
                return
            following = pool.submit(next, left, end)
            yield item  # type: ignore[misc]


def at_once(works: Iterable[Callable[[], object]]) -> None:
    """Do all of these, side by side; the first that fails is raised when all have ended."""
    waiting = list(works)
    if n_threads() == 1 or len(waiting) < 2:
        for work in waiting:
            work()
        return
    with ThreadPoolExecutor(n_threads()) as pool:
        for done in [pool.submit(work) for work in waiting]:
            done.result()
