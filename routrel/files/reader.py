"""Reads a network's folder: all files, all problems, in one run."""

from __future__ import annotations

import re
from collections.abc import Callable, Set
from collections.abc import Mapping as MappingType
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from routrel.files.announcements import (
    is_announcement_header,
    read_announcements,
    with_announcements,
)
from routrel.files.hosts import is_hosts_file, read_hosts
from routrel.files.language import FILE_KINDS
from routrel.files.nodes import MAXIMUM_BYTES, Mapping, parse
from routrel.files.observed import is_observed_file, is_observed_header, read_observed
from routrel.files.references import check_devices, check_references
from routrel.files.report import Report
from routrel.files.shapes import BAD
from routrel.model.bgp import Announcement
from routrel.model.cases import Case
from routrel.model.changes import Change
from routrel.model.findings import Finding
from routrel.model.network import Device, NamedAddress, Network, OutsideNeighbour
from routrel.model.observed import ObservedTable
from routrel.model.place import Place
from routrel.model.promises import Promise, PromiseFile

__all__ = [
    "Reading",
    "UnusableInput",
    "decode",
    "is_network_file",
    "is_table_header",
    "load_texts",
    "named_device",
    "read_again",
    "read_change",
    "read_folder",
    "read_texts",
    "reread_devices",
]

MAXIMUM_FILES = 20_000
_SUFFIXES = (".yaml", ".yml")
#: What files of their own describe, by name.
Named = TypeVar("Named", Device, Case, Change, OutsideNeighbour, NamedAddress, Promise)


_DEVICE = re.compile(
    r"""^device: *(?P<quote>["']?)(?P<name>[A-Za-z0-9._/-]+)(?P=quote) *(?:#.*)?$""", re.MULTILINE
)


class UnusableInput(Exception):
    """There is nothing to read: no such folder, or no file of the language in it."""

    code = "unusable_input"


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """What came of reading.

    `network` holds what could be read; use it only if `problems` is empty. Of very many problems
    the first are kept, and `problem_count` tells how many there are.
    """

    network: Network
    problems: tuple[Finding, ...]
    problem_count: int
    cases: tuple[Case, ...] = ()  #: that lie beside the network, in order of name
    changes: tuple[Change, ...] = ()  #: as cases
    promises: tuple[Promise, ...] = ()  #: as they stand, by file

    @property
    def good(self) -> bool:
        """Whether there is no error, so that the network may be computed from."""
        return not self.problems


def is_network_file(path: str) -> bool:
    """Whether a file's name says that it may belong to a network: YAML, a hosts file, tables."""
    return path.lower().endswith(_SUFFIXES) or is_hosts_file(path) or is_observed_file(path)


def named_device(text: str) -> str | None:
    """Whose a file is by the line that nearly all have; None: it has no such line."""
    found = _DEVICE.search(text)
    return found["name"] if found else None


def is_table_header(text: str) -> bool:
    """Whether a text begins as CSV that belongs to a network."""
    return is_observed_header(text) or is_announcement_header(text)


def load_texts(folder: Path) -> tuple[dict[str, str], Report]:
    """The network's files below a folder, by path in order of path, and what cannot be read.

    Hidden files and folders are passed over. A file that is no UTF-8 text is a problem, not an
    exception.

    Raises:
        UnusableInput: the folder does not exist, holds no such file, or far too many.
    """
    texts: dict[str, str] = {}
    report = Report()
    try:
        if not folder.is_dir():
            raise UnusableInput(f"{_name(folder)} is not a folder; name the folder of a network")
        paths = sorted(path for path in folder.rglob("*") if is_network_file(path.name))
    except OSError as error:
        raise UnusableInput(f"{_name(folder)} cannot be read: {error.strerror}") from error
    if len(paths) > MAXIMUM_FILES:
        raise UnusableInput(f"{folder} holds more than {MAXIMUM_FILES} files of a network")
    for path in paths:
        relative = path.relative_to(folder)
        if any(part.startswith(".") for part in relative.parts) or not path.is_file():
            continue
        name = relative.as_posix()
        try:
            if path.stat().st_size > MAXIMUM_BYTES:
                report.error(
                    Place(name, 1, 1), "too_large", "the file is larger than 16 MiB", "split it"
                )
                continue
            text = decode(name, path.read_bytes(), report)
            if text is not None and (not is_observed_file(name) or is_table_header(text)):
                texts[name] = text
        except OSError as error:
            report.error(
                Place(name, 1, 1),
                "unreadable",
                f"cannot be read: {error.strerror}",
                "check the file's permissions",
            )
    if not texts and not report.problems:
        raise UnusableInput(f"{folder} holds no device files (*.yaml)")
    return texts, report


