"""The strip at its hardest, measured in the page itself: what lies on what, and what crosses."""

from __future__ import annotations

from pathlib import Path

from selenium.webdriver.common.by import By

from tests.browser.conftest import Reader
from tests.browser.hard_answers import QUESTIONS, write_network

#: Counts what a reader would stumble over, in every drawing of the page: lines under tiles or under
#: text, lines that cross, tiles on tiles, tiles cut off at the right edge without a cue.
MEASURE = """
const found = {lines: 0, under: 0, crossings: 0, overlaps: 0, cut: 0, texts: 0}
const inside = (p, r) => p.x > r.left + 2 && p.x < r.right - 2 && p.y > r.top + 2 && p.y < r.bottom - 2
for (const strip of document.querySelectorAll('[data-strip]')) {
  for (const drawing of strip.querySelectorAll('svg')) {
    const tiles = [...drawing.querySelectorAll('[data-tile]')].map(e => e.getBoundingClientRect())
    const texts = [...drawing.querySelectorAll('text')].map(e => e.getBoundingClientRect())
    tiles.forEach((a, at) => tiles.slice(at + 1).forEach(b => {
      if (a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom) found.overlaps++
    }))
    const lines = [...drawing.querySelectorAll('[data-wire] path[fill=none]')].map(path => {
      const to = path.getScreenCTM(), length = path.getTotalLength(), count = Math.ceil(length / 3)
      return Array.from({length: count + 1}, (_, k) =>
        path.getPointAtLength(length * k / count).matrixTransform(to))
    })
    found.lines += lines.length
    for (const line of lines) {
      for (const tile of tiles) if (line.some(p => inside(p, tile))) found.under++
      for (const text of texts) if (line.some(p => inside(p, text))) found.texts++
    }
    const side = (a, b, c) => (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x)
    const cross = (a, b, c, d) => side(a, b, c) * side(a, b, d) < -1e-6 && side(c, d, a) * side(c, d, b) < -1e-6
    lines.forEach((one, at) => lines.slice(at + 1).forEach(other => {
      for (let i = 1; i < one.length; i++) for (let k = 1; k < other.length; k++)
        if (cross(one[i - 1], one[i], other[k - 1], other[k])) { found.crossings++; return }
    }))
  }
  const beyond = strip.scrollWidth - strip.clientWidth - strip.scrollLeft > 8
  const cue = [...strip.parentElement.querySelectorAll('button')].some(b => b.textContent.includes('→'))
  if (beyond && !cue) found.cut++
}
return found
"""
NOTHING = {"under": 0, "crossings": 0, "overlaps": 0, "cut": 0, "texts": 0}


def test_the_hardest_answers_have_no_line_under_a_tile_and_none_across_another(
    reader: Reader, tmp_path: Path
):
    """Three entries, 8 and 16 equal ways shut and unfolded, a loop, 14 hops; wide and narrow."""
    archive = tmp_path / "hard.zip"
    write_network(archive)
    reader.log_in()
    reader.fill("Name", "Hard to draw")
    reader.press("Begin, then import files")
    reader.reads("Drop files here")
    reader.driver.find_element(By.CSS_SELECTOR, "input[type=file][multiple]").send_keys(
        str(archive)
    )
    reader.reads("became revision 1")
    slug = reader.driver.current_url.split("/n/")[1].split("/")[0]
    asked = [(slug, source, to, words) for source, to, words in QUESTIONS.values()]
    asked.append(("marram", "198.51.100.9", "booking-web", "from each of the 3 places"))
    for width in (1280, 1024):
        reader.driver.set_window_size(width, 800)
        for network, source, to, words in asked:
            reader.open(f"/n/{network}/flows", **{"from": source, "to": to, "as": "tcp 443"})
            reader.reads(words, "Squares are")
            found = reader.driver.execute_script(MEASURE)
            assert found.pop("lines") > 3
            assert (width, to, found) == (width, to, NOTHING)
            folds = reader.driver.find_elements(
                By.CSS_SELECTOR, "[data-tile] [aria-expanded=false]"
            )
            if folds:
                folds[0].click()
                reader.reads("that are alike again")
                found = reader.driver.execute_script(MEASURE)
                assert found.pop("lines") > 16
                assert (width, to, "unfolded", found) == (width, to, "unfolded", NOTHING)
