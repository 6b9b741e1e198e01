"""Uploads made to break something: each is refused in words, or read; none fails, none stays."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Callable

import pytest

from tests.faults.site import LiveSite, Person

GOOD = b"routrel: 1\ndevice: r\nrole: router\n"
Files = dict[str, bytes]


def zipped(files: Files, method: int = zipfile.ZIP_DEFLATED) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", method) as archive:
        for path, data in files.items():
            archive.writestr(path, data)
    return buffer.getvalue()


def spoilt(method: int) -> bytes:
    """An archive whose compressed stream is garbage, while its directory is whole."""
    data = bytearray(zipped({"r.yaml": GOOD * 50}, method))
    start = 30 + len("r.yaml")
    for place in range(start, start + 12):
        data[place] ^= 0x5A
    return bytes(data)


def lying() -> bytes:
    """An archive that states a small size for a member that unpacks to 300 MiB."""
    data = zipped({"r.yaml": b"a: 1\n" * (60 * 1024 * 1024)})
    large = struct.pack("<I", 5 * 60 * 1024 * 1024)
    return data.replace(large, struct.pack("<I", 100))


def encrypted() -> bytes:
    data = bytearray(zipped({"r.yaml": GOOD}))
    data[6] |= 1
    data[data.rindex(b"PK\x01\x02") + 8] |= 1
    return bytes(data)


def link() -> bytes:
    info = zipfile.ZipInfo("r.yaml")
    info.external_attr = 0o120777 << 16
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(info, "/etc/hostname")
    return buffer.getvalue()


def lines(text: str, count: int) -> bytes:
    return GOOD + "".join(text.format(n) for n in range(count)).encode()


#: Refused before there is a job, with a part of the sentence.
REFUSED: dict[str, tuple[Callable[[], Files], str]] = {
    "no archive": (lambda: {"a.zip": b"PK\x03\x04 no"}, "not readable as zip"),
    "an empty archive": (lambda: {"a.zip": zipped({})}, "no device file"),
    "broken deflate": (lambda: {"a.zip": spoilt(zipfile.ZIP_DEFLATED)}, "not readable as zip"),
    "broken LZMA": (lambda: {"a.zip": spoilt(zipfile.ZIP_LZMA)}, "not readable as zip"),
    "broken bzip2": (lambda: {"a.zip": spoilt(zipfile.ZIP_BZIP2)}, "not readable as zip"),
    "cut short": (lambda: {"a.zip": zipped({"r.yaml": GOOD})[:-30]}, "not readable as zip"),
    "encrypted": (lambda: {"a.zip": encrypted()}, "encrypted"),
    "unpacks to 300 MiB": (lambda: {"a.zip": zipped({"r.yaml": b"a" * (300 * 2**20)})}, "too much"),
    "lies about its size": (lambda: {"a.zip": lying()}, "not readable as zip"),
    "leads out": (lambda: {"a.zip": zipped({"../r.yaml": GOOD})}, "leads out"),
    "absolute": (lambda: {"a.zip": zipped({"/etc/r.yaml": GOOD})}, "leads out"),
    "backslashes that lead out": (lambda: {"a.zip": zipped({"..\\r.yaml": GOOD})}, "leads out"),
    "control characters": (lambda: {"a\x1b[2J.yaml": GOOD}, "characters that no path has"),
    "a long path": (lambda: {"d/" * 300 + "r.yaml": GOOD}, "too long"),
    "twice": (lambda: {"r.yaml": GOOD, "a.zip": zipped({"r.yaml": GOOD})}, "twice"),
    "too many": (lambda: {"a.zip": zipped({f"{n}.yaml": b"" for n in range(20_001)})}, "too much"),
    "an archive in an archive": (lambda: {"a.zip": zipped({"b.zip": zipped({"r.yaml": GOOD})})},
                                 "no device file"),
}  # fmt: skip

#: Read by a job, which refuses them with a problem of this code.
PROBLEMS: dict[str, tuple[Callable[[], Files], str]] = {
    "no text": (lambda: {"r.yaml": b"\xff\xfe\x00r"}, "not_text"),
    "a control character": (lambda: {"r.yaml": GOOD + b"description: a\x00b\n"}, "not_text"),
    "a spelled one in a key": (lambda: {"r.yaml": GOOD + b'"bad\\0key": 1\n'}, "not_text"),
    "a spelled one in a name": (lambda: {"r.yaml": b'routrel: 1\ndevice: "a\\0b"\nrole: router\n'}, "not_text"),
    "aliases that grow": (lambda: {"r.yaml": b"a: &a [x]\nb: &b [*a, *a]\nc: [*b, *b]\n"}, "alias"),
    "a tag that names code": (lambda: {"r.yaml": b"device: !!python/object:os.system x\n"}, "tag"),
    "deep brackets": (lambda: {"r.yaml": b"device: " + b"[" * 100_000}, "too_deep"),
    "too large": (lambda: {"r.yaml": GOOD + b"#" * (17 * 2**20)}, "too_large"),
    "a symbolic link": (lambda: {"a.zip": link()}, "wrong_type"),
    "nothing in it": (lambda: {"r.yaml": b""}, "empty_file"),
    "many unknown keys": (lambda: {"r.yaml": lines("k{}: 1\n", 100_000)}, "unknown_key"),
    "a long unknown value": (lambda: {"r.yaml": GOOD.replace(b"router", b"x" * 2**20)}, "bad_value"),
}  # fmt: skip


@pytest.fixture(scope="module")
def owner(site: LiveSite) -> Person:
    return site.person("olaf")


@pytest.fixture(scope="module")
def slug(owner: Person) -> str:
    return owner.post("/api/networks", json={"title": "Hostile"}).json()["slug"]


def upload(owner: Person, slug: str, files: Files):
    parts = [
        part
        for path, data in files.items()
        for part in (("files", ("f.zip", data)), ("paths", (None, path.encode())))
    ]
    return owner.post(f"/api/networks/{slug}/imports", files=parts)


@pytest.mark.parametrize("name", REFUSED)
def test_what_cannot_be_taken_is_refused_at_once(owner, slug, name):
    made, part = REFUSED[name]
    answer = upload(owner, slug, made())
    assert (answer.status_code, answer.json()["code"]) == (400, "upload_refused"), answer.text
    assert part in answer.json()["message"]


@pytest.mark.parametrize("name", PROBLEMS)
def test_what_cannot_be_read_is_told_by_line(owner, slug, name):
    made, code = PROBLEMS[name]
    answer = upload(owner, slug, made())
    assert answer.status_code == 202, answer.text
    job = owner.ended(f"/api/imports/{answer.json()['id']}")
    assert job["status"] == "refused", job
    found = job["answer"]["problems"]
    assert code in {problem["code"] for problem in found}
    assert len(found) == min(1000, job["answer"]["problem_count"])


def test_twenty_thousand_files_take_few_open_ones(owner, slug):
    """With at most 1,024 files open; each stands in the revision once."""
    files = {f"devices/r{n}.yaml": GOOD.replace(b"r\n", b"r%d\n" % n, 1) for n in range(19_999)}
    answer = upload(owner, slug, files)
    assert answer.status_code == 202, answer.text
    job = owner.ended(f"/api/imports/{answer.json()['id']}", seconds=400)
    assert (job["status"], job["total"]) == ("done", 19_999), job
    assert owner.get(f"/api/imports/{job['id']}/files/devices/r1.yaml").status_code == 404
