"""The processes that serve Routrel: started together, stopped together."""

from __future__ import annotations

import os
import signal
import subprocess
import time
import urllib.error
import urllib.request
from pathlib import Path

from launch.console import ROOT, LaunchError
from launch.packages import PYTHON

__all__ = ["Processes", "web_server", "worker"]


class Processes:
    """Child processes in sessions of their own, so that stopping one stops all it started."""

    def __init__(self, env: dict[str, str] | None = None) -> None:
        self.env = {**os.environ, **(env or {})}
        self.running: dict[str, subprocess.Popen[bytes]] = {}

    def start(self, name: str, command: list[str], *, cwd: Path = ROOT) -> None:
        self.running[name] = subprocess.Popen(
            command, cwd=cwd, env=self.env, stdin=subprocess.DEVNULL, start_new_session=True
        )

    def stop(self) -> None:
        """Ask all to end, and end those that do not within five seconds."""
        for process in self.running.values():
            _signal(process, signal.SIGTERM)
        until = time.monotonic() + 5
        for process in self.running.values():
            try:
                process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                _signal(process, signal.SIGKILL)
                process.wait()

    def ended(self) -> str | None:
        """The name of a process that ended although nobody asked it to."""
        return next((n for n, p in self.running.items() if p.poll() is not None), None)

    def wait_until_answers(self, url: str, seconds: float = 60) -> None:
        """Wait until a page is really served.

        Raises:
            LaunchError: a process ended first, or the time is over.
        """
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if (name := self.ended()) is not None:
                raise LaunchError(f"the {name} ended at once", "read its lines above")
            try:
                with urllib.request.urlopen(url, timeout=2) as answer:  # noqa: S310 - loopback
                    if answer.status == 200:
                        return
            except (urllib.error.URLError, OSError):
                pass
            time.sleep(0.1)
        raise LaunchError(f"{url} does not answer", "read the lines above")


def _signal(process: subprocess.Popen[bytes], number: signal.Signals) -> None:
    if process.poll() is None:
        os.killpg(process.pid, number)


def web_server(port: int, *, reload: bool = False) -> list[str]:
    """The command of the web server. Threads, since event streams keep a connection open."""
    command = [
        str(PYTHON), "-m", "gunicorn", "--bind", f"127.0.0.1:{port}", "--workers", "1",
        "--threads", "16", "--worker-class", "gthread", "--timeout", "120",
        "--graceful-timeout", "2", "--log-level", "warning", "--no-control-socket",
        "server.config.wsgi:application",
    ]  # fmt: skip
    return [*command, "--reload"] if reload else command


def worker() -> list[str]:
    """The command of the job worker."""
    return [
        str(PYTHON), str(ROOT / "server" / "manage.py"), "procrastinate", "worker",
        "--concurrency", "2", "--shutdown-graceful-timeout", "3",
    ]  # fmt: skip
