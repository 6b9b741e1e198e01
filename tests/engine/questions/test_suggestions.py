"""Suggested promises on a net worked by hand: what is suggested holds, and nothing twice."""

from __future__ import annotations

from functools import cache

from routrel.convergence.converge import State
from routrel.model.promises import Promise
from routrel.questions.flow import FlowQuestion
from routrel.questions.promises.evaluate import evaluate
from routrel.questions.promises.suggesting import SuggestedKind, suggestions
from routrel.wording.suggestions import reason_words, suggestions_words
from tests.engine.questions.test_promises import promise
from tests.nets import device, state

#: The yard's router y leads to the hall's router h by two links; web and the recorder are in the
#: hall, three desks and two cameras in the yard. The cameras have a router and a link each.
SITES = (
    "routrel: 1\nnetwork: n\nsites: {yard: {}, hall: {}, mast: {}}\n"
    "groups: {desks: {members: [desk-1, desk-2, desk-3]}}\n"
    "outside: {isle: {addresses: [192.0.2.2/30], prefixes: [198.51.100.0/24]}}\n"
)
PORT = "addresses: [{}], ospf: {{area: 0, cost: 10}}"


def host(name: str, address: str, gateway: str, site: str) -> str:
    return device(
        name,
        f"site: {site}\ninterfaces: {{p: {{addresses: [{address}/24]}}}}\ngateway: {gateway}",
        "host",
    )


def router(name: str, number: int, site: str, ports: dict[str, str], more: str = "") -> str:
    lines = "".join(f"  {port}: {{{PORT.format(said)}}}\n" for port, said in ports.items())
    return device(name) + (
        f"site: {site}\nospf: {{router-id: 10.255.0.{number}, default-route: {{}}}}\n"
        f"interfaces:\n{lines}{more}"
    )


def yard_texts() -> list[str]:
    guard = (
        "  web: {addresses: [10.2.0.1/24], ospf: {area: 0}, filters: {out: guard}}\n"
        "  out: {addresses: [192.0.2.1/30]}\n"
        "static: [{to: 0.0.0.0/0, via: 192.0.2.2}]\n"
        "filters:\n  guard:\n    rules:\n"
        "      - {id: 10, permit: tcp, to: 10.2.0.10, to-port: 443}\n"
        "      - {id: 20, deny: tcp, from: 10.1.0.0/24, to: 10.2.0.10, to-port: 22}\n"
        "    default: permit\n"
    )
    return [
        SITES,
        router("y", 1, "yard", {"lan": "10.1.0.1/24", "e1": "10.0.1.1/30", "e2": "10.0.2.1/30"}),
        router(
            "h", 2, "hall",
            {"e1": "10.0.1.2/30", "e2": "10.0.2.2/30", "m1": "10.0.3.2/30", "m2": "10.0.4.2/30"}, guard,
        ),
        router("m-1", 3, "mast", {"cam": "10.3.1.1/24", "m1": "10.0.3.1/30"}),
        router("m-2", 4, "mast", {"cam": "10.3.2.1/24", "m2": "10.0.4.1/30"}),
        *(host(f"desk-{n}", f"10.1.0.{10 + n}", "10.1.0.1", "yard") for n in (1, 2, 3)),
        host("cam-1", "10.3.1.10", "10.3.1.1", "mast"),
        host("cam-2", "10.3.2.10", "10.3.2.1", "mast"),
        host("web", "10.2.0.10", "10.2.0.1", "hall"),
    ]  # fmt: skip


@cache
def yard() -> State:
    return state(*yard_texts())


def suggested(
    *promises: Promise, kept: dict[str, FlowQuestion] | None = None
) -> dict[str, list[str]]:
    """By kind: the sentences."""
    found: dict[str, list[str]] = {}
    for one in suggestions(yard(), promises, kept or {}):
        found.setdefault(one.kind.value, []).extend(each.sentence for each in one.promises)
    return found


SERVICE = "desks, mast to web as tcp 443 must be delivered"
SURVIVES = "desks to web as tcp 443 must be delivered and survive any link"


def test_what_holds_today_is_suggested():
    found = suggested()
    # Five of six hosts reach the one port that a rule opens by name.
    assert found["service"] == [SERVICE]
    # Two links lead from the yard to the hall. Each camera has one alone, and so has the default.
    assert found["two_exits"] == [SURVIVES]
    # The cameras are named as a pair, and each has its own router and link to the hall.
    assert found["shut"] == ["10.1.0.0/24 to 10.2.0.10/32 as tcp 22 must be blocked"]
    assert found["default"] == [f"every device of {site} must hold a default" for site in ("yard", "hall", "mast")]  # fmt: skip
    assert found["hidden"] == ["nobody outside must hear 10.0.0.0/8"]


def test_a_pair_that_shares_nothing_is_suggested_as_two_promises_to_be_taken_together():
    question = FlowQuestion(source="cam-1", destination="h", traffic="udp 6001", both=True)
    pair = [
        one
        for one in suggestions(yard(), (), {"video": question})
        if one.kind is SuggestedKind.SEPARATE
    ]
    assert [[each.sentence for each in one.promises] for one in pair] == [
        [
            "cam-1 to h as udp 6001 must be delivered",
            "cam-2 to h as udp 6001 must be delivered and stay separate from cam-1-h-udp-6001",
        ]
    ]
    assert reason_words(pair[0]) == "cam-1 and cam-2 share no link, device or risk group today"


def test_all_that_is_suggested_is_kept_and_never_suggested_again():
    made = [one for each in suggestions(yard(), (), {}) for one in each.promises]
    found = evaluate(yard(), made, {})
    assert [one.promise.name for one in found.found if not one.kept] == []
    assert suggested(*made) == {}
    assert suggestions_words(0) == "Nothing more is suggested: what was found is promised already."


def test_what_a_wider_promise_says_is_not_suggested():
    wider = promise("10.0.0.0/8 to web as tcp 443 must be delivered and survive any link", "wider")
    found = suggested(wider)
    assert not {"service", "two_exits"} & found.keys()
    narrower = suggested(promise("desk-1 to web as tcp 443 must be delivered", "narrow"))
    assert narrower["service"] == [SERVICE]
