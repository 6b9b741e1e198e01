"""Observed tables as CSV (RFC 4180): one line for each next hop of each entry.

The first line names the columns. `device` and `prefix` are needed; `vrf`, `protocol`, `next-hop`,
`interface`, `weight`, `metric`, `distance`, `drops`, `active`, `time` and `source` may be there, in
any order. Lines of one table, prefix and protocol are one entry.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

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
from routrel.model.network import DEFAULT_VRF
from routrel.model.observed import Drops, ObservedHop, ObservedRoute, ObservedTable
from routrel.model.place import Place

__all__ = ["COLUMNS", "is_observed_file", "is_observed_header", "read_observed", "write_observed"]

COLUMNS = (
    *("device", "vrf", "prefix", "protocol", "next-hop", "interface", "weight", "metric"),
    *("distance", "drops", "active", "time", "source"),
)
_NEEDED = ("device", "prefix")
SUFFIX = ".csv"


def is_observed_file(path: str) -> bool:
    """Whether a file's name says that it may hold observed tables."""
    return path.lower().endswith(SUFFIX)


def is_observed_header(text: str) -> bool:
    """Whether a text begins with the columns of observed tables."""
    return has_columns(text, _NEEDED, COLUMNS)


@dataclass(slots=True)
class _Entry:
    """An entry whose lines are still coming."""

    prefix: Prefix
    protocol: str
    line: int
    metric: int | None
    distance: int | None
    drops: Drops | None
    active: bool
    hops: list[ObservedHop] = field(default_factory=list)

    def made(self, ways: dict[tuple[ObservedHop, ...], tuple[ObservedHop, ...]]) -> ObservedRoute:
        """The entry; equal ways are one object."""
        hops = tuple(self.hops)
        return ObservedRoute(
            self.prefix,
            self.protocol,
            ways.setdefault(hops, hops),
            self.line,
            self.metric,
            self.distance,
            self.drops,
            self.active,
        )


def read_observed(text: str, file: str, report: Report) -> tuple[ObservedTable, ...]:
    """The tables of a file, in order of their first line; every line that is wrong is reported."""
    rows = csv_rows(text, file, report)
    header = next(rows, (1, []))[1]
    names = [name.strip() for name in header]
    for name in names:
        if name not in COLUMNS:
            report.error(
                Place(file, 1, 1),
                "unknown_column",
                f"there is no column “{name}”",
                closest(name, COLUMNS) or "columns: " + ", ".join(COLUMNS),
            )
            return ()
    if not set(_NEEDED) <= set(names) or len(set(names)) < len(names):
        text = "the columns “device” and “prefix” are needed, each column once"
        report.error(Place(file, 1, 1), "missing_column", text, "name them in the first line")
        return ()
    return _Reader(names, file, report).tables(rows)


