"""A full disk is said as such, nothing half is kept, and with space again all is well by itself."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import pytest

from tests.faults.site import LiveSite, eventually
from tests.faults.test_kills import BASE, KIOSK, demo


def may_mount(folder: Path) -> bool:
    """Whether this machine lets us have a small disk of our own."""
    if os.geteuid():
        return False
    tried = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", str(folder)],
        capture_output=True, check=False,
    )  # fmt: skip
    if tried.returncode == 0:
        subprocess.run(["umount", str(folder)], check=True)
    return tried.returncode == 0


def fill(path: Path) -> None:
    """Leave no byte on the disk that a file lies on."""
    file = os.open(path, os.O_WRONLY | os.O_CREAT)
    with suppress(OSError):
        while True:
            os.write(file, b"x" * 4096)
    os.close(file)


@pytest.fixture
def small_site(tmp_path: Path) -> Iterator[LiveSite]:
    if not may_mount(tmp_path):
        pytest.skip("mounting a small disk takes root and leave to do so")
    made = LiveSite(megabytes=400)
    try:
        yield made
    finally:
        made.remove()


def test_a_full_disk_is_said_as_such_and_recovered_from(small_site: LiveSite) -> None:
    person = small_site.person()
    ballast = small_site.var / "ballast"
    fill(ballast)
    big = [*demo("full"), ("files", ("big.yaml", b"#" * 3_000_000)), ("paths", (None, b"big.yaml"))]
    refused = person.post(f"{BASE}/imports", files=big)
    assert (refused.status_code, refused.json()["code"]) == (503, "disk_full"), refused.text
    answer = person.post(f"{BASE}/imports", files=demo("full"))  # small enough for memory
    assert answer.status_code == 503, answer.text
    assert answer.json()["code"] in ("disk_full", "database_unavailable"), answer.text
    asked = person.get(f"{BASE}/flow", params=KIOSK)
    assert asked.status_code in (200, 503), asked.text
    ballast.unlink()
    answer = eventually(
        "an answer",
        lambda: (a := person.get(f"{BASE}/flow", params=KIOSK)).status_code == 200 and a,
    )
    assert answer.json()["forward"]["verdict"] == "filtered"
    job = eventually(
        "an import",
        lambda: (a := person.post(f"{BASE}/imports", files=demo("again"))).status_code == 202 and a,
    ).json()
    assert person.ended(f"/api/imports/{job['id']}")["status"] == "done"
