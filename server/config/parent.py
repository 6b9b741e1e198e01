"""Processes that do not outlive who started them."""

from __future__ import annotations

import ctypes
import signal

__all__ = ["end_with_parent"]

_PARENT_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG


def end_with_parent(number: signal.Signals) -> None:
    """Have the system send this process a signal when its parent ends, however that ends."""
    ctypes.CDLL(None).prctl(_PARENT_DEATH_SIGNAL, number)
