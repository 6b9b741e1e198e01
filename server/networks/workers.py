"""Processes that share the work of a job; they end with it, however it ends."""

from __future__ import annotations

import signal
from concurrent.futures import Executor
from functools import partial

from django.conf import settings

from routrel.questions.processes import pool, worker_count
from server.config.parent import end_with_parent

__all__ = ["local_pool", "workers"]


def local_pool() -> Executor:
    """As many processes of this machine as the settings say."""
    return pool(settings.SWEEP_WORKERS, partial(end_with_parent, signal.SIGKILL))


def workers() -> int:
    """How many that are."""
    return worker_count(settings.SWEEP_WORKERS)
