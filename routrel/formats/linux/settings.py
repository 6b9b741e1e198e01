"""Kernel settings of a host, as `net.ipv4.conf.e0.rp_filter`, whatever way they are written."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from routrel.formats.linux.bundle import Bundle

__all__ = ["Settings"]


class Settings:
    """The settings of a bundle, by path."""

    def __init__(self, bundle: Bundle) -> None:
        self._values: dict[tuple[str, ...], int] = {}
        text = bundle.texts.get("sysctl.json")
        self.known = text is not None
        if text is None:
            return
        report = bundle.reports["sysctl.json"]
        if not isinstance(text.value, Mapping):
            report.refuse("no object of settings and values")
            return
        for path, value, keys in _leaves(text.value, (), ()):
            try:
                self._values[path] = int(str(value).split()[0])
            except (ValueError, IndexError):
                report.unknown(f"{'.'.join(path)} is no number", text.line(*keys))

    def value(self, *path: str, default: int = 0) -> int:
        """A setting below `net`, as `ipv4`, `ip_forward`; the default where it was not captured."""
        return self._values.get(path, default)

    def has(self, *path: str) -> bool:
        """Whether a setting was captured."""
        return path in self._values

    def of(self, family: str, interface: str, name: str, default: int = 0) -> int:
        """A setting of an interface; where it was not captured that of new ones, or of all."""
        for scope in (interface, "default", "all"):
            if self.has(family, "conf", scope, name):
                return self.value(family, "conf", scope, name)
        return default

    def higher_of(self, family: str, interface: str, name: str) -> int:
        """The higher of an interface's setting and that of all."""
        own = self.value(family, "conf", interface, name)
        return max(own, self.value(family, "conf", "all", name))


def _leaves(
    value: Mapping[str, Any], path: tuple[str, ...], keys: tuple[str, ...]
) -> Iterator[tuple[tuple[str, ...], Any, tuple[str, ...]]]:
    """Paths below `net` with their values, and the keys by which they were found."""
    for key, inner in value.items():
        longer = (*path, *_parts(str(key)))
        if isinstance(inner, Mapping):
            yield from _leaves(inner, longer, (*keys, key))
        else:
            cut = longer[1:] if longer[:1] == ("net",) else longer
            yield _with_whole_names(cut), inner, (*keys, key)


def _parts(key: str) -> tuple[str, ...]:
    """A key's parts: with slashes dots belong to names; with dots a slash stands for one."""
    if "/" in key and ("." not in key or key.index("/") < key.index(".")):
        parts = tuple(part for part in key.split("/") if part)
        return parts[2:] if parts[:2] == ("proc", "sys") else parts
    return tuple(part.replace("/", ".") for part in key.split("."))


def _with_whole_names(path: tuple[str, ...]) -> tuple[str, ...]:
    """A path whose interface has dots in its name, which a dotted key breaks."""
    if len(path) > 4 and path[1] == "conf":
        return (*path[:2], ".".join(path[2:-1]), path[-1])
    return path
