"""Hosts files, as operating systems have them: an address a line, and names for it.

Lines are an address and names, apart by blanks; what follows a number sign is no part of it.
Loopback and multicast addresses mean each machine itself and are passed over.
"""

from __future__ import annotations

import ipaddress
import re

from routrel.files.report import Report
from routrel.model.addresses import Address
from routrel.model.network import NamedAddress
from routrel.model.place import Place

__all__ = ["is_hosts_file", "read_hosts"]

_NAME = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?")


def is_hosts_file(path: str) -> bool:
    """Whether a file is a hosts file: by its name, "hosts" or "NAME.hosts"."""
    name = path.rsplit("/", 1)[-1].lower()
    return name == "hosts" or name.endswith(".hosts")


def read_hosts(text: str, file: str, report: Report) -> tuple[NamedAddress, ...]:
    """The names of a hosts file, in order of their first line; each with all its addresses."""
    found: dict[str, tuple[list[Address], Place]] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        words = [(m.group(), m.start() + 1) for m in re.finditer(r"\S+", line.partition("#")[0])]
        if not words:
            continue
        (written, column), *names = words
        try:
            address = ipaddress.ip_address(written.partition("%")[0])
        except ValueError:
            text_ = f"a line begins with an address, not with “{written}”"
            report.error(Place(file, number, column), "bad_address", text_, "write 10.64.7.21 name")
            continue
        if not names:
            text_ = f"no name stands behind {address}"
            report.error(Place(file, number, column), "missing_name", text_, "add one")
        if address.is_loopback or address.is_multicast or address.is_unspecified:
            continue
        for name, at in names:
            place = Place(file, number, at)
            if not _NAME.fullmatch(name):
                text_ = f"“{name}” is no name"
                report.error(place, "bad_name", text_, "use letters, digits, dots and hyphens")
                continue
            addresses, _ = found.setdefault(name, ([], place))
            if address not in addresses:
                addresses.append(address)
    return tuple(
        NamedAddress(name=name, addresses=tuple(addresses), place=place)
        for name, (addresses, place) in found.items()
    )
