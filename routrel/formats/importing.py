"""Files of any format that is known, as the texts of a network."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

from routrel.files.observed import (
    is_observed_file,
    is_observed_header,
    read_observed,
    write_observed,
)
from routrel.files.reader import (
    decode,
    is_network_file,
    is_table_header,
    named_device,
    read_texts,
)
from routrel.files.report import Report
from routrel.formats.device_text import Said, device_text, flow, name_for
from routrel.formats.events.json_lines import FORMAT as EVENTS
from routrel.formats.events.json_lines import SUFFIX as EVENTS_SUFFIX
from routrel.formats.linux.bundle import FILES, read_bundle
from routrel.formats.linux.device import read_host, read_host_tables
from routrel.formats.mrt.reading import FORMAT as MRT
from routrel.formats.mrt.reading import Surroundings, read_mrt
from routrel.formats.mrt.records import looks_like_mrt
from routrel.formats.plain.lists import Mapped
from routrel.formats.plain.reading import FORMAT as CSV
from routrel.formats.plain.reading import Lists, read_list
from routrel.formats.plain.tables import device_of_tables
from routrel.formats.reports import FileReport, ImportReport
from routrel.formats.yang.device import (
    FORMAT,
    YangFile,
    made_device,
    open_yang,
    tells_of_devices,
)
from routrel.formats.yang.topology import StatedLinks
from routrel.model.network import Role, StatedDevice
from routrel.model.observed import ObservedTable
from routrel.model.place import Place

__all__ = ["Imported", "import_files", "is_bundle_file", "is_foreign", "is_own", "tell_problems"]

OWN_FORMAT = "routrel"
_NETWORK = "network.yaml"


@dataclass(slots=True)
class Imported:
    """What came of files: texts of the language by path, and a report on each file."""

    texts: dict[str, str] = field(default_factory=dict)
    report: ImportReport = field(default_factory=ImportReport)


def tell_problems(made: Imported, report: Report) -> None:
    """Report files of our own that cannot be read: nothing may be computed without them."""
    for one in made.report.files:
        if one.format == OWN_FORMAT and one.refused:
            for message in one.messages:
                place = Place(one.path, message.line or 1, 1)
                report.error(place, "unreadable", message.text, "save the file as UTF-8")


def is_bundle_file(path: str) -> bool:
    """Whether a file's name is that of a capture of a Linux host."""
    return PurePosixPath(path).name in FILES


def is_foreign(path: str) -> bool:
    """Whether a file's name says that it may be of another format."""
    name = PurePosixPath(path).name
    return name in FILES or name.lower().endswith((".json", ".mrt", ".gz", ".bz2"))


def is_own(path: str, content: bytes) -> bool:
    """Whether a file is one of a network as it stands, not of another format."""
    if is_foreign(path) or not is_network_file(path):
        return False
    beginning = content[:4096].decode("utf-8-sig", "replace")
    return not is_observed_file(path) or is_table_header(beginning)


def import_files(
    contents: Mapping[str, bytes],
    folder: str = "",
    on_file: Callable[[int], None] | None = None,
    remembered: Mapping[str, Mapped] | None = None,
    *,
    validate: bool = True,
) -> Imported:
    """Read files of all formats that are known.

    Args:
        contents: By path, with forward slashes.
        folder: What the files' own folder is called; a bundle that lies in it has its name.
        on_file: Called with the number of files looked at; what it raises ends the import.
        remembered: By the columns' names, joined by commas: how lists with them are taken.
        validate: Whether to say where YANG data are not as their modules have it.
    """
    importing = _Importing(folder, remembered or {}, validate)
    for count, path in enumerate(sorted(contents)):
        if on_file:
            on_file(count)
        importing.sort_in(path, contents[path])
    importing.finish(lambda: on_file(len(contents)) if on_file else None)
    return importing.made