def _name(folder: Path) -> str:
    name = str(folder)
    return name if len(name) <= 200 else f"{name[:199]}…"


def decode(name: str, content: bytes, report: Report) -> str | None:
    """A file's bytes as text; None, after reporting it, where they are not UTF-8."""
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        report.error(
            Place(name, 1, 1),
            "not_text",
            f"byte {error.start + 1} is not UTF-8 text",
            "save the file as UTF-8",
        )
        return None


def read_folder(folder: Path) -> Reading:
    """Read the network in a folder.

    Raises:
        UnusableInput: as `load_texts`.
    """
    return read_texts(*load_texts(folder))


def read_texts(
    texts: MappingType[str, str],
    report: Report | None = None,
    on_file: Callable[[int], None] | None = None,
) -> Reading:
    """Read a network from its files' texts by name.

    Args:
        texts: Contents by path; the paths stand in every place and finding.
        report: Problems known before, to be told along.
        on_file: Called with the number of files read so far; what it raises ends the reading.
    """
    report = report or Report()
    networks: list[Network] = []
    devices: dict[str, Device] = {}
    cases: dict[str, Case] = {}
    changes: dict[str, Change] = {}
    outside: dict[str, OutsideNeighbour] = {}
    names: dict[str, NamedAddress] = {}
    promises: dict[str, Promise] = {}
    observed: dict[tuple[str, str], ObservedTable] = {}
    announced: dict[str, tuple[Announcement, ...]] = {}
    for count, file in enumerate(sorted(texts)):
        if on_file:
            on_file(count)
        report.device = None
        if is_hosts_file(file):
            for named in read_hosts(texts[file], file, report):
                _keep(names, named.name, named, "name", report)
            continue
        if is_observed_file(file) and is_announcement_header(texts[file]):
            for name, found in read_announcements(texts[file], file, report).items():
                announced[name] = (*announced.get(name, ()), *found)
            continue
        if is_observed_file(file):
            for table in read_observed(texts[file], file, report):
                _keep_table(observed, table, report)
            continue
        match _read_file(texts[file], file, report):
            case Network() as network:
                if networks:
                    report.error(
                        network.place,
                        "second_network",
                        f"a network file was already given: {networks[0].place.file}",
                        "keep one of the two",
                    )
                networks.append(network)
            case Device() as device:
                _keep(devices, device.name, device, "device", report)
            case OutsideNeighbour() as neighbour:
                _keep(outside, neighbour.name, neighbour, "outside", report)
            case Case() as case:
                _keep(cases, case.name, case, "case", report)
            case Change() as change:
                _keep(changes, change.name, change, "change", report)
            case PromiseFile(promises=promised):
                for promise in promised:
                    _keep(promises, promise.name, promise, "promise", report)
    base = networks[0] if networks else Network(name="Unnamed network")
    for neighbour in base.outside:
        _keep(outside, neighbour.name, neighbour, "outside", report)
    for named in base.names:
        _keep(names, named.name, named, "name", report)
    for promise in base.promises:
        _keep(promises, promise.name, promise, "promise", report)
    outside = with_announcements(outside, announced, report)
    network = replace(
        base,
        names=tuple(names.values()),
        devices=tuple(devices[name] for name in sorted(devices)),
        outside=tuple(outside.values()),
        observed=tuple(observed.values()),
    )
    report.device = None
    check_references(network, report)
    return replace(
        _reading(network, report),
        cases=tuple(cases[name] for name in sorted(cases)),
        changes=tuple(changes[name] for name in sorted(changes)),
        promises=tuple(promises.values()),
    )


