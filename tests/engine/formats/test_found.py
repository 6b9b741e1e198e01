"""What once made a reader fail, found by random bytes: it does so no more."""

from __future__ import annotations

import pytest

from tests.fuzzing.readers import FOUND, READERS

KEPT = sorted(path for path in FOUND.rglob("*") if path.is_file())


@pytest.mark.parametrize("path", KEPT, ids=lambda path: f"{path.parent.name}/{path.name}")
def test_what_was_found_is_taken_or_it_is_said_why_not(path):
    READERS[path.parent.name](path.read_bytes())
