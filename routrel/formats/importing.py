"""Files of any format that is known, as the texts of a network."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from routrel.files.observed import write_observed
from routrel.files.reader import decode, is_network_file, read_texts
from routrel.files.report import Report
from routrel.formats.device_text import name_for
from routrel.formats.linux.bundle import FILES, read_bundle
from routrel.formats.linux.device import read_host
from routrel.formats.reports import ImportReport
from routrel.model.network import StatedDevice

__all__ = ["Imported", "import_files", "is_foreign"]

OWN_FORMAT = "routrel"


@dataclass(slots=True)
class Imported:
    """What came of files: texts of the language by path, and a report on each file."""

    texts: dict[str, str] = field(default_factory=dict)
    report: ImportReport = field(default_factory=ImportReport)


def is_foreign(path: str) -> bool:
    """Whether a file's name says that it may be of another format."""
    return PurePosixPath(path).name in FILES


def import_files(
    contents: Mapping[str, bytes],
    folder: str = "",
    on_file: Callable[[int], None] | None = None,
) -> Imported:
    """Read files of all formats that are known.

    Args:
        contents: By path, with forward slashes.
        folder: What the files' own folder is called; a bundle that lies in it has its name.
        on_file: Called with the number of files looked at; what it raises ends the import.
    """
    importing = _Importing(folder)
    for count, path in enumerate(sorted(contents)):
        if on_file:
            on_file(count)
        importing.sort_in(path, contents[path])
    importing.finish()
    importing.made.report.files.sort(key=lambda one: one.path)
    return importing.made


class _Importing:
    def __init__(self, folder: str) -> None:
        self.folder = folder
        self.made = Imported()
        self._bundles: dict[str, dict[str, bytes]] = defaultdict(dict)

    def sort_in(self, path: str, content: bytes) -> None:
        """Keep a file with others of its format."""
        place = PurePosixPath(path)
        if place.name in FILES:
            parent = str(place.parent)
            self._bundles["" if parent == "." else parent][place.name] = content
        elif is_network_file(path):
            self._take_own(path, content)
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

    def finish(self) -> None:
        """Make texts of what was kept, now that all of it is there."""
        own = read_texts(self.made.texts) if self.made.texts else None
        stated = {one.name: one for one in own.network.stated} if own else {}
        taken = {device.name: device.place.file for device in own.network.devices} if own else {}
        for folder, files in sorted(self._bundles.items()):
            host = name_for(PurePosixPath(folder).name or self.folder or "host")
            bundle = read_bundle(host, folder, files, self.made.report)
            if not bundle.texts:
                continue
            if host in taken:
                bundle.report("addr.json").refuse(f"{host} stands in {taken[host]} too")
                continue
            said = stated.get(host)
            made = read_host(bundle, said.role.value if said and said.role else None)
            path = f"{folder}.yaml" if folder else f"{host}.yaml"
            taken[host] = path
            if made.observed:
                self.made.texts[f"{path.removesuffix('.yaml')}-tables.csv"] = write_observed(
                    made.observed
                )
            self.made.texts[path] = _with_stated(made.text, said)


def _with_stated(text: str, said: StatedDevice | None) -> str:
    """A device file with what is said of the device beside it."""
    if said is None:
        return text
    lines = text.splitlines()
    at = next(n for n, line in enumerate(lines) if line.startswith("role:")) + 1
    more = [f"site: {said.site}"] if said.site else []
    if said.description:
        more.append(f"description: {said.description!r}")
    return "\n".join([*lines[:at], *more, *lines[at:]]) + "\n"
