"""Processes of this machine that share work, forked from one that knows it all already."""

from __future__ import annotations

import gc
import multiprocessing
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

__all__ = ["AHEAD", "Pool", "in_turns", "pool", "worker_count"]

#: Pieces of work that are given out beyond those that workers are at, so that none waits.
AHEAD = 2

#: Makes an executor.
Pool = Callable[[], Executor]
_Asked = TypeVar("_Asked")
_Made = TypeVar("_Made")
#: What the processes that were forked last do, with all that it holds.
_work: Callable[[Any], Any] | None = None


def pool(workers: int | None = None, initializer: Callable[[], object] | None = None) -> Executor:
    """A pool of processes on this machine, as many as it has cores if nothing is said.

    Args:
        initializer: Called in every process when it begins.
    """
    context = multiprocessing.get_context("fork")
    return ProcessPoolExecutor(
        worker_count(workers), mp_context=context, initializer=_begin, initargs=(initializer,)
    )


def worker_count(workers: int | None) -> int:
    """How many processes a pool has."""
    return workers or os.cpu_count() or 1


def _begin(initializer: Callable[[], object] | None) -> None:
    """What a process was born with stays for good; nothing of it is looked at for garbage."""
    gc.freeze()
    if initializer:
        initializer()


def in_turns(
    work: Callable[[_Asked], _Made],
    pieces: Iterable[tuple[int, Callable[[], _Asked | None]]],
    make_pool: Pool | None,
    workers: int,
) -> Iterator[tuple[int, _Made]]:
    """What comes of pieces of work, each as it is done; they are begun in order.

    Args:
        work: What is done with a piece; of what it holds nothing is shipped.
        pieces: A number for each, and what tells it once its turn has come; None: it is not needed
            any more.
        make_pool: Makes processes; None: all is done here.
        workers: How many it has.
    """
    if make_pool is None or workers == 1:
        for number, piece in pieces:
            asked = piece()
            if asked is not None:
                yield number, work(asked)
        return
    global _work
    _work = work
    left = deque(pieces)
    out: dict[Future[Any], tuple[int, _Asked]] = {}
    try:
        with make_pool() as executor:
            while left or out:
                while left and len(out) < AHEAD * workers:
                    number, piece = left[0]
                    asked = piece()
                    if asked is not None:
                        out[executor.submit(_do, asked)] = number, asked
                    left.popleft()  # a broken pool takes nothing, and nothing is lost
                done, _ = wait(out, return_when=FIRST_COMPLETED)
                for future in done:
                    made = future.result()
                    yield out.pop(future)[0], made
    except BrokenProcessPool:
        # A process died: what it was at, and all that is left, is done here.
        yield from ((number, work(asked)) for number, asked in out.values())
        yield from in_turns(work, left, None, 1)
    finally:
        _work = None


def _do(asked: Any) -> Any:
    if _work is None:
        raise RuntimeError("this process was not forked for any work")
    return _work(asked)