def read_change(text: str, file: str) -> tuple[Change | None, tuple[Finding, ...]]:
    """The change of a file, None where there is none, and the file's problems."""
    report = Report()
    found = _read_file(text, file, report)
    if found is not None and not isinstance(found, Change):
        report.error(found.place, "unknown_file", "the file is no change", "begin with change:")
    return found if isinstance(found, Change) else None, tuple(report.sorted())


def reread_devices(network: Network, texts: MappingType[str, str]) -> Reading:
    """A network with some of its device files read anew.

    Args:
        texts: The new contents, by the paths the devices were read from.
    """
    report = Report()
    changed, network = _with_devices(network, texts, report)
    check_devices(changed, network, report)
    return _reading(network, report)


def read_again(known: Reading, texts: MappingType[str, str], changed: Set[str]) -> Reading | None:
    """A network of whose files only some devices' are other ones; the rest is taken as it was read.

    Args:
        known: Of the other files, without a problem.
        texts: All contents, by path.
        changed: The paths whose contents are other ones.
    Returns:
        As `read_texts`; None where more than devices changed, or there are problems.
    """
    if not changed <= {device.place.file for device in known.network.devices}:
        return None
    report = Report()
    others = {file: texts[file] for file in sorted(changed)}
    devices, network = _with_devices(known.network, others, report)
    report.device = None
    check_references(network, report)
    if report.count or len(devices) < len(changed):
        return None
    return replace(
        _reading(network, report),
        cases=known.cases,
        changes=known.changes,
        promises=known.promises,
    )


def _with_devices(
    network: Network, texts: MappingType[str, str], report: Report
) -> tuple[list[Device], Network]:
    """Devices read from other texts of their files, and the network with them."""
    devices = {device.name: device for device in network.devices}
    names = {device.place.file: device.name for device in network.devices}
    changed = []
    for file, text in texts.items():
        device = _read_file(text, file, report)
        if not isinstance(device, Device):
            continue
        if device.name != names.get(file):
            report.error(device.place, "renamed", "a device keeps its name", "give it back")
            continue
        devices[device.name] = device
        changed.append(device)
    ordered = tuple(devices[name] for name in sorted(devices))
    return changed, replace(network, devices=ordered)


def _reading(network: Network, report: Report) -> Reading:
    return Reading(
        network=network,
        problems=tuple(report.sorted()),
        problem_count=report.count,
    )


def _keep(known: dict[str, Named], name: str, value: Named, what: str, report: Report) -> None:
    if name in known:
        report.error(
            value.place,
            f"duplicate_{what}",
            f"{what} {name} already stands in {known[name].place.file}",
            "give one of them another name",
        )
        return
    known[name] = value


def _keep_table(
    known: dict[tuple[str, str], ObservedTable], table: ObservedTable, report: Report
) -> None:
    held = known.setdefault((table.device, table.vrf), table)
    if held is not table:
        report.error(
            table.place,
            "duplicate_table",
            f"the table of {table.device} {table.vrf} already stands in {held.file}",
            "keep one of the two",
        )


def _read_file(
    text: str, file: str, report: Report
) -> Network | Device | OutsideNeighbour | Case | Change | PromiseFile | None:
    before = report.count
    root = parse(text, file, report)
    top = Place(file, 1, 1)
    if root is None:
        if report.count == before:
            report.error(top, "empty_file", "the file is empty", "write a device, or remove it")
        return None
    if not isinstance(root, Mapping):
        report.error(
            root.place,
            "wrong_type",
            "a file consists of keys with values",
            "begin with routrel: 1 and device: a name",
        )
        return None
    kinds = [kind for kind in FILE_KINDS if kind in root.pairs]
    if "network" in kinds:
        kinds = [kind for kind in kinds if kind not in ("outside", "promises")]  # keys of it too
    if len(kinds) != 1:
        text_ = (
            "says neither “device:”, “network:”, “outside:”, “case:”, “change:” nor “promises:”"
            if not kinds
            else "says " + " and ".join(f"“{kind}:”" for kind in kinds)
        )
        report.error(
            top,
            "unknown_file",
            f"the file {text_}",
            "one of them tells what the file describes",
        )
        return None
    if kinds[0] == "device":
        name_node = root.pairs["device"][1]
        report.device = getattr(name_node, "text", None)
    value = FILE_KINDS[kinds[0]].read(root, report)
    return None if value is BAD else value
