"""The processes that serve Routrel: started together, watched, started again, stopped together."""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from launch.console import ROOT, LaunchError
from launch.packages import PYTHON

__all__ = ["Processes", "executor", "listener", "web_server"]

#: A process that ends more often than this within a minute is not started again.
_MOST_RESTARTS = 5
_LONGEST_LOG = 20 * 1024 * 1024
_PARENT_DEATH_SIGNAL = 1


@dataclass
class _Child:
    command: list[str]
    cwd: Path
    process: subprocess.Popen[bytes]
    restarts: list[float] = field(default_factory=list)


class Processes:
    """Child processes in sessions of their own, so that stopping one stops all it started.

    They are told to end when this process ends, however it ends.

    Args:
        logs: A folder for what they write; None: they write where this process writes.
    """

    def __init__(self, env: dict[str, str] | None = None, logs: Path | None = None) -> None:
        self.env = {**os.environ, **(env or {})}
        self.logs = logs
        self.children: dict[str, _Child] = {}

    def start(self, name: str, command: list[str], *, cwd: Path = ROOT) -> None:
        self.children[name] = _Child(command, cwd, self._run(name, command, cwd))

    def stop(self) -> None:
        """Ask all to end, and end those that do not within five seconds."""
        for child in self.children.values():
            _signal(child.process, signal.SIGTERM)
        until = time.monotonic() + 5
        for child in self.children.values():
            with suppress(subprocess.TimeoutExpired):
                child.process.wait(max(0.1, until - time.monotonic()))
            with suppress(ProcessLookupError):
                os.killpg(child.process.pid, signal.SIGKILL)  # what it may have left behind
            child.process.wait()

    def ended(self) -> str | None:
        """The name of a process that ended although nobody asked it to."""
        return next((n for n, c in self.children.items() if c.process.poll() is not None), None)

    def revive(self, tell: Callable[[str], object] = print) -> None:
        """Start again what has ended.

        Raises:
            LaunchError: it ends again and again.
        """
        while (name := self.ended()) is not None:
            child = self.children[name]
            now = time.monotonic()
            child.restarts = [then for then in child.restarts if now - then < 60] + [now]
            if len(child.restarts) > _MOST_RESTARTS:
                raise LaunchError(f"the {name} ends again and again", self.advice(name))
            tell(f"The {name} {_how(child.process.returncode)}; it is started again.")
            time.sleep(0.2 * (len(child.restarts) - 1))
            child.process = self._run(name, child.command, child.cwd)

    def advice(self, name: str) -> str:
        """Where to read why a process ended."""
        return f"read {self._log(name)}" if self.logs else "read its lines above"

    def wait_until_answers(self, url: str, seconds: float = 180) -> None:
        """Wait until a page is really served.

        Raises:
            LaunchError: a process ended first, or the time is over.
        """
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if (name := self.ended()) is not None:
                raise LaunchError(f"the {name} ended at once", self.advice(name))
            try:
                with urllib.request.urlopen(url, timeout=2) as answer:  # noqa: S310 - loopback
                    if answer.status == 200:
                        return
            except (urllib.error.URLError, OSError):
                pass
            time.sleep(0.1)
        raise LaunchError(f"{url} does not answer", "read the lines above")

    def _run(self, name: str, command: list[str], cwd: Path) -> subprocess.Popen[bytes]:
        out = None
        if self.logs is not None:
            self.logs.mkdir(parents=True, exist_ok=True, mode=0o700)
            log = self._log(name)
            if log.exists() and log.stat().st_size > _LONGEST_LOG:
                log.replace(log.with_suffix(".old"))
            out = log.open("ab")
        try:
            return subprocess.Popen(
                command, cwd=cwd, env=self.env, stdin=subprocess.DEVNULL, start_new_session=True,
                stdout=out, stderr=out, preexec_fn=partial(_end_with_parent, os.getpid()),
            )  # fmt: skip
        finally:
            if out is not None:
                out.close()

    def _log(self, name: str) -> Path:
        assert self.logs is not None  # noqa: S101
        return self.logs / f"{name.replace(' ', '-')}.log"


_LIBC = ctypes.CDLL(None)


def _end_with_parent(parent: int) -> None:
    """Run in the child; a parent that is gone already sends nothing any more."""
    _LIBC.prctl(_PARENT_DEATH_SIGNAL, signal.SIGTERM)
    if os.getppid() != parent:
        os._exit(0)


def _signal(process: subprocess.Popen[bytes], number: signal.Signals) -> None:
    if process.poll() is None:
        os.killpg(process.pid, number)


def _how(code: int) -> str:
    return f"was ended by signal {-code}" if code < 0 else f"ended with code {code}"


def web_server(port: int) -> list[str]:
    """The command of the web server."""
    return [str(PYTHON), "-m", "server.web.serve", str(port)]


def executor() -> list[str]:
    """The command of the executor, which computes."""
    return [str(PYTHON), str(ROOT / "server" / "manage.py"), "execute"]


def listener(port: int) -> tuple[int, str] | None:
    """Which process listens on a port, and its command; None where the system does not tell."""
    inodes = set()
    for table in ("tcp", "tcp6"):
        with suppress(OSError):
            for line in Path(f"/proc/net/{table}").read_text().splitlines()[1:]:
                part = line.split()
                if part[3] == "0A" and int(part[1].rpartition(":")[2], 16) == port:
                    inodes.add(f"socket:[{part[9]}]")
    for folder in Path("/proc").iterdir():
        if not folder.name.isdigit():
            continue
        with suppress(OSError):
            if any(os.readlink(fd) in inodes for fd in (folder / "fd").iterdir()):
                words = (folder / "cmdline").read_bytes().decode("utf-8", "replace").split("\0")
                return int(folder.name), " ".join(words).strip()
    return None
