"""Network namespaces made for one lab and removed with it."""

from __future__ import annotations

import contextlib
import ctypes
import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

__all__ = ["Namespaces", "inside", "why_impossible"]

_CLONE_NEWNET = 0x40000000
_LIBC = ctypes.CDLL(None, use_errno=True)


def why_impossible() -> str:
    """What keeps this machine from making labs; empty where nothing does."""
    if os.geteuid() != 0:
        return "network namespaces need root"
    for tool in ("ip", "nft"):
        if shutil.which(tool) is None:
            return f"the command {tool} is not installed"
    name = f"rtl{os.getpid()}-probe"
    made = subprocess.run(["ip", "netns", "add", name], capture_output=True, text=True)
    if made.returncode:
        return f"network namespaces cannot be made here: {made.stderr.strip()}"
    try:
        with inside(name):
            rules = "table inet t { chain c { type filter hook forward priority 0; ct state new accept; }\n}\n"
            found = subprocess.run(["nft", "-f", "-"], input=rules, capture_output=True, text=True)
            return (
                f"nftables does not work here: {found.stderr.strip()}" if found.returncode else ""
            )
    finally:
        subprocess.run(["ip", "netns", "del", name], check=False)


@contextlib.contextmanager
def inside(name: str) -> Iterator[None]:
    """Everything this thread opens or starts in the meantime belongs to a namespace."""
    before = os.open("/proc/thread-self/ns/net", os.O_RDONLY)
    there = os.open(f"/run/netns/{name}", os.O_RDONLY)
    try:
        _enter(there)
        yield
    finally:
        _enter(before)
        os.close(before)
        os.close(there)


def _enter(descriptor: int) -> None:
    if _LIBC.setns(descriptor, _CLONE_NEWNET):
        raise OSError(ctypes.get_errno(), "setns")


class Namespaces:
    """Namespaces by short names; their real names carry the process, so labs do not meet."""

    def __init__(self, names: list[str]) -> None:
        self.real = {name: f"rtl{os.getpid()}-{name}" for name in names}

    def __enter__(self) -> Namespaces:
        lines = "".join(f"netns add {real}\n" for real in self.real.values())
        subprocess.run(["ip", "-batch", "-"], input=lines, text=True, check=True)
        return self

    def __exit__(self, *_: object) -> None:
        lines = "".join(f"netns del {real}\n" for real in self.real.values())
        subprocess.run(["ip", "-force", "-batch", "-"], input=lines, text=True, check=False)

    def ip(self, name: str, lines: list[str], version: int = 4) -> None:
        """Run ip commands in one namespace; a failing one is an error."""
        self._run(name, ["ip", f"-{version}", "-batch", "-"], "\n".join(lines) + "\n")

    def nft(self, name: str, rules: str) -> None:
        self._run(name, ["nft", "-f", "-"], rules)

    def nft_json(self, name: str) -> str:
        with inside(self.real[name]):
            found = subprocess.run(
                ["nft", "-j", "list", "ruleset"], capture_output=True, text=True, check=True
            )
        return found.stdout

    def settings(self, name: str, values: dict[str, int]) -> None:
        """Write kernel settings below /proc/sys/net."""
        with inside(self.real[name]):
            for key, value in values.items():
                Path("/proc/sys/net", key).write_text(str(value))

    def _run(self, name: str, command: list[str], text: str) -> None:
        with inside(self.real[name]):
            done = subprocess.run(command, input=text, capture_output=True, text=True)
        if done.returncode:
            raise RuntimeError(f"{command[0]} in {name}: {done.stderr.strip()}\n{text}")
