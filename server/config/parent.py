"""Processes that do not outlive who started them."""

from __future__ import annotations

import ctypes
import os
import signal

__all__ = ["end_with_parent"]

_PARENT_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG


def end_with_parent(number: signal.Signals, parent: int | None = None) -> None:
    """Have the system send this process a signal when its parent ends, however that ends.

    Args:
        parent: Its process number, where it is known: who has lost it already gets the signal now.
    """
    ctypes.CDLL(None).prctl(_PARENT_DEATH_SIGNAL, number)
    if parent is not None and os.getppid() != parent:
        os.kill(os.getpid(), number)
