"""Routing policies as JSON (RFC 9067): what routes then come to, and what is named."""

from __future__ import annotations

import json

import pytest

from routrel.answers.policies import read_route, try_policy
from routrel.files.reader import read_texts
from routrel.formats.importing import import_files

POLICY = "ietf-routing-policy:routing-policy"
PORT = {"name": "e0", "type": "iana-if-type:ethernetCsmacd", "ietf-ip:ipv4": {
    "forwarding": True, "address": [{"ip": "10.0.0.1", "prefix-length": 24}]}}  # fmt: skip
SETS = {
    "prefix-sets": {"prefix-set": [
        {"name": "ours", "mode": "ipv4", "prefixes": {"prefix-list": [
            {"ip-prefix": "10.64.0.0/12", "mask-length-lower": 16, "mask-length-upper": 24},
            {"ip-prefix": "192.0.2.0/24", "mask-length-lower": 24, "mask-length-upper": 24}]}},
    ]},
    "neighbor-sets": {"neighbor-set": [{"name": "peers", "address": ["198.51.100.2", "2001:db8::2"]}]},
    "tag-sets": {"tag-set": [{"name": "old", "tag-value": [70, "0x00:00:00:50"]}]},
}  # fmt: skip


def made_of(*statements, **more):
    """A device whose policy `p` has these statements."""
    definition = {"name": "p", "statements": {"statement": list(statements)}}
    held = {
        "defined-sets": SETS,
        "policy-definitions": {"policy-definition": [definition, *more.get("others", ())]},
    }
    data = {"ietf-interfaces:interfaces": {"interface": [PORT]}, POLICY: held}
    return import_files({"r1.json": json.dumps(data).encode()})


def statement(name, conditions=None, **actions):
    return {"name": name, "conditions": conditions or {}, "actions": actions}


OURS = {"match-prefix-set": {"prefix-set": "ours"}}
NOT_OURS = {"match-prefix-set": {"prefix-set": "ours", "match-set-options": "invert"}}
ACCEPT, REJECT = {"policy-result": "accept-route"}, {"policy-result": "reject-route"}

#: Statements, a route, and whether it is accepted with what metric and tag.
TRIED = {
    "a range of lengths": ([statement("a", OURS, **ACCEPT)], {"prefix": "10.64.8.0/22"}, (True, None, None)),
    "longer than the range": ([statement("a", OURS, **ACCEPT)], {"prefix": "10.64.8.0/25"}, (False, None, None)),
    "equal lengths are exact": ([statement("a", OURS, **ACCEPT)], {"prefix": "192.0.2.0/25"}, (False, None, None)),
    "inverted": ([statement("a", NOT_OURS, **ACCEPT)], {"prefix": "203.0.113.0/24"}, (True, None, None)),
    "inverted, and held": ([statement("a", NOT_OURS, **ACCEPT)], {"prefix": "192.0.2.0/24"}, (False, None, None)),
    "without a result the next is tried": (
        [statement("a", OURS, **{"set-tag": 9, "set-metric": {"metric-modification": "set-metric", "metric": 50}}),
         statement("b", None, **ACCEPT)], {"prefix": "192.0.2.0/24"}, (True, 50, 9)),
    "a tag in hexadecimal digits": ([statement("a", {"match-tag-set": {"tag-set": "old"}}, **ACCEPT)],
                                    {"prefix": "192.0.2.0/24", "tag": 80}, (True, None, None)),
    "by its protocol": ([statement("a", {"source-protocol": "ietf-ospf:ospfv2"}, **ACCEPT)],
                        {"prefix": "192.0.2.0/24", "protocol": "static"}, (False, None, None)),
    "a rejection comes first": ([statement("a", OURS, **REJECT), statement("b", None, **ACCEPT)],
                                {"prefix": "192.0.2.0/24"}, (False, None, None)),
}  # fmt: skip


@pytest.mark.parametrize("name", TRIED)
def test_what_a_route_comes_to(name):
    statements, route, (accepted, metric, tag) = TRIED[name]
    reading = read_texts(made_of(*statements).texts)
    assert reading.good, [f"{p.place} {p.text}" for p in reading.problems]
    found = try_policy(reading.network, "r1", "p", read_route(route))
    assert found.result == ("accept" if accepted else "reject")
    set_ = {one.attribute: one.after for step in found.steps for one in step.changes}
    wanted = {"metric": metric, "tag": tag}
    assert set_ == {name: str(value) for name, value in wanted.items() if value is not None}


#: Statements that are not modelled whole: each is left out, and it is said of what.
LEFT_OUT = {
    "the interface of the next hop": (
        statement("a", {"match-interface": {"interface": "e0"}}, **ACCEPT), "next hop is not asked for"),
    "a set that is not there": (
        statement("a", {"match-prefix-set": {"prefix-set": "none"}}, **ACCEPT), "no set none"),
    "a preference": (statement("a", None, **{"set-route-preference": 5, **ACCEPT}), "set-route-preference is not"),
    "a smaller metric": (statement("a", None, **{"set-metric": {
        "metric-modification": "subtract-metric", "metric": 5}, **ACCEPT}), "subtract-metric is not modelled"),
    "a condition of another module": (statement("a", {"x:y": 1}, **ACCEPT), "x:y is not understood"),
    "inverted twice": (statement("a", {**NOT_OURS, "call-policy": "q"}, **ACCEPT), "left out"),
}  # fmt: skip


@pytest.mark.parametrize("name", LEFT_OUT)
def test_a_statement_that_is_not_modelled_is_left_out_by_name(name):
    bad, words = LEFT_OUT[name]
    made = made_of(bad, statement("b", None, **ACCEPT))
    told = [message.text for message in made.report.messages]
    assert any(words in text for text in told), told
    assert any("statement a has what is not modelled; left out" in text for text in told)
    reading = read_texts(made.texts)
    assert reading.good, [f"{p.place} {p.text}" for p in reading.problems]
    (device,) = reading.network.devices
    assert device.unknown
    policy = device.policy("p")
    assert policy is not None
    assert [one.name for one in policy.statements] == ["b"]


def test_a_policy_that_is_called_must_accept():
    inner = {"name": "q", "statements": {"statement": [statement("only", OURS, **ACCEPT)]}}
    made = made_of(statement("a", {"call-policy": "q"}, **ACCEPT), others=[inner])
    network = read_texts(made.texts).network
    tried = [
        try_policy(network, "r1", "p", read_route({"prefix": prefix})).result
        for prefix in ("192.0.2.0/24", "203.0.113.0/24")
    ]
    assert tried == ["accept", "reject"]
