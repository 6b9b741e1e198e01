"""What was away over a span: how often, how long, and whether it gets worse. Worked by hand."""

from __future__ import annotations

import json

import pytest

from routrel.formats.events.json_lines import read_events
from routrel.formats.events.measures import read_measures
from routrel.lens.moments import Timeline
from routrel.model.events import Event, EventKind, time_of, time_words
from routrel.questions.health.measured import measured_in
from routrel.questions.health.outages import outages_in
from routrel.topology.segments import build_topology
from routrel.wording.health import health_sentence, percent_words, remarks_on
from tests.nets import network, wired_texts

NET = network(*wired_texts("r1-r2 r2-r3", port="ospf: {area: 0}", top="ospf: {}"))
DAY = time_of("2026-01-05T00:00:00Z")
SECOND, MINUTE, HOUR = 1_000_000, 60_000_000, 3_600_000_000


def downs(*spans, port="r1:e1"):
    """Lines that tell of an interface's outages, in seconds of the day; an end of None: none."""
    device, interface = port.split(":")
    lines = []
    for start, end in spans:
        for second, state in ((start, "down"), (end, "up")):
            if second is not None:
                lines.append(
                    {"id": f"{port} {second}", "time": time_words(DAY + round(second * SECOND)), "kind": "interface", "device": device, "interface": interface, "state": state}
                )  # fmt: skip
    return lines


def unwell(*lines, span=(0, 3600)):
    text = "\n".join(map(json.dumps, lines)).encode()
    timeline = Timeline(NET, read_events(text, "x.jsonl").events)
    limits = (DAY + span[0] * SECOND, DAY + span[1] * SECOND)
    return outages_in(timeline, build_topology(NET), limits)


def test_a_link_is_away_while_one_of_its_ends_is():
    """100-160 by one end, 130-190 by the other: 90 s in one outage of an hour."""
    (link,) = unwell(*downs((100, 160)), *downs((130, 190), port="r2:e1"))
    assert (link.name, link.devices, len(link.outages)) == ("r1:e1 – r2:e1", ("r1", "r2"), 1)
    assert link.away == 90 * SECOND
    assert link.availability == pytest.approx(1 - 90 / 3600)
    assert health_sentence(link) == "away once, for 1 min 30 s; there 97.500 % of the time"


def test_outages_count_as_far_as_they_lie_in_the_span():
    """Before it, across its beginning (10 s of it), inside (20 s), and one that goes on (60 s)."""
    lines = downs((10, 20), (590, 610), (700, 720), (3540, None))
    (link,) = unwell(*lines, span=(600, 3600))
    assert [one.end is None for one in link.outages] == [False, False, True]
    assert (link.away, link.median, link.longest) == (90 * SECOND, 20 * SECOND, 60 * SECOND)
    assert "it still is" in health_sentence(link)
    assert unwell(*lines, span=(2000, 3000)) == ()


#: Beginnings of outages of 5 s in seconds, and what is said of how they follow each other.
FOLLOWING = {
    "ever more often": ([0, 2400, 3900, 4700, 5200, 5500], ["gaps between outages shrink: 40 min → 13 min → 5 min"]),
    "ever less often": ([0, 300, 800, 1600, 3100], ["gaps between outages grow: 5 min → 13 min → 25 min"]),
    "every hour": ([420, 4021, 7619, 11222], ["comes every hour, at 7 min past it"]),
    "every day": ([n * 86400 + 10800 for n in range(4)], ["comes every day at 03:00"]),
    "every 25 minutes": ([n * 1500 for n in range(5)], ["comes every 25 min"]),
    "now and then": ([0, 900, 1200, 4000, 4100], []),
    "too few to say": ([0, 2400, 3000], []),
}  # fmt: skip


@pytest.mark.parametrize(("starts", "remarks"), FOLLOWING.values(), ids=FOLLOWING)
def test_how_outages_follow_each_other_is_told(starts, remarks):
    (link,) = unwell(*downs(*((one, one + 5) for one in starts)), span=(0, 4 * 86400))
    assert [one for one in remarks_on(link) if "figure of merit" not in one] == remarks


