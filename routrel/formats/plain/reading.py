"""Lists of others as texts of the language: tables, links, devices and names."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field

from routrel.files.csv_rows import BadCsv, written_rows
from routrel.files.observed import COLUMNS, is_observed_file
from routrel.formats.device_text import Said, name_for
from routrel.formats.plain.lists import Mapped, guessed, header_in, read_rows
from routrel.formats.reports import FileReport, ListColumns

__all__ = ["FORMAT", "Lists", "headers", "read_list"]

FORMAT = "csv"
_LONGEST_HEADER = 100_000  #: bytes within which a list's columns stand
_DEFAULT_WORDS = frozenset(("default", "global", "main", "master", "-"))
#: Words in place of a next hop for what is reached without one.
_NO_HOP = frozenset(("connected", "direct", "directly connected", "0.0.0.0", "::"))  # noqa: S104
_TRUE = frozenset(("true", "yes", "1", "y", "*", "active", "best", "installed", "selected"))
_DROPS = {
    "discard": "discard", "blackhole": "discard", "null": "discard",
    "drop": "discard", "unreachable": "unreachable", "reject": "unreachable",
    "prohibit": "prohibited", "prohibited": "prohibited", "pass-on": "pass-on", "throw": "pass-on",
}  # fmt: skip


@dataclass(slots=True)
class Lists:
    """What lists come to."""

    tables: dict[str, str] = field(default_factory=dict)  #: by path: observed tables as CSV
    links: dict[str, Said] = field(default_factory=dict)
    linked: dict[str, list[str]] = field(default_factory=dict)  #: interfaces in links, by device
    devices: dict[str, dict[str, str]] = field(default_factory=dict)
    names: dict[str, list[str]] = field(default_factory=dict)
    outside: dict[str, dict[str, object]] = field(default_factory=dict)


def headers(contents: Mapping[str, bytes]) -> Iterator[list[str]]:
    """The columns of every list among files, by path; what cannot be read has none."""
    for path in sorted(contents):
        if is_observed_file(path):
            with suppress(BadCsv):
                yield header_in(contents[path][:_LONGEST_HEADER].decode("utf-8-sig", "replace"))


def read_list(
    path: str,
    text: str,
    report: FileReport,
    found: Lists,
    remembered: Mapping[str, Mapped] | None = None,
) -> None:
    """Add what a list says to what others said; what of it is not understood is named."""
    try:
        rows = read_rows(text)
    except BadCsv as error:
        report.refuse(f"no CSV: {error}")
        return
    if not rows:
        report.refuse("holds no line")
        return
    header = [name.strip() for name in rows[0][1]]
    mapped = guessed(header, remembered)
    report.columns = ListColumns(
        tuple(header),
        mapped.kind.name if mapped else None,
        dict(mapped.columns) if mapped else {},
    )
    if mapped is None:
        report.refuse(
            "its columns are those of no list that is known: tables, links, devices or names", 1
        )
        return
    used = set(mapped.columns.values())
    for name in header:
        if name and name not in used:
            report.unknown(f"the column “{name}” is not understood", 1)
    for column, own in mapped.columns.items():
        if own.strip().lower() != column:
            report.note(f"the column “{own}” is taken for {column}", 1)
    reader = _Reader(path, mapped, header, report, found)
    reader.take(rows[1:])


@dataclass(slots=True)
class _Reader:
    path: str
    mapped: Mapped
    header: list[str]
    report: FileReport
    found: Lists

    def take(self, rows: list[tuple[int, list[str]]]) -> None:
        said = list(self._said(rows))
        match self.mapped.kind.name:
            case "tables":
                lines = [row for line, values in said if (row := self._table(line, values))]
                self.found.tables[self.path] = written_rows(COLUMNS, lines)
                self.report.rows = len(lines)
            case "links":
                for line, values in said:
                    self._link(line, values)
            case "devices":
                for line, values in said:
                    self._device(line, values)
            case "outside":
                for line, values in said:
                    self._outside(line, values)
            case _:
                for line, values in said:
                    self._name(line, values)

    def _said(self, rows: list[tuple[int, list[str]]]) -> Iterator[tuple[int, dict[str, str]]]:
        places = {column: self.header.index(own) for column, own in self.mapped.columns.items()}
        for line, row in rows:
            if len(row) != len(self.header):
                self.report.unknown(f"{len(row)} values for {len(self.header)} columns", line)
                continue
            yield line, {column: row[at].strip() for column, at in places.items()}

    def _table(self, line: int, said: dict[str, str]) -> list[str] | None:
        """A line of a table, as the language has it."""
        device, prefix = said["device"], said["prefix"]
        if not device or not prefix:
            self.report.unknown("a line without a device or a prefix; left out", line)
            return None
        if prefix in ("default", "0/0"):
            prefix = "0.0.0.0/0"
        made = dict.fromkeys(COLUMNS, "")
        made.update({name: value for name, value in said.items() if value not in ("-", "n/a")})
        made["device"], made["prefix"] = name_for(device), prefix
        made["vrf"] = "" if said.get("vrf", "").lower() in _DEFAULT_WORDS else said.get("vrf", "")
        hop = made["next-hop"]
        for word in (hop.lower(), made["interface"].lower(), made["drops"].lower()):
            if word in _DROPS:
                made.update({"next-hop": "", "interface": "", "drops": _DROPS[word]})
        if made["next-hop"].lower() in _NO_HOP:
            made["next-hop"] = ""
        if made["active"]:
            made["active"] = "" if made["active"].lower() in _TRUE else "false"
        made["protocol"] = made["protocol"].lower()
        if made["interface"]:
            made["interface"] = name_for(made["interface"])
        return [made[name] for name in COLUMNS]

    def _link(self, line: int, said: dict[str, str]) -> None:
        ends = [said[f"{kind}-{end}"] for end in "ab" for kind in ("device", "interface")]
        if not all(ends):
            self.report.unknown("a line without both ends; left out", line)
            return
        one, other = (f"{name_for(ends[n])}:{name_for(ends[n + 1])}" for n in (0, 2))
        name = name_for(said.get("name") or f"{one}-{other}")
        keys: dict[str, object] = {"between": [one, other]}
        if said.get("description"):
            keys["description"] = said["description"]
        self.found.links[name] = Said(keys, f"{self.path}:{line}")
        for device, interface in zip(ends[::2], ends[1::2], strict=True):
            self.found.linked.setdefault(name_for(device), []).append(name_for(interface))

    def _device(self, line: int, said: dict[str, str]) -> None:
        if not said["device"]:
            self.report.unknown("a line without a device; left out", line)
            return
        role = said.get("role", "").lower()
        if role and role not in ("router", "firewall", "host"):
            self.report.unknown(f"“{role}” is no role that is known", line)
            said["role"] = ""
        kept = {key: said[key] for key in ("role", "site", "description") if said.get(key)}
        self.found.devices[name_for(said["device"])] = kept

    def _outside(self, line: int, said: dict[str, str]) -> None:
        if not said["outside"] or not said["addresses"]:
            self.report.unknown("a line without a name or an address; left out", line)
            return
        made: dict[str, object] = {"addresses": said["addresses"].split()}
        if said.get("as"):
            made["as"] = said["as"]
        if said.get("router-id"):
            made["router-id"] = said["router-id"]
        if said.get("prefixes"):
            made["prefixes"] = said["prefixes"].split()
        self.found.outside[name_for(said["outside"])] = made

    def _name(self, line: int, said: dict[str, str]) -> None:
        if not said["name"] or not said["address"]:
            self.report.unknown("a line without a name or an address; left out", line)
            return
        self.found.names.setdefault(name_for(said["name"]), []).append(said["address"])
