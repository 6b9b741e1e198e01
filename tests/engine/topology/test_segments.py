"""Links and segments from addresses, and what looks wrong about them."""

from __future__ import annotations

import pytest

from routrel.topology.findings import topology_findings
from routrel.topology.segments import build_topology
from tests.nets import device, network


def lan(name: str, address: str, more: str = "") -> str:
    return device(name, f"interfaces:\n  e1: {{addresses: [{address}]{more}}}")


def groups(*texts: str) -> list[list[str]]:
    """The segments with more than one end, as sorted lists of their devices."""
    topology = build_topology(network(*texts))
    return sorted(
        sorted(e.device.name for e in s.ends) for s in topology.segments if len(s.ends) > 1
    )


def test_interfaces_of_one_subnet_share_a_segment():
    """Equal subnets join, of either family; a host prefix and a link-local address do not."""
    assert groups(lan("a", "10.0.0.1/24"), lan("b", "10.0.0.2/24"), lan("c", "10.0.1.1/24")) == [
        ["a", "b"]
    ]
    assert groups(lan("a", "2001:db8::1/64"), lan("b", "2001:db8::2/64")) == [["a", "b"]]
    assert groups(lan("a", "10.0.0.1/32"), lan("b", "10.0.0.1/32")) == []
    assert groups(lan("a", "fe80::1/64"), lan("b", "fe80::2/64")) == []


def test_differing_masks_join_where_each_address_lies_in_the_other_subnet():
    """.1/24 and .2/25 hear each other; .1/24 and .200/25 cannot tell, so they are apart."""
    assert groups(lan("a", "10.0.0.1/24"), lan("b", "10.0.0.2/25")) == [["a", "b"]]
    assert groups(lan("a", "10.0.0.1/24"), lan("b", "10.0.0.200/25")) == []


def test_a_stated_link_takes_precedence():
    """Two pairs reuse one subnet; the network file says who is joined to whom."""
    links = (
        'routrel: 1\nnetwork: n\nlinks:\n  x: {between: ["a:e1", "b:e1"]}\n'
        '  y: {between: ["c:e1", "d:e1"]}\n'
    )
    ends = [lan(n, f"10.0.0.{i}/24") for n, i in (("a", 1), ("b", 2), ("c", 1), ("d", 2))]
    assert groups(links, *ends) == [["a", "b"], ["c", "d"]]


def test_a_link_is_up_only_if_both_ends_are():
    """With two ends both must be enabled; on a larger segment each counts for itself."""
    shut = lan("b", "10.0.0.2/24", ", enabled: false")
    two = build_topology(network(lan("a", "10.0.0.1/24"), shut))
    assert not two.is_up("a", "e1")
    three = build_topology(network(lan("a", "10.0.0.1/24"), shut, lan("c", "10.0.0.3/24")))
    assert three.is_up("a", "e1")
    assert not three.is_up("b", "e1")


@pytest.mark.parametrize(
    ("code", "line", "texts"),
    [
        ("duplicate_address", 5, [lan("a", "10.0.0.1/24"), lan("b", "10.0.0.1/24")]),
        ("mask_mismatch", 5, [lan("a", "10.0.0.1/24"), lan("b", "10.0.0.2/25")]),
        ("mtu_mismatch", 5, [lan("a", "10.0.0.1/30"), lan("b", "10.0.0.2/30", ", mtu: 1400")]),
        ("one_side_down", 5, [lan("a", "10.0.0.1/30"), lan("b", "10.0.0.2/30", ", enabled: false")]),
        ("missing_end", 5, [lan("a", "10.0.0.1/30")]),
        ("next_hop_in_no_subnet", 7, [lan("a", "10.0.0.1/24") + "static:\n  - {to: 0.0.0.0/0, via: 10.9.0.1}\n"]),
        ("gateway_not_in_subnet", 4, [device("h", "gateway: 10.9.0.1\ninterfaces:\n  e1: {addresses: [10.0.0.1/24]}", "host")]),
        ("no_gateway", 1, [device("h", "interfaces:\n  e1: {addresses: [10.0.0.1/24]}", "host")]),
        ("mtu_below_ipv6", 5, [lan("a", "2001:db8::1/64", ", mtu: 1279")]),
        ("virtual_router_differs", 5, [lan("a", "10.0.0.1/24", ", vrrp: [{id: 7, addresses: 10.0.0.9}]"), lan("b", "10.0.0.2/24", ", vrrp: [{id: 7, addresses: 10.0.0.8}]")]),
        ("virtual_router_history", 5, [lan("a", "10.0.0.1/24", ", vrrp: [{id: 7, addresses: 10.0.0.9}]"), lan("b", "10.0.0.2/24", ", vrrp: [{id: 7, addresses: 10.0.0.9, preempt: false}]")]),
        ("outside_in_no_subnet", 4, ["routrel: 1\nnetwork: n\noutside:\n  isp: {addresses: [192.0.2.1/30]}\n", lan("a", "10.0.0.1/24")]),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)  # fmt: skip
def test_findings_name_the_line(code, line, texts):
    """Each mistake is found once, on the line where it stands; without it nothing is found."""
    found = topology_findings(build_topology(network(*texts)))
    assert [(f.code, f.place.line) for f in found] == [(code, line)]