class _Importing:
    def __init__(self, folder: str, remembered: Mapping[str, Mapped], validate: bool) -> None:
        self.folder, self._remembered, self._validates = folder, remembered, validate
        self.made = Imported()
        self._bundles: dict[str, dict[str, bytes]] = defaultdict(dict)
        self._yang: list[YangFile] = []
        self._dumps: dict[str, bytes] = {}
        self._taken: dict[str, str] = {}  #: by device: the file it is from
        self._stated: dict[str, StatedDevice] = {}
        self._links = StatedLinks()
        self._lists = Lists()

    def sort_in(self, path: str, content: bytes) -> None:
        """Keep a file with others of its format."""
        place = PurePosixPath(path)
        if place.name in FILES:
            parent = str(place.parent)
            self._bundles["" if parent == "." else parent][place.name] = content
        elif is_own(path, content):
            self._take_own(path, content)
        elif is_observed_file(path):
            self._take_list(path, content)
        elif path.lower().endswith(".json"):
            opened = open_yang(path, content, self.made.report.file(path, FORMAT))
            if opened is not None:
                self._yang.append(opened)
        elif path.lower().endswith(EVENTS_SUFFIX):
            report = self.made.report.file(path, EVENTS)
            report.note("tells of events, which are no part of a revision; look at it by --events")
        elif looks_like_mrt(content[:16]):
            self._dumps[path] = content
        else:
            self.made.report.file(path).refuse("its format is not known")

    def _take_own(self, path: str, content: bytes) -> None:
        problems = Report()
        text = decode(path, content, problems)
        report = self.made.report.file(path, OWN_FORMAT)
        for problem in problems.problems:
            report.refuse(problem.text, problem.place.line)
        if text is not None:
            self.made.texts[path] = text

    def _take_list(self, path: str, content: bytes) -> None:
        problems = Report()
        text = decode(path, content, problems)
        report = self.made.report.file(path, CSV)
        if text is None:
            report.refuse(problems.problems[0].text, problems.problems[0].place.line)
        else:
            read_list(path, text, report, self._lists, self._remembered)

    def finish(self, alive: Callable[[], None]) -> None:
        """Make texts of what was kept, now that all of it is there.

        Args:
            alive: Called now and then; what it raises ends the import.
        """
        self._stated = {
            name: StatedDevice(
                name=name,
                role=Role(said["role"]) if "role" in said else None,
                site=said.get("site"),
                description=said.get("description", ""),
            )
            for name, said in self._lists.devices.items()
        }
        own = dict(self.made.texts)
        self._look_at_own(own)
        ports = set[tuple[str, str]]()
        for name, yang in _devices(self._yang, self.folder).items():
            alive()
            ports |= {(name, port) for port in self._take_yang(name, yang)}
            for file in yang if self._validates else ():
                file.check(whole=len(yang) == 1)
        for file in self._yang:
            if not file.done:
                file.name_leftovers(self._links)
                if self._validates:
                    file.check(whole=False)
        self.made.texts.update(self._lists.tables)
        for folder, captures in sorted(self._bundles.items()):
            self._take_bundle(folder, captures)
        for device, text in list(self._known_by_tables()):
            unknown = ["what it filters, steers and translates, and its protocols"]
            self._keep(device, f"{device}.yaml", text, (), unknown)
        if self._links.links:
            ports |= {
                (device.name, port.name)
                for device in read_texts(own).network.devices
                for port in device.interfaces
            }
        self._state_network(ports)
        if self._dumps:
            self._take_dumps(alive)

    def _look_at_own(self, texts: Mapping[str, str]) -> None:
        """Note whose files of our own there are, and what they say of others' devices.

        They are read in earnest by whoever asked for the import.
        """
        unlike: dict[str, str] = {}
        for path, text in texts.items():
            named = named_device(text)
            if named:
                self._taken.setdefault(named, path)
            elif "device" in text or "network" in text:
                unlike[path] = text  # the network's own, or written in an unusual way
        network = read_texts(unlike).network
        self._stated.update({one.name: one for one in network.stated})
        for device in network.devices:
            self._taken.setdefault(device.name, device.place.file)

    def _take_dumps(self, alive: Callable[[], None]) -> None:
        """Dumps last: who announces them is known by the addresses of all devices."""
        network = read_texts(self.made.texts).network
        around = Surroundings(network.outside, network.devices)
        for path, content in sorted(self._dumps.items()):
            report, written = self.made.report.file(path, MRT), set[str]()
            for made in read_mrt(content, report, around, lambda _: alive()):
                stem = str(PurePosixPath(path).parent / made.name)
                if made.outside:
                    self._keep_once(f"{stem}.yaml", made.outside, report)
                mine = f"{stem}.csv"
                if mine in written:  # of another address of the same network
                    self.made.texts[mine] += made.announcements.partition("\n")[2]
                else:
                    self._keep_once(mine, made.announcements, report)
                    written.add(mine)

    def _keep_once(self, path: str, text: str, report: FileReport) -> None:
        if path in self.made.texts:
            report.unknown(f"{path} is there already; what this file says of it is left out")
        else:
            self.made.texts[path] = text

    def _role(self, device: str) -> str | None:
        said = self._stated.get(device)
        return said.role.value if said and said.role else None

    def _take_bundle(self, folder: str, files: Mapping[str, bytes]) -> None:
        host = name_for(PurePosixPath(folder).name or self.folder or "host")
        bundle = read_bundle(host, folder, files, self.made.report)
        if not bundle.texts:
            return
        if host in self._taken:
            tables = read_host_tables(bundle)
            routes = [one for name, one in bundle.reports.items() if name.startswith("route")]
            self._take_tables(host, folder or host, tables, routes)
            for report in bundle.reports.values():
                if report not in routes:
                    report.note(f"left out: {host} is configured by {self._taken[host]}")
            return
        made = read_host(bundle, self._role(host))
        unknown = [text for one in bundle.reports.values() for text in one.unknowns]
        self._keep(host, f"{folder or host}.yaml", made.text, made.observed, unknown)

    def _take_yang(self, name: str, files: list[YangFile]) -> tuple[str, ...]:
        for file in files:
            file.report.device = name
        made = made_device(name, files, self._role(name))
        parent = PurePosixPath(files[0].path).parent
        path = f"{parent}.yaml" if parent.name == name else str(parent / f"{name}.yaml")
        for file in files:
            file.name_leftovers(self._links)
        if name in self._taken:
            stem = path.removesuffix(".yaml")
            self._take_tables(name, stem, made.tables, [file.report for file in files])
            return ()
        unknown = [text for file in files for text in file.report.unknowns]
        self._keep(name, path, made.text, made.tables, unknown)
        return made.interfaces

    def _take_tables(
        self,
        name: str,
        stem: str,
        tables: Iterable[ObservedTable],
        reports: Sequence[FileReport],
    ) -> None:
        """Take the tables alone of a device whose configuration another file has."""
        by = self._taken[name]
        network = read_texts({by: self.made.texts[by]}).network
        vrfs = {vrf.name for device in network.devices for vrf in device.vrfs}
        held = {(table.device, table.vrf) for table in self._read_tables()}
        kept = []
        for table in tables:
            if table.vrf not in vrfs:
                text = f"{by} gives {name} no VRF {table.vrf}, so its table is left out"
            elif (name, table.vrf) in held:
                text = f"the table {table.vrf} of {name} was read from another file already"
            else:
                kept.append(table)
                continue
            for report in reports[:1]:
                report.unknown(text)
        for report in reports:
            if kept:
                report.note(f"{name} is configured by {by}; its tables alone are taken from here")
            else:
                report.refuse(f"{name} is configured by {by}, and no table of it is told here")
        self._keep_tables(stem, kept)

    def _keep_tables(self, stem: str, tables: list[ObservedTable]) -> None:
        """Write tables beside what they were read from, over no file that is there."""
        path = f"{stem}-tables.csv"
        while path in self.made.texts:
            path = f"{path.removesuffix('.csv')}-read.csv"
        if tables:
            self.made.texts[path] = write_observed(tables)

    def _read_tables(self) -> Iterator[ObservedTable]:
        """The tables that were read so far."""
        for path, text in self.made.texts.items():
            if is_observed_file(path) and is_observed_header(text):
                yield from read_observed(text, path, Report())

    def _keep(
        self,
        name: str,
        path: str,
        text: str,
        tables: Iterable[ObservedTable],
        unknown: Sequence[str],
    ) -> None:
        self._taken[name] = path
        if unknown:
            text += device_text({"unknown": [Said(words) for words in unknown]})
        self.made.texts[path] = _with_stated(text, self._stated.get(name))
        self._keep_tables(path.removesuffix(".yaml"), list(tables))

    def _known_by_tables(self) -> Iterator[tuple[str, str]]:
        """Device files for those of whom nothing is known but their tables."""
        by_device: dict[str, list[ObservedTable]] = defaultdict(list)
        for table in self._read_tables():
            by_device[table.device].append(table)
        for device, tables in by_device.items():
            if device not in self._taken:
                linked = self._lists.linked.get(device, ())
                yield device, device_of_tables(device, tables, linked)

    def _state_network(self, ports: set[tuple[str, str]]) -> None:
        """Write what files say of the network as a whole into its file."""
        added: dict[str, Any] = {}
        sites = {one.site for one in self._stated.values() if one.site}
        if sites and self._lists.devices:
            added["sites"] = {site: Said({}) for site in sorted(sites)}
        if links := {**self._lists.links, **self._links_of_topologies(ports)}:
            added["links"] = links
        if self._lists.outside:
            added["outside"] = {name: Said(keys) for name, keys in self._lists.outside.items()}
        if self._lists.names:
            lines = [
                f"{address} {name}\n"
                for name, addresses in self._lists.names.items()
                for address in addresses
            ]
            self.made.texts["imported.hosts"] = "".join(lines)
        if not added:
            return
        path = next(
            (path for path, text in self.made.texts.items() if "\nnetwork:" in f"\n{text}"), None
        )
        if path is None:
            plain = {"routrel": 1, "network": self.folder or "Imported network", **added}
            self.made.texts[_NETWORK] = device_text(plain)
            return
        text = self.made.texts[path]
        for key in list(added):
            if f"\n{key}:" in f"\n{text}":
                report = self.made.report.file(path)
                report.unknown(f"it has {key} of its own, so those of other files are left out")
                del added[key]
        if added:
            self.made.texts[path] = text.rstrip("\n") + "\n" + device_text(added)

    def _links_of_topologies(self, ports: set[tuple[str, str]]) -> dict[str, Said]:
        """The links that topologies name, where both of their ends are known."""
        links: dict[str, Said] = {}
        for ends, (name, remark) in self._links.links.items():
            strangers = sorted(f"{device}:{port}" for device, port in ends - ports)
            if strangers:
                report = self.made.report.file(remark.rpartition(":")[0])
                report.unknown(f"the link {name} ends at {strangers[0]}, which is not known")
                continue
            unique = name
            while unique in links:
                unique += "-"
            between = sorted(f"{device}:{port}" for device, port in ends)
            links[unique] = Said({"between": between}, remark)
        return links