class _Reader:
    def __init__(self, names: Sequence[str], file: str, report: Report) -> None:
        self.file, self.report = file, report
        self.at = {name: place for place, name in enumerate(names)}
        self.width = len(names)
        self._prefixes: dict[str, Prefix] = {}
        self._addresses: dict[str, Address | None] = {"": None}
        self._tables: dict[tuple[str, str], dict[tuple[Prefix, str], _Entry]] = {}
        self._said: dict[tuple[str, str], tuple[str, str]] = {}

    def tables(self, rows: Iterable[tuple[int, list[str]]]) -> tuple[ObservedTable, ...]:
        for line, row in rows:
            if self.report.full:
                break
            try:
                self._take(line, row)
            except BadField as error:
                report_line(self.report, self.file, line, error)
        ways: dict[tuple[ObservedHop, ...], tuple[ObservedHop, ...]] = {}
        return tuple(
            ObservedTable(
                device=device,
                vrf=vrf,
                file=self.file,
                routes=tuple(entry.made(ways) for entry in entries.values()),
                time=self._said[device, vrf][0],
                source=self._said[device, vrf][1],
            )
            for (device, vrf), entries in self._tables.items()
        )

    def _take(self, line: int, row: list[str]) -> None:
        if len(row) != self.width:
            raise BadField(f"{len(row)} values for {self.width} columns")
        device = self._word(row, "device")
        if not device:
            raise BadField("names no device")
        table = (device, self._word(row, "vrf") or DEFAULT_VRF)
        entries = self._tables.setdefault(table, {})
        self._said.setdefault(table, (self._word(row, "time"), self._word(row, "source")))
        prefix = self._prefix(self._word(row, "prefix"))
        protocol = self._word(row, "protocol").lower()
        drops, active = self._drops(row), self._active(row)
        metric, distance = (
            self._number(row, "metric", 2**32 - 1),
            self._number(row, "distance", 255),
        )
        hop = self._hop(row)
        entry = entries.get((prefix, protocol))
        if entry is None:
            entry = _Entry(prefix, protocol, line, metric, distance, drops, active)
            entries[prefix, protocol] = entry
        elif (entry.metric, entry.distance, entry.drops, entry.active) != (
            metric, distance, drops, active
        ):  # fmt: skip
            if active or not entry.active:
                raise BadField(f"another entry to {prefix} by {protocol or 'nobody'} than before")
            return  # one that is not used says nothing of the one that is
        if drops is not None and hop is not None:
            raise BadField(f"the entry to {prefix} drops packets and has a next hop")
        if drops is None and hop is None:
            raise BadField(f"the entry to {prefix} leads nowhere")
        if hop is not None and hop not in entry.hops:
            entry.hops.append(hop)

    def _word(self, row: list[str], name: str) -> str:
        at = self.at.get(name)
        return "" if at is None else row[at].strip()

    def _prefix(self, text: str) -> Prefix:
        found = self._prefixes.get(text)
        if found is None:
            found = self._prefixes[text] = prefix_in(text)
        return found

    def _address(self, text: str) -> Address | None:
        if text not in self._addresses:
            try:
                self._addresses[text] = ipaddress.ip_address(text)
            except ValueError as error:
                raise BadField(f"“{text[:60]}” is no address") from error
        return self._addresses[text]

    def _hop(self, row: list[str]) -> ObservedHop | None:
        interface = self._word(row, "interface") or None
        address = self._address(self._word(row, "next-hop"))
        weight = self._number(row, "weight", 65535)
        if interface is None and address is None:
            return None
        return ObservedHop(interface, address, 1 if weight is None else max(weight, 1))

    def _number(self, row: list[str], name: str, most: int) -> int | None:
        text = self._word(row, name)
        if not text:
            return None
        if not text.isascii() or not text.isdigit() or int(text) > most:
            raise BadField(f"the {name} “{text[:40]}” is no whole number from 0 to {most}")
        return int(text)

    def _drops(self, row: list[str]) -> Drops | None:
        text = self._word(row, "drops")
        if not text:
            return None
        found = next((one for one in Drops if one.value == text), None)
        if found is None:
            known = ", ".join(one.value for one in Drops)
            raise BadField(f"“{text[:40]}” is no way to drop packets; there are {known}")
        return found

    def _active(self, row: list[str]) -> bool:
        text = self._word(row, "active")
        if text not in ("", "true", "false"):
            raise BadField(f"“{text[:40]}” is neither true nor false")
        return text != "false"


def write_observed(tables: Iterable[ObservedTable]) -> str:
    """Tables as CSV; read again they are the same but for their places."""
    return written_rows(COLUMNS, _rows_of(tables))


def _rows_of(tables: Iterable[ObservedTable]) -> Iterator[tuple[object, ...]]:
    for table in tables:
        for route in table.routes:
            for hop in route.hops or (None,):
                yield (
                    table.device,
                    "" if table.vrf == DEFAULT_VRF else table.vrf,
                    route.prefix,
                    route.protocol,
                    "" if hop is None or hop.address is None else hop.address,
                    "" if hop is None or hop.interface is None else hop.interface,
                    "" if hop is None or hop.weight == 1 else hop.weight,
                    "" if route.metric is None else route.metric,
                    "" if route.distance is None else route.distance,
                    "" if route.drops is None else route.drops.value,
                    "" if route.active else "false",
                    table.time,
                    table.source,
                )
