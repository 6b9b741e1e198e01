"""Takes the pictures in docs/screenshots/ from the running demo.

Run ./start first, then `.venv/bin/python tools/screenshots.py`. It logs in as the demo's editor and
leaves one refused import and a change behind, no revision.
"""

from __future__ import annotations

import argparse
import sys
import tempfile
import zipfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent))

from browser import browser
from launch.console import ROOT
from launch.setup import demo_password_file
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webdriver import WebDriver
from selenium.webdriver.support.ui import WebDriverWait

FOLDER = ROOT / "docs" / "screenshots"

#: File name, page, and text that shows that the page is complete.
VIEWS = [
    ("flows-empty", "/n/marram/flows", "Complaints that came with this network"),
    ("flows-blocked", "/n/marram/flows?from=kiosk-gul&to=booking-db&as=tcp+5432", "Rules tried"),
    ("routes-ladder", "/n/marram/routes?q=10.64.13.0/24&device=har-yard-2", "Why har-yard-2"),
    ("routes-bgp", "/n/marram/routes?q=198.51.100.40&device=brk-edge-1", "Why brk-edge-1"),
    (
        "routes-sessions",
        "/n/marram/routes/sessions?bounce=ald-core-1+default+10.255.0.3",
        "every table is as it was",
    ),
    (
        "routes-policy",
        "/n/marram/routes/policies?device=ald-edge-1&policy=from-isle&prefix=198.51.100.0/24"
        "&as-path=64510+64496",
        "not reached",
    ),
    ("routes-table", "/n/marram/routes?table=gul-edge-1", "10.64.4.0/24"),
    (
        "routes-as-read",
        "/n/marram/routes/agreement?table=gul-edge-1+default",
        "a static route that no file",
    ),
    ("flows-causes", "/n/marram/flows?from=kiosks&to=10.80.3.0/24&as=tcp+5432", "16 pairs"),
    ("devices-chart", "/n/marram/devices/chart?device=gul-edge-1", "Eastmere"),
    (
        "devices-flow",
        "/n/marram/devices/chart?from=kiosk-gul&to=booking-db&as=tcp+5432",
        "rule 30 of wan-in",
    ),
    ("what-moves", "/n/marram/compare?fail=device:eas-fw-1", "flows take another way"),
    ("promises", "/n/marram/promises?promise=crane-control&show=broken", "rests on"),
    (
        "failures",
        "/n/marram/failures?kind=link&kind=group&kind=line&case=link:10.66.9.0/31",
        "Smallest sets that break",
    ),
    ("devices-findings", "/n/marram/devices/findings", "is shut"),
]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--url", default="http://127.0.0.1:8640")
    options = parser.parse_args()
    FOLDER.mkdir(parents=True, exist_ok=True)
    with browser() as driver:
        driver.get(options.url + "/login")
        _reads(driver, "Log in")
        name, password = driver.find_elements(By.TAG_NAME, "input")
        name.send_keys("nora")
        password.send_keys(demo_password_file().read_text().strip())
        driver.find_element(By.CSS_SELECTOR, "button[type=submit]").click()
        _reads(driver, "Networks")
        for view, path, text in VIEWS:
            driver.get(options.url + path)
            _reads(driver, text)
            _keep(driver, view)
        _change(driver, options.url)
        _remedies(driver, options.url)
        _broken_import(driver, options.url)
        driver.get(options.url + VIEWS[1][1])
        driver.execute_script("document.documentElement.dataset.theme = 'dark'")
        _reads(driver, "Rules tried")
        _keep(driver, "flows-blocked-dark")


def _change(driver: WebDriver, url: str) -> None:
    """A change of the demo with a mistake in it."""
    name = "gullspit-by-drumlin"
    driver.get(url + "/n/marram/changes")
    _reads(driver, "Worked on")
    opened = driver.find_elements(By.XPATH, f"//main//a[.='{name}']")
    if opened:
        opened[0].click()
    else:
        button = f"//button[@aria-label='Open changes/{name}.yaml as a change']"
        driver.find_element(By.XPATH, button).click()
    _reads(driver, "only one direction moves")
    _keep(driver, "change")


def _remedies(driver: WebDriver, url: str) -> None:
    driver.get(url + "/n/marram/flows?from=ter-stores-1&to=ter-pump-1&as=tcp+502")
    _reads(driver, "Search for remedies")
    driver.find_element(By.XPATH, "//button[.='Search for remedies']").click()
    _reads(driver, "remedies found by trying")
    _scroll_to(driver, "Remedies")
    _keep(driver, "flows-remedies")


def _scroll_to(driver: WebDriver, label: str) -> None:
    section = driver.find_element(By.CSS_SELECTOR, f'section[aria-label="{label}"]')
    driver.execute_script("arguments[0].scrollIntoView()", section)


def _broken_import(driver: WebDriver, url: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        archive = Path(folder) / "marram.zip"
        with zipfile.ZipFile(archive, "w") as made:
            files = (path for path in (ROOT / "demo").rglob("*.*") if path.is_file())
            for path in sorted(files):
                text = path.read_text()
                if path.name == "gul-edge-1.yaml":
                    text = text.replace("description: to har", "descripton: to har")
                    text = text.replace("cost: 35", "cost: 0")
                made.writestr(str(path.relative_to(ROOT / "demo")), text)
        driver.get(url + "/n/marram/import")
        _reads(driver, "Drop files here")
        driver.find_element(By.CSS_SELECTOR, "input[type=file][multiple]").send_keys(str(archive))
        _reads(driver, "Not imported")
        _reads(driver, "descripton: to har")
        _keep(driver, "import-problems")


def _reads(driver: WebDriver, text: str, seconds: float = 240) -> None:
    WebDriverWait(driver, seconds).until(
        lambda d: text in d.find_element(By.TAG_NAME, "body").text, f"“{text}” did not appear"
    )


def _keep(driver: WebDriver, name: str) -> None:
    driver.execute_async_script("document.fonts.ready.then(() => setTimeout(arguments[0], 300))")
    driver.save_screenshot(str(FOLDER / f"{name}.png"))


if __name__ == "__main__":
    main()