def _devices(files: list[YangFile], folder: str) -> dict[str, list[YangFile]]:
    """The files of each device.

    A file that says what its device is called is of that one. Else all files of a folder are of
    one device, named by it, unless several of them say which interfaces there are: then each file
    is of its own, named by it. So is a file that lies in no folder.
    """
    found: dict[str, list[YangFile]] = defaultdict(list)
    by_folder: dict[str, list[YangFile]] = defaultdict(list)
    for file in files:
        if not tells_of_devices(file):
            continue
        host = file.hostname
        if host:
            found[name_for(host)].append(file)
        else:
            by_folder[str(PurePosixPath(file.path).parent)].append(file)
    for parent, members in by_folder.items():
        whole = [file for file in members if file.has_interfaces]
        if parent == "." or len(whole) > 1 or (len(members) == 1 and whole):
            for file in members:
                stem = PurePosixPath(file.path).name.partition(".")[0]
                found[name_for(stem)].append(file)
        else:
            name = name_for(PurePosixPath(parent).name or folder)
            found[name].extend(members)
    return dict(sorted(found.items()))


def _with_stated(text: str, said: StatedDevice | None) -> str:
    """A device file with what is said of the device beside it."""
    if said is None:
        return text
    lines = text.splitlines()
    at = next(n for n, line in enumerate(lines) if line.startswith("role:")) + 1
    more = [f"site: {flow(said.site)}"] if said.site else []
    if said.description:
        more.append(f"description: {flow(said.description)}")
    return "\n".join([*lines[:at], *more, *lines[at:]]) + "\n"
