"""Devices, links and names as CSV, written, and read whatever their columns are called."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from routrel.files.csv_rows import numbered_rows

__all__ = [
    "KINDS",
    "BadColumns",
    "ListKind",
    "Mapped",
    "guessed",
    "header_in",
    "in_words",
    "read_rows",
    "with_columns",
]


@dataclass(frozen=True, slots=True)
class ListKind:
    """A kind of list: its columns, and names by which others know them."""

    name: str
    columns: tuple[str, ...]
    needed: tuple[str, ...]
    others: Mapping[str, tuple[str, ...]]


#: All kinds of lists that are read; of several that fit, the one with the most columns counts.
KINDS = {
    "tables": ListKind(
        "tables",
        ("device", "vrf", "prefix", "protocol", "next-hop", "interface", "weight", "metric",
         "distance", "drops", "active", "time", "source"),
        ("device", "prefix"),
        {
            "device": ("host", "hostname", "router", "node", "switch", "name", "system"),
            "vrf": ("table", "instance", "routing-instance", "network-instance", "rib"),
            "prefix": ("destination", "network", "dst", "route", "subnet", "cidr", "dest"),
            "protocol": ("proto", "source-protocol", "type", "origin", "learned-by", "owner"),
            "next-hop": ("nexthop", "gateway", "via", "next-hop-address", "nh", "gw"),
            "interface": ("dev", "port", "outgoing-interface", "out-interface", "oif", "ifname",
                          "egress-interface"),
            "metric": ("cost", "med"),
            "distance": ("preference", "admin-distance", "administrative-distance", "ad", "pref",
                         "route-preference"),
            "active": ("used", "installed", "selected", "best"),
            "time": ("timestamp", "read", "collected", "date"),
        },
    ),
    "links": ListKind(
        "links",
        ("name", "device-a", "interface-a", "device-b", "interface-b", "description"),
        ("device-a", "interface-a", "device-b", "interface-b"),
        {
            "name": ("link", "cable", "id", "link-id"),
            "device-a": ("from-device", "source-device", "a-device", "source-node", "local-device",
                         "a", "device", "from", "source"),
            "interface-a": ("from-interface", "source-interface", "a-interface", "source-port",
                            "local-interface", "a-port", "port-a", "interface", "local-port"),
            "device-b": ("to-device", "destination-device", "b-device", "dest-node", "neighbour",
                         "neighbor", "remote-device", "b", "to", "destination"),
            "interface-b": ("to-interface", "destination-interface", "b-interface", "dest-port",
                            "remote-interface", "b-port", "port-b", "remote-port",
                            "neighbour-port", "neighbor-port"),
            "description": ("comment", "remark", "note"),
        },
    ),
    "devices": ListKind(
        "devices",
        ("device", "role", "site", "description"),
        ("device",),
        {
            "device": ("host", "hostname", "router", "node", "name", "system"),
            "role": ("type", "function", "kind"),
            "site": ("location", "place", "pop", "campus"),
            "description": ("comment", "remark", "note"),
        },
    ),
    "outside": ListKind(
        "outside",
        ("outside", "as", "router-id", "addresses", "prefixes"),
        ("outside", "addresses"),
        {
            "outside": ("provider", "peer", "neighbour", "neighbor"),
            "as": ("asn", "as-number", "remote-as"),
            "addresses": ("address", "ip"),
        },
    ),
    "names": ListKind(
        "names",
        ("name", "address"),
        ("name", "address"),
        {
            "name": ("hostname", "host", "label", "fqdn"),
            "address": ("ip", "ip-address", "ipv4", "ipv6", "addr"),
        },
    ),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Mapped:
    """What a list is taken for: its kind, and which of its columns is which."""

    kind: ListKind
    columns: Mapping[str, str]  #: by column of the kind: the list's own

    @property
    def whole(self) -> bool:
        """Whether all columns are there that are needed."""
        return all(name in self.columns for name in self.kind.needed)


class BadColumns(ValueError):
    """Words that do not say what a list's columns are."""


def in_words(text: str) -> Mapped:
    """What somebody says a list is: `tables: device=kit, prefix=where to, next-hop=thru`.

    Raises:
        BadColumns: the kind or a column is none that is known, or one that is needed is missing.
    """
    name, _, rest = text.partition(":")
    kind = KINDS.get(name.strip())
    if kind is None:
        raise BadColumns(f"“{name.strip()}” is no kind of list; there are {', '.join(KINDS)}")
    columns: dict[str, str] = {}
    for part in rest.split(","):
        column, equals, own = (word.strip() for word in part.partition("="))
        if not equals or not own or column not in kind.columns:
            known = ", ".join(kind.columns)
            raise BadColumns(f"“{part.strip()}” is not COLUMN=THEIRS; {kind.name} have {known}")
        columns[column] = own
    made = Mapped(kind, columns)
    if not made.whole:
        raise BadColumns(f"{kind.name} need {' and '.join(kind.needed)}")
    return made


def with_columns(said: Sequence[Mapped], headers: Iterable[Sequence[str]]) -> dict[str, Mapped]:
    """What is said of lists, by the columns of those that have all that are named.

    Raises:
        BadColumns: none of them has all columns of one that is said.
    """
    found: dict[str, Mapped] = {}
    unused = list(said)
    for header in headers:
        for one in said:
            if set(one.columns.values()) <= set(header):
                found[",".join(header)] = one
                unused = [other for other in unused if other is not one]
    if unused:
        named = ", ".join(unused[0].columns.values())
        raise BadColumns(f"no list has the columns {named}")
    return found


def _plain(text: str) -> str:
    return "-".join(text.strip().lower().replace("_", " ").replace("-", " ").split())


def guessed(header: Sequence[str], remembered: Mapping[str, Mapped] | None = None) -> Mapped | None:
    """What a list with these columns is likely to be; None: none that is known.

    Args:
        remembered: By the columns' names, joined by commas: how such lists were taken before.
    """
    known = (remembered or {}).get(",".join(header))
    if known is not None:
        return known
    found = [_mapped(kind, header) for kind in KINDS.values()]
    fitting = [one for one in found if one.whole]
    return max(fitting, key=lambda one: (len(one.columns), -len(one.kind.columns)), default=None)


def _mapped(kind: ListKind, header: Sequence[str]) -> Mapped:
    plain = {_plain(name): name for name in header}
    taken: dict[str, str] = {}
    for column in kind.columns:  # the column's own name first, wherever it stands
        if column in plain:
            taken[column] = plain[column]
    for column in kind.columns:
        for other in kind.others.get(column, ()):
            if column not in taken and other in plain and plain[other] not in taken.values():
                taken[column] = plain[other]
    return Mapped(kind, taken)


def read_rows(text: str) -> list[tuple[int, list[str]]]:
    """The lines of a list with their numbers, the header first; whatever parts its columns.

    Raises:
        BadCsv: the text is no list.
    """
    return list(_rows(text))


def header_in(text: str) -> list[str]:
    """The columns of a list that begins with a text; none where it holds no line.

    Raises:
        BadCsv: the text is no list.
    """
    return next(([name.strip() for name in row] for _, row in _rows(text)), [])


def _rows(text: str) -> Iterator[tuple[int, list[str]]]:
    first = next((line for line in text.splitlines() if line and line[0] != "#"), "")
    rows = numbered_rows(text, delimiter=max(",;\t|", key=first.count))
    return ((line, row) for line, row in rows if any(value.strip() for value in row))
