"""Computing processes as their parent sees them: started, asked, ended, and started again."""

from __future__ import annotations

import asyncio
import json
import os
import signal
import sys
from collections.abc import Mapping
from typing import Any

from server.executor.frames import LENGTHS, Frame, packed, sizes

__all__ = ["ProcessDied", "Slot"]


class ProcessDied(Exception):
    """The process ended before it answered; the message says how, as the end of a sentence."""


class Slot:
    """Room for one computing process.

    Args:
        nice: How much it gives way to others, as the system counts it.
    """

    def __init__(self, nice: int, env: Mapping[str, str]) -> None:
        self.nice, self.env = nice, env
        self.last = ""  #: what it was asked about last: it may hold the state in memory
        self._process: asyncio.subprocess.Process | None = None

    async def start(self) -> None:
        """Have a process that is ready; quick where there is one."""
        if self._process is not None and self._process.returncode is None:
            return
        self.last = ""
        try:
            self._process = await asyncio.create_subprocess_exec(
                sys.executable, "-m", "server.executor.child", str(self.nice),
                stdin=asyncio.subprocess.PIPE, stdout=asyncio.subprocess.PIPE, env=dict(self.env),
            )  # fmt: skip
        except OSError as error:  # no memory, too many processes
            raise ProcessDied(f"no process could be started ({error.strerror})") from error
        await self._read()

    async def ask(self, head: dict[str, Any]) -> Frame:
        """The process's answer.

        Raises:
            ProcessDied: it ended first, by itself or by `end`.
        """
        await self.start()
        process = self._process
        assert process is not None and process.stdin is not None  # noqa: S101, PT018
        try:
            process.stdin.write(packed(head))
            await process.stdin.drain()
        except (BrokenPipeError, ConnectionResetError):
            pass  # it is told by what is not read
        return await self._read()

    async def _read(self) -> Frame:
        process = self._process
        assert process is not None and process.stdout is not None  # noqa: S101, PT018
        try:
            head, body = sizes(await process.stdout.readexactly(LENGTHS.size))
            data = await process.stdout.readexactly(head + body)
        except (asyncio.IncompleteReadError, ConnectionResetError, ValueError) as error:
            self.end()
            raise ProcessDied(_how(await process.wait())) from error
        return json.loads(data[:head]), data[head:]

    def end(self) -> None:
        """End the process at once, whatever it does."""
        process = self._process
        if process is not None and process.returncode is None:
            try:
                os.kill(process.pid, signal.SIGKILL)
            except ProcessLookupError:
                return


def _how(code: int) -> str:
    if code == -signal.SIGKILL:
        return "the process that worked on it was killed"
    if code < 0:
        return f"the process that worked on it was ended by signal {-code}"
    return f"the process that worked on it ended with code {code}"
