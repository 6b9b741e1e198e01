"""What outside networks announce, as CSV (RFC 4180): one line for each prefix.

The first line names the columns. `outside` and `prefix` are needed; `as-path`, `origin`, `med`,
`communities` and `at` may be there, in any order. Several communities or addresses have spaces
between them; those that have a space inside are written with an equals sign, as target=64500:1.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace

from routrel.files.bgp_values import as_number
from routrel.files.csv_rows import (
    BadField,
    csv_rows,
    has_columns,
    prefix_in,
    report_line,
    written_rows,
)
from routrel.files.report import Report
from routrel.files.shapes import closest
from routrel.model.addresses import Address, Prefix
from routrel.model.bgp import Announcement
from routrel.model.communities import canonical_community
from routrel.model.network import OutsideNeighbour
from routrel.model.place import Place
from routrel.model.policy import Origin

__all__ = [
    "COLUMNS",
    "is_announcement_header",
    "read_announcements",
    "with_announcements",
    "write_announcements",
]

COLUMNS = ("outside", "prefix", "as-path", "origin", "med", "communities", "at")
_Key = tuple[tuple[int, ...], Origin, int | None, tuple[str, ...], tuple[Address, ...]]


def is_announcement_header(text: str) -> bool:
    """Whether a text begins with the columns of announcements."""
    return has_columns(text, ("outside", "prefix"), COLUMNS)


def read_announcements(text: str, file: str, report: Report) -> dict[str, tuple[Announcement, ...]]:
    """By outside network: what it announces, prefixes with the same attributes together.

    Every line that is wrong is reported.
    """
    names: list[str] = []
    groups: dict[str, dict[_Key, tuple[int, list[Prefix]]]] = {}
    fields = _Fields()
    for line, row in csv_rows(text, file, report):
        if not names:
            names = [name.strip() for name in row]
            continue
        if report.full:
            break
        try:
            if len(row) != len(names):
                raise BadField(f"{len(row)} values for {len(names)} columns")
            said = dict(zip(names, (value.strip() for value in row), strict=True))
            key, prefix = fields.key(said), prefix_in(said["prefix"])
        except BadField as error:
            report_line(report, file, line, error)
            continue
        members = groups.setdefault(said["outside"], {}).setdefault(key, (line, []))
        members[1].append(prefix)
    return {
        outside: tuple(
            Announcement(
                prefixes=tuple(prefixes),
                as_path=path,
                origin=origin,
                med=med,
                communities=communities,
                at=at,
                place=Place(file, first, 1),
            )
            for (path, origin, med, communities, at), (first, prefixes) in by_key.items()
        )
        for outside, by_key in groups.items()
    }


class _Fields:
    """Reads the values of lines; texts that come again are read once."""

    def __init__(self) -> None:
        self._paths: dict[str, tuple[int, ...]] = {"": ()}
        self._communities: dict[str, tuple[str, ...]] = {"": ()}

    def key(self, said: Mapping[str, str]) -> _Key:
        """What tells an announcement from others."""
        if not said["outside"]:
            raise BadField("names no outside network")
        word = said.get("origin") or Origin.IGP.value
        origin = next((one for one in Origin if one.value == word), None)
        if origin is None:
            hint = closest(word, [one.value for one in Origin])
            raise BadField(f"“{word[:40]}” is no origin. {hint}".strip())
        med = said.get("med") or ""
        if med and not (med.isascii() and med.isdigit() and int(med) < 2**32):
            raise BadField(f"the med “{med[:40]}” is no whole number below 2^32")
        try:
            at = tuple(ipaddress.ip_address(text) for text in said.get("at", "").split())
        except ValueError as error:
            raise BadField(f"“{said['at'][:60]}” are no addresses") from error
        return (
            self._path(said.get("as-path", "")),
            origin,
            int(med) if med else None,
            self._words(said.get("communities", "")),
            at,
        )

    def _path(self, text: str) -> tuple[int, ...]:
        if text not in self._paths:
            numbers = [as_number(part) for part in text.split()]
            if None in numbers:
                raise BadField(f"“{text[:60]}” is no AS path")
            self._paths[text] = tuple(number for number in numbers if number is not None)
        return self._paths[text]

    def _words(self, text: str) -> tuple[str, ...]:
        if text not in self._communities:
            found = [canonical_community(part.replace("=", " ")) for part in text.split()]
            if None in found:
                raise BadField(f"“{text[:60]}” are no communities")
            self._communities[text] = tuple(word for word in found if word is not None)
        return self._communities[text]


def with_announcements(
    outside: Mapping[str, OutsideNeighbour],
    announced: Mapping[str, tuple[Announcement, ...]],
    report: Report,
) -> dict[str, OutsideNeighbour]:
    """Outside networks with what files of announcements say; those of none are reported."""
    found = dict(outside)
    for name, announcements in announced.items():
        known = found.get(name)
        if known is None:
            place = announcements[0].place
            report.error(
                place,
                "unknown_outside",
                f"there is no outside network “{name}”",
                closest(name, outside) or "add it under outside: in network.yaml",
            )
            continue
        found[name] = replace(known, announces=(*known.announces, *announcements))
    return found


def write_announcements(announced: Iterable[tuple[str, Announcement]]) -> str:
    """Announcements as CSV; read again they are the same but for their places."""
    return written_rows(COLUMNS, _rows_of(announced))


def _rows_of(announced: Iterable[tuple[str, Announcement]]) -> Iterator[tuple[object, ...]]:
    for name, one in announced:
        shared = (
            " ".join(map(str, one.as_path)),
            one.origin.value,
            "" if one.med is None else one.med,
            " ".join(word.replace(" ", "=") for word in one.communities),
            " ".join(map(str, one.at)),
        )
        for prefix in one.prefixes:
            yield (name, prefix, *shared)
