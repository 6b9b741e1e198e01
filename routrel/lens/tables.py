"""What devices are taken to forward by, by the names that people write."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from routrel.files.shapes import closest
from routrel.model.observed import TableChoice, TableSource

__all__ = ["UnknownTables", "named_tables", "tables_words"]


class UnknownTables(Exception):
    """A word names no source of tables."""


def named_tables(names: Iterable[str]) -> TableChoice:
    """A choice by its written form: SOURCE for all devices, DEVICE=SOURCE for one.

    Raises:
        UnknownTables: a word is none of the sources, or a device is named twice.
    """
    of_all: TableSource | None = None
    devices: dict[str, TableSource] = {}
    for text in names:
        device, equals, word = text.strip().rpartition("=")
        source = next((one for one in TableSource if one.value == word.strip()), None)
        if source is None:
            known = [one.value for one in TableSource]
            hint = closest(word.strip(), known) or "there are: " + ", ".join(known)
            raise UnknownTables(f"“{word}” is no source of tables; {hint}")
        if not equals and of_all is None:
            of_all = source
        elif equals and device.strip() and device.strip() not in devices:
            devices[device.strip()] = source
        else:
            raise UnknownTables(f"“{text}” chooses again what was chosen before")
    return TableChoice(of_all, tuple(sorted(devices.items(), key=lambda pair: pair[0])))


def tables_words(choice: TableChoice) -> Iterator[str]:
    """The written form of a choice."""
    if choice.all is not None:
        yield choice.all.value
    for device, source in choice.devices:
        yield f"{device}={source.value}"