def test_the_figure_of_merit_halves_in_a_quarter_of_an_hour():
    """1000 at 0; at 15 min 500 + 1000; at 30 min 750 + 1000; a minute later almost 1000 more."""
    steady = [(n * 900, n * 900 + 5) for n in range(3)]
    (link,) = unwell(*downs(*steady))
    assert (link.peak, link.flaps) == (1750, False)
    (link,) = unwell(*downs(*steady, (1860, 1870)))
    assert link.peak == round(1750 * 0.5 ** (60 / 900) + 1000)
    assert link.flaps


def test_what_gets_worse_comes_first_then_what_flaps_then_what_was_away_longest():
    worse = downs(*((s, s + 1) for s in (0, 1000, 1500, 1700, 1760)), port="r2:e2")
    long = downs((0, 3000))
    lone = {"id": "s", "time": time_words(DAY + SECOND), "kind": "prefix", "protocol": "ospf", "device": "r1", "interface": "lo", "prefix": "10.255.0.1/32", "state": "withdrawn"}  # fmt: skip
    assert [one.name for one in unwell(*long, *worse, lone)] == [
        "r2:e2 – r3:e2",
        "10.255.0.1/32 by r1 in OSPF",
        "r1:e1 – r2:e1",
    ]


def test_a_share_that_is_not_whole_is_never_told_as_whole():
    assert [percent_words(share) for share in (1, 0.9999999, 0.995)] == ["100 %", "99.999 %", "99.500 %"]  # fmt: skip


def value(time, number, name="cpu"):
    return Event(id=f"m{time}", time=time, kind=EventKind.MEASURE, device="r1", name=name, value=number, unit="%")  # fmt: skip


def test_values_may_come_as_a_list():
    made = read_measures(
        b"Time;device;name;value;unit;colour\n2026-01-05T00:00:01Z;r1;cpu;12.5;%;red\n"
        b"2026-01-05T00:00:02Z;r1;cpu;nan;%;red\nnoon;r1;cpu;1;%;red\n2026-01-05T00:00:03Z;;cpu;1;%;red\nx\n",
        "values.csv",
    )  # fmt: skip
    assert [(one.id, one.time - DAY, one.value, one.unit) for one in made.events] == [("line 2", SECOND, 12.5, "%")]  # fmt: skip
    assert [(one.line, one.text[:24]) for one in made.report.messages] == [
        (1, "the column “colour” is n"), (3, "“nan” is no number"), (4, "“noon” is no time as 202"),
        (5, "names no device"), (6, "1 values for 6 columns"),
    ]  # fmt: skip
    refused = read_measures(b"time,device\n", "values.csv").report
    assert refused.refused
    assert "has no column name, value" in refused.messages[0].text


def test_values_that_are_not_usual_are_told_as_one_span_with_the_furthest():
    """Ten in the middle, from 9 to 11, so a spread of 1.4826; 40 and 60 are off, 14 is not."""
    told = [value(DAY + n * MINUTE, 9 + n % 3) for n in range(30)]
    told[10:13] = [value(DAY + n * MINUTE, high) for n, high in ((10, 40), (11, 60), (12, 40))]
    told[20] = value(DAY + 20 * MINUTE, 14)
    (cpu,) = measured_in(told, (DAY, DAY + HOUR))
    assert (cpu.usual, round(cpu.spread, 4)) == (10, 1.4826)
    (off,) = cpu.deviations
    assert (off.start, off.end, off.value) == (DAY + 10 * MINUTE, DAY + 12 * MINUTE, 60)


def test_usual_is_that_of_the_hour_of_the_week_once_two_weeks_are_known():
    """Nights at 5, days at 50: 50 at night is off, though half of all values are as high."""
    told = [
        value(DAY + n * 20 * MINUTE, (50 if n // 3 % 24 >= 12 else 5) + n % 3)
        for n in range(3 * 24 * 7 * 5)
    ]
    night = len(told) - 3 * 24 + 3  # one o'clock of the last day
    told[night] = value(told[night].time, 51)
    last_day = (told[-1].time - 24 * HOUR, told[-1].time + 1)
    (cpu,) = measured_in(told, last_day)
    assert [(off.value, off.usual) for off in cpu.deviations] == [(51, 6)]
