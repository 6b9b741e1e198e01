"""Computed states on disk: a folder of files, bounded in bytes, each one checked before it is used.

A file is its seal (HMAC-SHA256 with the installation's key) and a pickled state. A file that is cut
short, altered, or sealed by another installation is dropped, and the state computed again.
"""

from __future__ import annotations

import fcntl
import hashlib
import hmac
import os
import pickle
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Generic, TypeVar

__all__ = ["ByteBounded", "StateStore"]

Value = TypeVar("Value")

_SEAL = hashlib.sha256().digest_size
_SUFFIX = ".state"


class StateStore:
    """The states of a folder, by name.

    Args:
        folder: Made if need be; nobody else may read it.
        key: What seals the files.
        most_bytes: The least recently used go when there is more.
    """

    def __init__(self, folder: Path, key: bytes, most_bytes: int) -> None:
        self.folder, self._key, self.most_bytes = folder, key, most_bytes
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)

    def get(self, name: str) -> tuple[object, int] | None:
        """A state and its size in bytes; None where there is none that is whole."""
        path = self._path(name)
        try:
            data = path.read_bytes()
            os.utime(path)  # the least recently used go first
        except OSError:
            return None
        if not hmac.compare_digest(data[:_SEAL], self._seal(name, data[_SEAL:])):
            path.unlink(missing_ok=True)
            return None
        try:
            # Only what this installation sealed comes this far.
            return pickle.loads(data[_SEAL:]), len(data)  # noqa: S301
        except Exception:  # sealed, and yet not readable by this Python: of no use to anybody
            path.unlink(missing_ok=True)
            return None

    def put(self, name: str, state: object) -> int:
        """Keep a state, whole or not at all; its size in bytes. A full disk is no failure."""
        data = pickle.dumps(state, protocol=pickle.HIGHEST_PROTOCOL)
        fresh = self.folder / f"{name}.{os.getpid()}.new"
        try:
            fresh.write_bytes(self._seal(name, data) + data)
            fresh.replace(self._path(name))
        except OSError:
            fresh.unlink(missing_ok=True)
        self._trim()
        return len(data)

    def size(self, name: str) -> int:
        """The size of a state in bytes; 0 where there is none."""
        try:
            return self._path(name).stat().st_size
        except OSError:
            return 0

    @contextmanager
    def turn(self, name: str) -> Iterator[None]:
        """Held by whoever computes a state, in any process; the others wait for it.

        The lock goes with the process that holds it.
        """
        with (self.folder / f"{name}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield

    def _trim(self) -> None:
        found = []
        for path in self.folder.iterdir():
            with suppress(OSError):
                status = path.stat()
                if path.suffix == _SUFFIX:
                    found.append((status.st_mtime_ns, status.st_size, path))
                elif path.suffix == ".new" and not _writing(path):
                    path.unlink(missing_ok=True)
        total = sum(size for _, size, _ in found)
        for _, size, path in sorted(found):
            if total <= self.most_bytes:
                break
            path.unlink(missing_ok=True)
            path.with_suffix(".lock").unlink(missing_ok=True)
            total -= size

    def _path(self, name: str) -> Path:
        return self.folder / f"{name}{_SUFFIX}"

    def _seal(self, name: str, data: bytes) -> bytes:
        return hmac.digest(self._key, name.encode() + b"\0" + data, "sha256")


def _writing(path: Path) -> bool:
    """Whether the process that began a file still runs."""
    return Path(f"/proc/{path.name.split('.')[-2]}").exists()


class ByteBounded(Generic[Value]):
    """Values in memory up to so many bytes in all, the least recently used first out."""

    def __init__(self, most_bytes: int) -> None:
        self.most_bytes = most_bytes
        self._bytes = 0
        self._held: OrderedDict[str, tuple[Value, int]] = OrderedDict()

    def get(self, name: str) -> Value | None:
        held = self._held.get(name)
        if held is None:
            return None
        self._held.move_to_end(name)
        return held[0]

    def put(self, name: str, value: Value, size: int) -> None:
        """Keep a value; the newest stays even if it alone is too large."""
        if name in self._held:
            self._bytes -= self._held.pop(name)[1]
        self._held[name] = (value, size)
        self._bytes += size
        while len(self._held) > 1 and self._bytes > self.most_bytes:
            _, (_, gone) = self._held.popitem(last=False)
            self._bytes -= gone
