"""A headless Chromium for tests and screenshots."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager

from selenium.webdriver import Chrome, ChromeOptions, ChromeService

__all__ = ["browser"]


@contextmanager
def browser(*, width: int = 1280, height: int = 800, dark: bool = False) -> Iterator[Chrome]:
    """Debian's Chromium with a fresh profile, driven by Debian's ChromeDriver.

    Background networking is off: the browser talks to loopback alone.
    """
    profile = tempfile.mkdtemp(prefix="routrel-browser-")
    options = ChromeOptions()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    for argument in (
        "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
        "--disable-background-networking", "--disable-component-update", "--disable-sync",
        "--disable-dev-shm-usage", "--force-device-scale-factor=1", "--hide-scrollbars",
        f"--user-data-dir={profile}", f"--window-size={width},{height}",
    ):  # fmt: skip
        options.add_argument(argument)
    if dark:
        options.add_argument("--force-dark-mode")
    driver = Chrome(
        options=options,
        service=ChromeService(shutil.which("chromedriver") or "/usr/bin/chromedriver"),
    )
    try:
        # The window's frame counts; the page itself is to have the size asked for.
        driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False},
        )
        yield driver
    finally:
        driver.quit()
        shutil.rmtree(profile, ignore_errors=True)
