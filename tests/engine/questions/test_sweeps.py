"""Sweeps: what each failure breaks and cuts off, the smallest sets that break, and dying workers."""

from __future__ import annotations

import os
import signal
from concurrent.futures import ProcessPoolExecutor
from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.answers.sweeps import sweep_data
from routrel.convergence.converge import State, converge
from routrel.lens.look import Lens, content_hash
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.questions.processes import pool
from routrel.questions.promises.check import Checker
from routrel.questions.promises.surviving import things_that_fail
from routrel.questions.sweep import run as running
from routrel.questions.sweep.breaking import SetSearch, smallest_among
from routrel.questions.sweep.cases import cases_of, written
from routrel.questions.sweep.record import Base, record
from routrel.questions.sweep.run import Job, run
from routrel.questions.sweep.shift import shift_of
from routrel.wording.sweeps import shift_words, skipped_words
from tests.engine.questions.test_promises import promise
from tests.nets import last_texts, ring

#: r1 to r3 by r2, else by r4 and r5; r6 hangs on r3 alone.
NET = "r1-r2:10 r2-r3:10 r1-r4:20 r4-r5:20 r5-r3:20 r3-r6:10"
PROMISES = [
    promise("r1 to r3 must be delivered", "there"),
    promise("r1 to r6 must pass r2", "by-r2"),
]


def swept(net: State, *kinds: FailureKind, pairs: bool = False):
    base = Base(net, PROMISES, {})
    return {case: record(base, case) for case in cases_of(net.topology, kinds, pairs=pairs)}


def test_what_each_failure_does():
    found = {written(case): one for case, one in swept(ring(NET), FailureKind.LINK).items()}
    assert {failed[0]: (one.broken, one.rerouted) for failed, one in found.items()} == {
        "link:10.0.1.0/30": (("by-r2",), ("there",)),
        "link:10.0.2.0/30": (("by-r2",), ("there",)),
        "link:10.0.3.0/30": ((), ()),
        "link:10.0.4.0/30": ((), ()),
        "link:10.0.5.0/30": ((), ()),
        "link:10.0.6.0/30": ((), ("by-r2",)),  # nothing arrives, so nothing passes by r2
    }
    assert found["link:10.0.6.0/30",].cut_off == (("r6",),)
    assert found["link:10.0.1.0/30",].longest_detour == 1  # three links, not two
    # Each of six routers loses the routes to r6's loopback and to the link; r6 all but its own.
    assert found["link:10.0.6.0/30",].routes_lost > 0
    assert found["link:10.0.1.0/30",].cut_off == ()


def test_devices_that_fail_are_in_no_part():
    found = {written(case)[0]: one for case, one in swept(ring(NET), FailureKind.DEVICE).items()}
    assert found["device:r3"].cut_off == (("r6",),)
    assert found["device:r3"].broken == ("there",)
    assert found["device:r6"].cut_off == ()


def test_the_worst_is_told_first_and_the_harmless_counted():
    net = ring(NET)
    records = swept(net, FailureKind.LINK, pairs=True)
    data = sweep_data(net.topology, [one.name for one in PROMISES], records)
    assert data.breaking_sets["by-r2"] == [["link:10.0.1.0/30"], ["link:10.0.2.0/30"]]
    assert len(data.breaking_sets["there"]) == 6  # one of two links with one of three
    assert data.cases[0].broken == ["there"]  # what passes by r2 then, passes nothing else
    assert data.cases[0].title == "link r1 – r2 and link r3 – r5"
    assert data.summary.startswith(
        "2 of 2 promises do not survive some failure; what hurts most is"
    )


@settings(max_examples=12, deadline=None, derandomize=True)
@given(st.sets(st.sampled_from(["r1-r2", "r2-r3", "r1-r4", "r4-r3", "r2-r4", "r3-r5", "r5-r1"]), min_size=3, max_size=6), st.sampled_from(["r1 to r3 must be delivered", "r1 to r3 must avoid r4", "r1 to r3 must be delivered and return the same way"]))  # fmt: skip
def test_the_smallest_breaking_sets_are_those_of_enumeration(links, sentence):
    net = ring(" ".join(f"{link}:{10 + number}" for number, link in enumerate(sorted(links))))
    if not {"r1", "r3"} <= net.topology.devices.keys():
        return
    made = promise(sentence)
    things = [
        *things_that_fail(net.topology, FailureKind.LINK),
        *(t for t in things_that_fail(net.topology, FailureKind.DEVICE) if t.name in ("r2", "r4")),
    ]
    if not Checker(net, [made]).check(made).kept:
        return
    found, base, tried = SetSearch(net, made.name, things), Base(net, [made], {}), 0
    for size in (1, 2, 3):
        for case in found.of_size(size):
            tried += 1
            found.learn(case, record(base, case))
    plain: list[set[Failure]] = []
    for size in (1, 2, 3):
        for case in combinations(things, size):
            after = converge(net.network, failures=Failures(case))
            broken = not Checker(after, [made]).check(made).kept
            if broken and not any(one <= set(case) for one in plain):
                plain.append(set(case))
    assert sorted(map(sorted, found.sets)) == sorted(map(sorted, plain))
    count = sum(1 for size in (1, 2, 3) for _ in combinations(things, size))
    assert tried + found.skipped.not_minimal + found.skipped.no_effect == count


def job(net: State) -> Job:
    texts = last_texts()
    return Job(name=content_hash(texts), lens=Lens(texts=texts), promises=tuple(PROMISES), kept={})


