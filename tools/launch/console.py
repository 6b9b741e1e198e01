"""Says what happens: a line for each step with its time, and clear sentences when one fails."""

from __future__ import annotations

import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

__all__ = ["ROOT", "LaunchError", "require_space", "run", "shortened", "step", "tell"]

ROOT = Path(__file__).resolve().parent.parent.parent

#: What tools print when a registry cannot be reached.
_NO_NETWORK = (
    "Temporary failure resolving",
    "Temporary failure in name resolution",
    "Could not resolve",
    "EAI_AGAIN",
    "ENOTFOUND",
    "Network is unreachable",
    "Failed to establish a new connection",
    "ECONNREFUSED",
    "ETIMEDOUT",
    "(from versions: none)",
)


class LaunchError(Exception):
    """A step failed. The message is one sentence; `advice` says what to do; `detail` is a log."""

    def __init__(self, message: str, advice: str, detail: str = "") -> None:
        self.message, self.advice, self.detail = message, advice, detail
        super().__init__(message)


@contextmanager
def step(title: str) -> Iterator[None]:
    """Announce a step, and its time once it is done."""
    began = time.monotonic()
    live = sys.stdout.isatty()
    if live:
        print(f"  … {title}", end="\r", flush=True)
    try:
        yield
    except BaseException:
        print(f"  ✗ {title}" + " " * 20, flush=True)
        raise
    print(f"  ✓ {title:<44} {time.monotonic() - began:6.1f} s", flush=True)


def run(
    command: list[str],
    what: str,
    *,
    advice: str = "read the lines above; correct what they say and run the same command again",
    cwd: Path = ROOT,
    env: dict[str, str] | None = None,
) -> str:
    """Run a command to its end and give its output.

    Raises:
        LaunchError: it cannot be started or fails; the cause is told if it is a known one.
    """
    try:
        done = subprocess.run(
            command, cwd=cwd, env=env, text=True, stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False,
        )  # fmt: skip
    except FileNotFoundError as error:
        raise LaunchError(
            f"{what} failed: {command[0]} is not installed", f"install {command[0]} and try again"
        ) from error
    if done.returncode == 0:
        return done.stdout
    if any(sign in done.stdout for sign in _NO_NETWORK):
        raise LaunchError(
            f"{what} failed: the package registry cannot be reached",
            "connect this machine to the network (or set its proxy) and run the same command again",
            done.stdout,
        )
    if "No space left on device" in done.stdout or "ENOSPC" in done.stdout:
        raise LaunchError(f"{what} failed: the disk is full", "free some space", done.stdout)
    raise LaunchError(f"{what} failed with exit code {done.returncode}", advice, done.stdout)


def require_space(folder: Path, gigabytes: float) -> None:
    """Refuse to begin what cannot end well.

    Raises:
        LaunchError: there is less free space than that.
    """
    free = shutil.disk_usage(folder).free / 1e9
    if free < gigabytes:
        raise LaunchError(
            f"only {free:.1f} GB are free on the disk of {folder}",
            f"free at least {gigabytes:.0f} GB and run the same command again",
        )


def tell(error: LaunchError) -> None:
    """Say on standard error what failed and what to do, the log's ends before it."""
    if error.detail:
        print(shortened(error.detail), file=sys.stderr)
    print(f"\n{error.message}.\nWhat to do: {error.advice}.", file=sys.stderr)


def shortened(log: str, lines: int = 40) -> str:
    """The first and last lines of a long log; the cause may stand at either end."""
    every = log.strip().splitlines()
    if len(every) <= lines:
        return "\n".join(every)
    half = lines // 2
    return "\n".join([*every[:half], f"… {len(every) - lines} lines left out …", *every[-half:]])
