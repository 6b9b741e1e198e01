"""The built web app as it is handed out: compressed ahead of time, and kept by browsers."""

from __future__ import annotations

import pytest
from django.conf import settings
from django.test import Client

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize(
    ("accepted", "encoding"), [("br, gzip", "br"), ("gzip", "gzip"), ("", None)]
)
def test_built_files_are_compressed_and_never_asked_for_again(accepted, encoding):
    """The largest script; its name changes with its content, so it is kept for good."""
    largest = max(settings.WEB_APP.glob("assets/*.js"), key=lambda path: path.stat().st_size)
    answer = Client().get(f"/assets/{largest.name}", headers={"accept-encoding": accepted})
    assert answer.status_code == 200
    assert answer.headers.get("Content-Encoding") == encoding
    assert "immutable" in answer.headers["Cache-Control"]
    size = int(answer.headers["Content-Length"])
    assert size == largest.stat().st_size if encoding is None else size < largest.stat().st_size / 2
    answer.close()


def test_the_page_itself_is_asked_for_each_time():
    assert Client().get("/login").headers["Cache-Control"] == "no-cache"
