"""The page around the answers: what it loads, what it says when something is missing, how it narrows."""

from __future__ import annotations

from tests.browser.conftest import Reader

FLOW = {"revision": "2", "from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}
#: What the page has loaded so far, compressed as it came: documents, scripts, styles, fonts.
LOADED = """
return [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')]
  .map(entry => [new URL(entry.name).pathname, entry.encodedBodySize])
"""


def test_the_login_loads_little_and_the_chart_no_editor(reader: Reader):
    reader.open("/login")
    reader.labelled("Password")
    loaded = dict(reader.driver.execute_script(LOADED))
    assert sum(loaded.values()) < 130_000, loaded
    assert not any("Chart" in path or "Frame" in path for path in loaded)


def test_a_part_that_is_gone_after_an_update_is_told_not_a_white_page(reader: Reader):
    reader.log_in()
    reader.driver.execute_cdp_cmd("Network.enable", {})
    reader.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": ["*PoliciesPage*"]})
    reader.open("/n/marram/routes/policies")
    reader.reads("A part of the page could not be loaded", "probably updated a moment ago")
    reader.reads("Marram Coast Ferries", "Flows")  # the frame stays
    reader.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
    reader.press("Load the page anew")
    reader.reads("Choose a policy")
    reader.forget_errors()  # that the part was missing stands in the log, as it should


def _narrow(reader: Reader, width: int) -> None:
    size = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    reader.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)


def test_pages_narrow_to_twice_the_zoom(reader: Reader):
    """640 pixels are 1280 at 200 %: nothing is wider than the window, and axe has no complaint."""
    reader.log_in()
    _narrow(reader, 640)
    for path, query, said in (
        ("/n/marram/flows", FLOW, "Blocked at eas-fw-1"),
        ("/n/marram/routes", {"q": "10.80.3.12"}, "Who holds which route"),
        ("/n/marram/routes/sessions", {}, "44 of 45"),
        ("/n/marram/devices/chart", {}, "2 links down"),
        ("/n/marram/devices/list", {}, "72 devices"),
        ("/n/marram/devices/findings", {}, "findings"),
        ("/n/marram/import", {}, "Drop files here"),
        ("/language", {}, "A whole network"),
    ):
        reader.open(path, **query)
        reader.reads(said)
        width = reader.driver.execute_script("return document.documentElement.scrollWidth")
        assert (path, width) <= (path, 640)
        heads = reader.driver.execute_script("return document.querySelectorAll('h1').length")
        assert (path, heads) == (path, 1)
        reader.accessible()


def test_the_strip_fits_on_paper(reader: Reader):
    reader.log_in()
    _narrow(reader, 1047)  # A4 across, less its margins
    reader.open("/n/marram/flows", **{"from": "198.51.100.9", "to": "booking-web", "as": "tcp 443"})
    reader.reads("from each of the 3 places")
    reader.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    right = reader.driver.execute_script(
        "return Math.max(...[...document.querySelectorAll('[data-tile]')]"
        ".map(tile => tile.getBoundingClientRect().right))"
    )
    assert 0 < right <= 1047
    reader.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": ""})
