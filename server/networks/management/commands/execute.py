"""Runs the executor: answers questions and does jobs until it is told to stop."""

from __future__ import annotations

import asyncio
import signal
from typing import Any

from django.core.management.base import BaseCommand

from server.executor.service import Executor

__all__ = ["Command"]


class Command(BaseCommand):
    help = "Answer questions and do jobs, in processes of their own, until told to stop."

    def handle(self, *args: Any, **options: Any) -> None:
        """SIGTERM and Ctrl-C stop it; what is not done is given back first."""
        asyncio.run(_run())


async def _run() -> None:
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    await Executor().run(stop)
