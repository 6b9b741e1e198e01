"""Every reader of files, as a function of bytes that nothing may make fail.

A reader either takes bytes or says in its report why not. What it makes of them has to be readable
as files of our own.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from routrel.files.reader import read_texts
from routrel.formats.events.dumps import read_dump_events
from routrel.formats.events.json_lines import read_events
from routrel.formats.events.syslog import BadMessage, frames, read_message
from routrel.formats.importing import import_files
from routrel.formats.linux.bundle import FILES
from routrel.formats.reports import Verdict

__all__ = ["FOUND", "READERS", "files_of"]

#: What once made a reader fail, in a folder for each; replayed by the tests of formats.
FOUND = Path(__file__).with_name("found")

#: A device of which captures and dumps may speak.
_EDGE = b"routrel: 1\ndevice: edge\nrole: router\ninterfaces:\n  e0: {addresses: [192.0.2.1/24]}\n"
#: By reader: the file that bytes are the content of.
_NAMES = {
    "yang": "r1.json",
    "mrt": "dump.mrt",
    "list": "list.csv",
    "hosts": "names.hosts",
    "own": "r1.yaml",
}


def files_of(reader: str, data: bytes) -> dict[str, bytes]:
    """The files that bytes are taken for; those of a host are joined by zero bytes, in order."""
    if reader == "linux":
        parts = data.split(b"\x00")
        return {f"host/{name}": part for name, part in zip(FILES, parts, strict=False) if part}
    return {"edge.yaml": _EDGE, _NAMES[reader]: data}


def _import(reader: str) -> Callable[[bytes], None]:
    def work(data: bytes) -> None:
        files = files_of(reader, data)
        made = import_files(files)
        for one in made.report.files:
            assert one.verdict is not Verdict.REFUSED or one.messages, one.path
        problems = read_texts(made.texts).problems
        written = [one for one in problems if one.place.file not in files]
        assert not written, written[0]

    return work


def _events(data: bytes) -> None:
    made = read_events(data, "events.jsonl")
    assert made.events or made.report.messages or not data.decode("utf-8-sig").strip()


def _messages(data: bytes) -> None:
    for frame in frames(data):
        with suppress(BadMessage):
            read_message(frame.octets)


def _dump_events(data: bytes) -> None:
    made = read_dump_events(data, "dump.mrt")
    assert made.events or made.report.messages or not data


READERS = {
    **{name: _import(name) for name in (*_NAMES, "linux")},
    "events": _events,
    "dump-events": _dump_events,
    "syslog": _messages,
}
