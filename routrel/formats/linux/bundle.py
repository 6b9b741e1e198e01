"""One Linux host's captures: the files of a bundle, and what stands in them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.json_text import BadJson, JsonText, read_json
from routrel.formats.reports import FileReport, ImportReport

__all__ = ["FILES", "Bundle", "Entry", "read_bundle"]

#: The files of a bundle, and what each holds.
FILES: dict[str, str] = {
    "addr.json": "ip -j -d addr",
    "link.json": "ip -j -d link",
    "route4.json": "ip -j -d -4 route show table all",
    "route6.json": "ip -j -d -6 route show table all",
    "rule4.json": "ip -j -d -4 rule",
    "rule6.json": "ip -j -d -6 rule",
    "neigh.json": "ip -j -d neigh",
    "nft.json": "nft -j list ruleset",
    "bridge-vlan.json": "bridge -j -d vlan",
    "bridge-fdb.json": "bridge -j -d fdb",
    "sysctl.json": "settings below net",
    "nft-chains.txt": "nft list chains",
}

FORMAT = "linux"


@dataclass(frozen=True, slots=True)
class Entry:
    """One object of a capture's list, with where it stands."""

    value: Mapping[str, Any]
    number: int  #: its place in the list, from 1
    file: str  #: the capture's name in the bundle
    line: int
    report: FileReport

    @property
    def remark(self) -> str:
        """Where it stands, in words."""
        return f"{self.file} entry {self.number}"

    def unknown(self, text: str) -> None:
        """Name something of it that is not understood."""
        self.report.unknown(f"entry {self.number}: {text}", self.line)

    def note(self, text: str) -> None:
        """Say how something of it was taken."""
        self.report.note(f"entry {self.number}: {text}", self.line)


@dataclass(slots=True)
class Bundle:
    """The captures of one host, as far as there are any."""

    host: str
    folder: str
    texts: dict[str, JsonText] = field(default_factory=dict)
    chains: str = ""  #: the listing of chains as text, which alone names devices of hooks
    reports: dict[str, FileReport] = field(default_factory=dict)

    def report(self, name: str) -> FileReport:
        """The report of a capture, or of the first there is where that one is missing."""
        return self.reports.get(name) or next(iter(self.reports.values()))

    def has(self, name: str) -> bool:
        """Whether there is such a capture."""
        return name in self.texts

    def entries(self, name: str) -> Iterator[Entry]:
        """The objects in a capture's list; what is none is named."""
        text = self.texts.get(name)
        if text is None:
            return
        report = self.reports[name]
        if not isinstance(text.value, list):
            report.refuse("no list of objects, as the command prints it")
            return
        for number, value in enumerate(text.value, start=1):
            if value == {}:
                continue  # the command leaves these for what it filters out
            if not isinstance(value, dict):
                report.unknown(f"entry {number} is no object", text.line(number - 1))
                continue
            yield Entry(value, number, name, text.line(number - 1), report)


def read_bundle(
    host: str, folder: str, contents: Mapping[str, bytes], report: ImportReport
) -> Bundle:
    """The captures of one host; what cannot be read is refused file by file.

    Args:
        contents: By name in the folder.
    """
    bundle = Bundle(host, folder)
    for name in FILES:
        path = f"{folder}/{name}" if folder else name
        if name not in contents:
            continue
        one = report.file(path, FORMAT, host)
        bundle.reports[name] = one
        if name.endswith(".txt"):
            bundle.chains = contents[name].decode("utf-8", "replace")
            continue
        try:
            text = read_json(contents[name].strip() or b"null")
        except BadJson as error:
            one.refuse(str(error), error.line)
            continue
        if text.value is None:
            one.note(f"holds nothing: {FILES[name]} was not captured")
            continue
        bundle.texts[name] = text
    return bundle


def listed(value: Any) -> list[Any]:
    """What is printed as a list, or alone where it is one; empty where it is not there."""
    return value if isinstance(value, list) else [] if value is None else [value]
