"""One live site for all tests here that only hurt what is started again."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.faults.site import LiveSite


@pytest.fixture(scope="session")
def site() -> Iterator[LiveSite]:
    made = LiveSite()
    try:
        yield made
    finally:
        made.remove()
