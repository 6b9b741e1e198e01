"""How fast a large network is to look at in a real browser: its chart, lists, and find-anything.

Opened are 1,000 devices with 3,000 links, each by name, and 5,000 devices with 15,000 links, by
sites first. The time to open is from the answer with the chart's data to the first drawing of it,
layout included; the frames are those drawn in a drag, or a scroll, of three seconds. The
lists are those of 1,000 devices and of their findings; of find-anything it is the time from a
question to its answer. The application must be running (./start in another terminal). The networks
made for this are removed again.
From the checkout:

    PYTHONPATH=. .venv/bin/python bench/large_in_browser.py http://127.0.0.1:8640
"""

from __future__ import annotations

import os
import secrets
import sys
import time
from pathlib import Path
from typing import Any

import django

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "tools"))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
django.setup()

from browser import browser  # noqa: E402
from django.contrib.auth import get_user_model  # noqa: E402
from selenium.webdriver.common.by import By  # noqa: E402

from bench.networks import sites_with_trunks  # noqa: E402
from server.networks.imports import add_revision  # noqa: E402
from server.networks.models import Membership, Network, Role  # noqa: E402

SIZES = ((1000, 3000, 25, "none"), (5000, 15000, 100, "all"))
NAME = "bench-chart"
PATIENCE_S = 120
#: What makes a finding of each device: nothing leads to the next hop.
SUSPICIOUS = "static: [{to: 10.250.0.0/16, via: 10.249.0.1}]\n"

#: Milliseconds from the end of the answer to the drawing; null while nothing is drawn.
OPENED = """
const answer = performance.getEntriesByType('resource').find(e => /chart[?]/.test(e.name))
const drawn = document.querySelector('[data-world] [data-node], [data-world] path')
if (!answer || !drawn) return null
return [performance.now() - answer.responseEnd, answer.responseEnd - answer.startTime]
"""
#: Frames a second in a drag across the middle of the chart, and the longest wait for one.
PANNED = """
const done = arguments[0], chart = document.getElementById('chart-drawing')
const box = chart.getBoundingClientRect()
const x = box.left + box.width / 2, y = box.top + box.height / 2
const send = (name, to, at) => to.dispatchEvent(new MouseEvent(name,
  {bubbles: true, view: window, clientX: at, clientY: y, button: 0}))
send('mousedown', chart, x)
let frames = 0
const begin = performance.now(), gaps = []
let last = begin
const frame = now => {
  frames += 1; gaps.push(now - last); last = now
  send('mousemove', window, x + 200 * Math.sin((now - begin) / 400))
  if (now - begin < 3000) requestAnimationFrame(frame)
  else { send('mouseup', window, x); done([frames / 3, Math.max(...gaps.slice(1))]) }
}
requestAnimationFrame(frame)
"""

#: Frames a second while a table is scrolled to and fro, at ten screens a second at most.
SCROLLED = """
const done = arguments[0], table = document.querySelector('[role=table]')
const way = Math.min(table.scrollHeight - table.clientHeight, 14 * table.clientHeight)
let frames = 0
const begin = performance.now()
const frame = now => {
  frames += 1
  table.scrollTop = way * (0.5 - 0.5 * Math.cos((now - begin) / 700))
  if (now - begin < 3000) requestAnimationFrame(frame)
  else done([frames / 3, way])
}
requestAnimationFrame(frame)
"""
MEMORY = "return performance.memory.usedJSHeapSize / 1e6"
#: Milliseconds that the server and the page took for each question of find-anything.
FOUND = """
return performance.getEntriesByType('resource')
  .filter(e => /find[?]/.test(e.name)).map(e => e.duration)
"""
TYPED = ("r17", "r99 p3", "site 7", "10.0.7")


def main(url: str) -> None:
    password = secrets.token_hex(8)
    user = get_user_model().objects.create_user(NAME, password=password)
    try:
        with browser(width=1280, height=800) as driver:
            driver.get(f"{url}/login")
            _wait(driver, "return document.querySelectorAll('input').length === 2")
            name, secret = driver.find_elements(By.TAG_NAME, "input")
            name.send_keys(NAME)
            secret.send_keys(password)
            driver.find_element(By.CSS_SELECTOR, "button[type=submit]").click()
            _wait(driver, "return document.body.textContent.includes('Networks')")
            for devices, links, sites, folded in SIZES:
                _measure(driver, url, user, devices, links, sites, folded)
    finally:
        user.delete()


def _measure(
    driver: Any, url: str, user: Any, devices: int, links: int, sites: int, folded: str
) -> None:
    network = Network.objects.create(slug=f"{NAME}-{devices}", title=NAME)
    try:
        Membership.objects.create(network=network, user=user, role=Role.VIEWER)
        texts = {
            path: text + (SUSPICIOUS if text.startswith("routrel: 1\ndevice") else "")
            for path, text in sites_with_trunks(devices, links, sites).items()
        }
        add_revision(network, texts, author=None)
        driver.get(f"{url}/n/{network.slug}/devices/chart?sites={folded}")
        opened, answered = _wait(driver, OPENED)
        driver.set_script_timeout(60)
        frames, longest = driver.execute_async_script(PANNED)
        tiles = len(driver.find_elements(By.CSS_SELECTOR, "[data-node]"))
        print(
            f"{devices:,} devices, {links:,} links, sites folded: {folded}: answered in "
            f"{answered / 1000:.1f} s, opened in {opened / 1000:.1f} s more (wanted: 3), "
            f"panned at {frames:.0f} frames a second (wanted: 30), longest {longest:.0f} ms, "
            f"{tiles} tiles drawn, {driver.execute_script(MEMORY):.0f} MB of scripts' memory"
        )
        if folded == "none":
            _lists(driver, f"{url}/n/{network.slug}")
    finally:
        network.delete()


def _lists(driver: Any, base: str) -> None:
    for page in ("devices/list", "devices/findings"):
        driver.get(f"{base}/{page}")
        _wait(driver, "return document.querySelectorAll('[role=row]').length > 10")
        frames, height = driver.execute_async_script(SCROLLED)
        print(
            f"{page}: scrolled {height:,} pixels at {frames:.0f} frames a second (wanted: 40), "
            f"{driver.execute_script(MEMORY):.0f} MB of scripts' memory (wanted: under 200)"
        )
    driver.find_element(By.XPATH, "//button[contains(., 'Find anything')]").click()
    field = _wait(driver, "return document.querySelector('input[role=combobox]')")
    for words in TYPED:
        driver.execute_script("performance.clearResourceTimings()")
        field.clear()
        field.send_keys(words)
        _wait(driver, "return document.querySelectorAll('[role=option]').length > 0")
        time.sleep(0.5)
        taken = max(driver.execute_script(FOUND) or [0])
        print(f"find “{words}”: {taken:.0f} ms (wanted: under 150)")


def _wait(driver: Any, script: str) -> Any:
    begin = time.monotonic()
    while time.monotonic() - begin < PATIENCE_S:
        found = driver.execute_script(script)
        if found:
            return found
        time.sleep(0.02)
    raise SystemExit(
        f"the page does not come: {driver.find_element(By.TAG_NAME, 'body').text[:300]}"
    )


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8640")
