"""What a changed filter lets pass, in words that are true of all of it and of nothing else."""

from __future__ import annotations

import ipaddress

import pytest

from routrel.forwarding.header_sets import newly_permitted
from routrel.model.traffic import Header
from routrel.wording.opened import opened_words
from tests.nets import device, network

#: The rules of a filter before and after, and the words; the flow asked is h to 10.2.0.9, tcp 80.
CHANGES = [
    ("", "{id: 1, permit: tcp, from: 10.1.0.9, to: 10.2.0.9, to-port: 80}",
     "opens nothing beyond this flow"),
    ("{id: 1, permit: any}", "{id: 1, permit: any}", "opens nothing in any filter"),
    ("", "{id: 1, permit: tcp, from: 10.1.0.0/16, to-port: 80}",
     "also lets all of 10.1.0.0/16 reach any host on tcp 80"),
    ("{id: 1, permit: any, to: 10.2.8.0/24}", "{id: 1, permit: any, to: 10.2.8.0/24}, {id: 2, permit: tcp, from: 10.1.0.0/16, to-port: 80}",
     "also lets all of 10.1.0.0/16 reach any host but 10.2.8.0/24 on tcp 80"),
    ("", "{id: 1, permit: tcp, from: 10.1.0.9, to: [10.2.0.9, 10.3.0.0/24]}",
     "also lets h (10.1.0.9) reach 10.2.0.9, all of 10.3.0.0/24 on tcp, any port"),
    ("{id: 1, deny: tcp, to-port: 80}, {id: 2, permit: tcp, from: 10.1.0.9, to: 10.2.0.9}",
     "{id: 2, permit: tcp, from: 10.1.0.9, to: 10.2.0.9}", "opens nothing beyond this flow"),
    ("", "{id: 1, permit: udp, from: 10.1.0.9, to: 10.2.0.9, to-port: [53, 100-200]}",
     "also lets h (10.1.0.9) reach 10.2.0.9 on udp 53, 100-200"),
    ("", "{id: 1, permit: icmp, icmp-type: echo-request, from: 10.1.0.9}",
     "also lets h (10.1.0.9) reach any host by icmp echo-request"),
    ("", "{id: 1, permit: tcp, from: 10.1.0.9, to: 10.2.0.9, to-port: 80}, {id: 2, permit: any, from: 10.9.0.0/24, to: 10.8.0.0/24}",
     "also lets all of 10.9.0.0/24 reach all of 10.8.0.0/24 by any protocol"),
    ("", "{id: 1, permit: any, from: '2001:db8::/32'}",
     "also lets all of 2001:db8::/32 reach any host (IPv6) by any protocol"),
]  # fmt: skip


@pytest.mark.parametrize(("before", "after", "words"), CHANGES, ids=[c[2] for c in CHANGES])
def test_what_is_opened_is_said_beyond_the_question(before, after, words):
    def packet_filter(rules: str):
        body = f"interfaces: {{}}\nfilters: {{f: {{default: deny, rules: [{rules}]}}}}\n"
        return network(device("r", body)).devices[0].filters[0]

    asked = Header(
        source=ipaddress.ip_address("10.1.0.9"),
        destination=ipaddress.ip_address("10.2.0.9"),
        protocol=6,
        source_port=49152,
        destination_port=80,
    )
    boxes = newly_permitted(packet_filter(before), packet_filter(after))
    assert opened_words(boxes, [asked], {"10.1.0.9": "h"}) == words
