"""Work on several cores at once, its results in order: compiled loops let go of the interpreter while they run."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_EXCEPTION, Future, ThreadPoolExecutor, wait
from functools import partial
from threading import Event, local
from typing import Final, TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")
Told = Callable[[float], None]
"""Is told the share of some work that is done."""
_wanted = [1]
_here = local()
_TOLD_S: Final = 0.2


def use_threads(n: int) -> None:
    """Let long work use at most ``n`` cores from now on; 1, as at first, for none beside the caller's.

    Process-wide: whoever starts a process decides it once. Results do not depend on it, only how soon they come.
    """
    _wanted[0] = max(1, n)


def n_threads() -> int:
    """Number of cores that long work may use; 1 inside work that is done beside other work of its kind."""
    return 1 if getattr(_here, "is_beside_others", False) else _wanted[0]


def in_order(work: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """Result of ``work`` on each item, in their order; while the caller uses one, the other cores make the next.

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
    """The items in order, the next one made in another thread while the caller works on one.

    Args:
        items: asked for from one thread at a time; what raises there is raised where its item would have come.
    """
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


def results_at_once(works: Sequence[Callable[[Told], Result]], progress: Told) -> list[Result]:
    """Result of each call, in their order; done side by side where there are cores for them.

    Args:
        works: each is told how to say what share of it is done.
        progress: told the share of all in the caller's thread; what it raises ends them all.
    """
    shares = [0.0] * len(works)
    if n_threads() == 1 or len(works) < 2:

        def tell(index: int, share: float) -> None:
            shares[index] = share
            progress(sum(shares) / len(shares))

        return [work(partial(tell, index)) for index, work in enumerate(works)]
    is_over = Event()

    def one(index: int) -> Result:
        def tell(share: float) -> None:
            shares[index] = share
            if is_over.is_set():
                raise _GivenUp

        # Work within this work stays in its own thread.
        _here.is_beside_others = True
        return works[index](tell)

    with ThreadPoolExecutor(n_threads()) as pool:
        under_way = [pool.submit(one, index) for index in range(len(works))]
        try:
            # Progress is told here, in the thread of the caller: it may raise, and may touch a database.
            while wait(under_way, _TOLD_S, FIRST_EXCEPTION).not_done:
                progress(sum(shares) / len(shares))
                for done in under_way:
                    if done.done() and done.exception() is not None:
                        done.result()
            return [done.result() for done in under_way]
        finally:
            is_over.set()
            pool.shutdown(wait=True, cancel_futures=True)


class _GivenUp(Exception):
    """Raised inside of work whose result nobody wants any more."""


def at_once(works: Iterable[Callable[[], object]]) -> None:
    """Do all of these, side by side; the first that fails is raised when all have ended.

    Args:
        works: callables without arguments that share nothing they write to. Inside one of them n_threads is 1, so that
            work within work takes no more cores.
    """
    waiting = list(works)
    if n_threads() == 1 or len(waiting) < 2:
        for work in waiting:
            work()
        return
    with ThreadPoolExecutor(n_threads()) as pool:
        for done in [pool.submit(work) for work in waiting]:
            done.result()