def one_worker():
    return ProcessPoolExecutor(1)


def plain_records(net: State):
    return {case: one.broken for case, one in swept(net, FailureKind.LINK).items()}


def test_workers_are_told_of_the_network_once_and_agree():
    net = ring(NET)
    cases = cases_of(net.topology, [FailureKind.LINK])
    found = dict(run(job(net), cases, lambda: ProcessPoolExecutor(2), workers=2))
    assert {case: one.broken for case, one in found.items()} == plain_records(net)
    assert smallest_among(found.values())["by-r2"] == [("link:10.0.1.0/30",), ("link:10.0.2.0/30",)]


def test_a_stopped_sweep_goes_on_where_it_was():
    net = ring(NET)
    cases = cases_of(net.topology, [FailureKind.LINK])
    known = {}
    stops = {"should_stop": lambda: len(known) >= 2, "workers": 1}
    for case, one in run(job(net), cases, one_worker, **stops):
        known[case] = one  # noqa: PERF403 - what is known stops it
    first = set(known)
    assert 2 <= len(first) < len(cases)
    told = list(run(job(net), cases, one_worker, known, workers=1))
    assert {case for case, _ in told[: len(first)]} == first
    assert all(known[case] is one for case, one in told if case in first)  # not run again
    assert {case: one.broken for case, one in told} == plain_records(net)


def test_a_worker_that_is_killed_loses_nothing(monkeypatch, tmp_path):
    net = ring(NET)
    cases = cases_of(net.topology, [FailureKind.LINK])
    mark = tmp_path / "died"
    done = running._done

    def dying(name, shipped, case):
        if case == cases[2] and not mark.exists():
            mark.touch()
            os.kill(os.getpid(), signal.SIGKILL)
        return done(name, shipped, case)

    monkeypatch.setattr(running, "_done", dying)
    dying.__qualname__ = dying.__name__ = "_done"  # so that workers, which are forked, find it
    dying.__module__ = running.__name__
    found = dict(run(job(net), cases, lambda: pool(2), workers=2))
    assert mark.exists()
    assert {case: one.broken for case, one in found.items()} == plain_records(net)


@pytest.mark.parametrize("kind", list(FailureKind))
def test_every_thing_of_a_kind_can_fail(kind):
    net = ring(NET)
    for thing in things_that_fail(net.topology, kind):
        converge(net.network, failures=Failures((thing,)))


def test_a_cluster_of_workers_does_what_processes_do():
    """An existing cluster, reached by its address, as the server's settings name one."""
    from distributed import Client, LocalCluster

    net = ring(NET)
    cases = cases_of(net.topology, [FailureKind.LINK])
    with (
        LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster,
        Client(cluster.scheduler_address) as client,
    ):
        found = dict(run(job(net), cases, client.get_executor, workers=2))
    assert {case: one.broken for case, one in found.items()} == plain_records(net)


SQUARE = "r1-r2:10 r2-r3:10 r1-r4:10 r4-r3:10"


def test_a_change_makes_failures_fatal_and_others_survivable():
    """Before it r1 reaches r3 by r2 alone, for r4 leads elsewhere; after it both ways are alike."""
    asked = [promise("r1 to r3 must be delivered", "there"),
             promise("r1 to r3 must avoid r4", "calm"), promise("r1 to r3 must avoid r2", "never")]  # fmt: skip

    def tried(links: str):
        net = ring(links)
        base = Base(net, asked, {})
        records = {case: record(base, case) for case in cases_of(net.topology, [FailureKind.LINK])}
        return records, {name for name, one in base.known.items() if not one.kept}

    only = "r1-r2:10 r2-r3:10 r1-r4:10 r4-r5:10"
    before, broken_before = tried(only)
    after, broken_after = tried(SQUARE)
    assert (broken_before, broken_after) == ({"never"}, {"calm", "never"})
    shift = shift_of(before, after, broken_before, broken_after)
    assert (shift.broken, shift.mended, shift.fatal) == (("calm",), (), ())
    # The first two links broke “there”; now there is another way. The others never broke anything.
    assert {one.failed: one.survived_now for one in shift.survivable} == {
        ("link:10.0.1.0/30",): ("there",), ("link:10.0.2.0/30",): ("there",),
    }  # fmt: skip
    back = shift_of(after, before, broken_after, broken_before)
    assert [one.failed for one in back.fatal] == [("link:10.0.1.0/30",), ("link:10.0.2.0/30",)]
    assert shift_words(shift) == (
        "This change makes 2 failures survivable; it breaks calm without any failure."
    )
    assert shift_words(back) == "This change makes 2 failures fatal; it mends calm."


def test_what_a_search_for_sets_left_out_is_said():
    net = ring(SQUARE)
    search, base = SetSearch(net, "there", things_that_fail(net.topology, FailureKind.LINK)), Base(net, PROMISES[:1], {})  # fmt: skip
    for size in (1, 2):
        for case in search.of_size(size):
            search.learn(case, record(base, case))
    # One of the two links by r2 with one of the two by r4: four of the six pairs.
    assert len(search.sets) == 4
    assert skipped_words(search, 10, 3) == (
        "4 smallest sets of up to 2 failures break there: 10 tried. "
        "Sets of 3 are too many, 4; let fewer kinds fail."
    )
    assert search.of_size(3) == []  # each has one of the pairs in it
    assert search.skipped.not_minimal == 4
