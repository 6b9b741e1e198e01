"""A whole Routrel of its own for browser tests: web server, executor and database, demo loaded."""

from __future__ import annotations

import re
import secrets
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlencode

import pytest

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "tools"))

from browser import browser  # noqa: E402
from launch.database import Cluster, free_port  # noqa: E402
from launch.processes import Processes, executor, web_server  # noqa: E402
from launch.setup import VAR, manage  # noqa: E402
from selenium.common.exceptions import TimeoutException  # noqa: E402
from selenium.webdriver.common.by import By  # noqa: E402
from selenium.webdriver.remote.webdriver import WebDriver  # noqa: E402
from selenium.webdriver.remote.webelement import WebElement  # noqa: E402
from selenium.webdriver.support.ui import WebDriverWait  # noqa: E402

DATABASE = "routrel_browser"


@dataclass(frozen=True)
class Site:
    url: str
    password: str


@pytest.fixture(scope="session")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Site]:
    """The application as ./start serves it, on a free port, with a database of its own."""
    Cluster(VAR).create_database(DATABASE, anew=True)
    environment = {"ROUTREL_DATABASE": DATABASE}
    password_file = tmp_path_factory.mktemp("secrets") / "password"
    password_file.write_text(secrets.token_hex(8))
    manage("migrate", "--no-input", env=environment)
    manage("load_demo", "--password-file", str(password_file), env=environment)
    port = free_port(8700)
    processes = Processes(environment, logs=tmp_path_factory.mktemp("logs"))
    processes.start("executor", executor())
    processes.start("web server", web_server(port))
    try:
        processes.wait_until_answers(f"http://127.0.0.1:{port}/api/session")
        yield Site(f"http://127.0.0.1:{port}", password_file.read_text())
    finally:
        processes.stop()


class Reader:
    """A person at the browser: finds things by role and label, waits for what should come."""

    def __init__(self, driver: WebDriver, site: Site) -> None:
        self.driver, self.site = driver, site

    def wait(self, condition: Callable[[], object], what: str, seconds: float = 20) -> object:
        waiting = WebDriverWait(self.driver, seconds, ignored_exceptions=[Exception])
        try:
            return waiting.until(lambda _: condition())
        except TimeoutException:
            pytest.fail(f"{what}; the page says: {self.text()[:600]}")

    def text(self) -> str:
        return self.driver.find_element(By.TAG_NAME, "body").text

    def reads(self, *parts: str, seconds: float = 20) -> None:
        """Wait until the page says all of this."""
        for part in parts:
            self.wait(lambda part=part: part in self.text(), f"“{part}” did not appear", seconds)

    def labelled(self, label: str) -> WebElement:
        """The control or region with exactly this accessible name."""
        found = self.wait(
            lambda: next(
                e
                for e in self.driver.find_elements(
                    By.CSS_SELECTOR, "input,button,a,select,textarea,[role],[aria-label],section"
                )
                if " ".join(e.accessible_name.split()) == label
            ),
            f"nothing is called “{label}”",
        )
        assert isinstance(found, WebElement)
        return found

    def press(self, label: str) -> None:
        self.labelled(label).click()

    def fill(self, label: str, text: str) -> WebElement:
        field = self.labelled(label)
        field.clear()
        field.send_keys(text)
        return field

    def shown_revision(self) -> object:
        """The revision that the header says everything is seen through."""
        return self.wait(
            lambda: re.search(r"Revision\n(\d+)", self.text())[1],  # type: ignore[index]
            "no revision is shown",
        )

    def open(self, path: str, **query: str) -> None:
        self.driver.get(self.site.url + path + (f"?{urlencode(query)}" if query else ""))

    def log_in(self, name: str = "nora") -> None:
        self.open("/login")
        self.fill("Name", name)
        self.fill("Password", self.site.password)
        self.press("Log in")
        self.reads("Marram Coast Ferries")

    def forget_errors(self) -> list[str]:
        """What the page has logged as errors since this was last asked."""
        entries: list[dict[str, str]] = self.driver.get_log("browser")  # type: ignore[attr-defined]
        return [entry["message"] for entry in entries if entry["level"] == "SEVERE"]

    def accessible(self) -> None:
        """No serious accessibility problem on the page, contrast (AA) included, by axe."""
        script = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
        self.driver.execute_script(script.read_text())
        found = self.driver.execute_async_script(
            "const done = arguments[0]; axe.run({resultTypes: ['violations']}).then(r => done("
            "r.violations.filter(v => ['serious','critical'].includes(v.impact))"
            ".map(v => v.id + ': ' + v.nodes.slice(0,3).map(n => n.html.slice(0,160)).join(' | '))))"
        )
        assert found == []


@pytest.fixture
def reader(site: Site) -> Iterator[Reader]:
    """A person who has just opened the browser; the page must not log errors."""
    with browser() as driver:
        person = Reader(driver, site)
        yield person
        time.sleep(0.1)
        severe = person.forget_errors()
        # A refused question is answered with 4xx, which the browser logs as well.
        assert [m for m in severe if "status of 4" not in m] == []
