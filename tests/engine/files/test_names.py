"""Names for addresses: in the network file, in hosts files, as ends of flows."""

from __future__ import annotations

import pytest

from routrel.files.hosts import is_hosts_file, read_hosts
from routrel.files.reader import read_texts
from routrel.files.report import Report
from routrel.questions.flow import FlowQuestion
from tests.nets import device, state
from tests.told import answer_flow

HOSTS = """\
# what everybody calls them
127.0.0.1   localhost
::1         localhost ip6-localhost
ff02::1     ip6-allnodes
10.1.0.9    desk desk.lan   # by the window
2001:db8::9 desk
192.0.2.80  shop
"""


def test_a_hosts_file_gives_names_their_addresses():
    report = Report()
    names = read_hosts(HOSTS, "hosts", report)
    told = {n.name: ([str(a) for a in n.addresses], (n.place.line, n.place.column)) for n in names}
    assert told == {
        "desk": (["10.1.0.9", "2001:db8::9"], (5, 13)),
        "desk.lan": (["10.1.0.9"], (5, 18)),
        "shop": (["192.0.2.80"], (7, 13)),
    }
    assert not report.count
    assert [is_hosts_file(p) for p in ("hosts", "a/Hosts", "b/office.hosts", "hosts.yaml")] == [
        True, True, True, False,
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("line", "code"),
    [("desk 10.1.0.9", "bad_address"), ("10.1.0.9", "missing_name"), ("10.1.0.9 a_!", "bad_name")],
)
def test_a_wrong_line_of_a_hosts_file_is_told(line, code):
    report = Report()
    read_hosts(f"10.0.0.1 a\n{line}\n", "lan.hosts", report)
    [problem] = report.sorted()
    assert (problem.code, problem.place.file, problem.place.line) == (code, "lan.hosts", 2)


NET = "routrel: 1\nnetwork: n\n"
HOST = device("h", "gateway: 10.0.0.1\ninterfaces: {e: {addresses: [10.0.0.9/24]}}", "host")
ROUTER = device(
    "r", "interfaces:\n  a: {addresses: [10.0.0.1/24]}\n  b: {addresses: [10.0.1.1/24]}"
)
OUT = "outside: {isp: {addresses: [10.0.1.2/24], prefixes: [192.0.2.0/24]}}\n"


def test_problems_of_names_are_told():
    """A device's name for another address; a name twice; a group's member nobody knows."""
    wrong = {
        "taken": NET + "names: {h: 10.9.9.9}\n",
        "twice": NET + "names: {shop: 192.0.2.80}\n",
        "unknown_member": NET + "groups: {g: {members: [nowhere]}}\n",
    }
    codes = {}
    for case, text in wrong.items():
        files = {"n.yaml": text, "h.yaml": HOST, "hosts": "192.0.2.81 shop\n"}
        codes[case] = [problem.code for problem in read_texts(files).problems]
    assert codes == {
        "taken": ["name_taken"],
        "twice": ["duplicate_name"],
        "unknown_member": ["unknown_member"],
    }
    good = NET + "names: {shop: 192.0.2.80}\ngroups: {g: {members: [shop, h]}}\n"
    assert not read_texts({"n.yaml": good, "h.yaml": HOST}).problems


@pytest.mark.parametrize(
    ("names", "to", "address", "name"),
    [
        ("desk: 10.0.0.9", "desk", "10.0.0.9", "h"),  # a device's address by another name
        ("printer: 10.0.1.50", "printer", "10.0.1.50", "printer"),  # in a subnet, nobody's
        ("shop: [192.0.2.80]", "shop", "192.0.2.80", "isp"),  # behind an outside neighbour
        ("old: 203.0.113.9", "old", "203.0.113.9", "old"),  # nobody knows where
    ],
)
def test_a_name_is_an_end_of_flows(names, to, address, name):
    net = state(f"{NET}{OUT}names: {{{names}}}\n", HOST, ROUTER)
    answer = answer_flow(net, FlowQuestion(source="r", destination=to))
    assert answer["forward"]["destination"] == {
        "text": to, "name": name, "address": address,
        "note": answer["forward"]["destination"]["note"],
    }  # fmt: skip
