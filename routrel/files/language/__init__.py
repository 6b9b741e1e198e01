"""The device-file language, version 1: every key, its shape and its meaning.

Reading, writing, the published JSON Schema and the reference in docs/device-file.md all follow
from the records here. Keys listed as reserved belong to the language's plan; a file that uses one
is refused by name and line until the engine computes it.
"""

from __future__ import annotations

from routrel.files.language.bgp import (
    BGP,
    BGP_AGGREGATE,
    BGP_DECISION,
    BGP_GROUP,
    BGP_MULTIPATH,
    BGP_NEIGHBOUR,
    BGP_NETWORK,
    CONDITIONAL,
    CONFEDERATION,
    DEFAULT_TO_NEIGHBOUR,
    LOCAL_AS,
)
from routrel.files.language.cases import CASE_FILE, CASE_ROUTE, QUESTION
from routrel.files.language.changes import CHANGE_EDIT, CHANGE_FILE
from routrel.files.language.device import DEVICE_FILE, INTERFACE, STATIC, VRF
from routrel.files.language.eigrp import EIGRP, EIGRP_INTERFACE, EIGRP_SEED
from routrel.files.language.filters import FILTER, FILTER_USES, RULE
from routrel.files.language.forwarding import (
    ARRIVING_TRAFFIC,
    OWN_TRAFFIC,
    STEERING,
    STEERING_RULE,
    THROUGH_TRAFFIC,
    TRANSLATION_RULE,
    VIRTUAL_ROUTER,
    ZONE,
    ZONE_EXIT,
)
from routrel.files.language.isis import ISIS, ISIS_INTERFACE
from routrel.files.language.network import (
    ANNOUNCEMENT,
    GROUP,
    LINK,
    NETWORK_FILE,
    OUTSIDE,
    OUTSIDE_FILE,
    OUTSIDE_PEER,
    RISK_GROUP,
    SITE,
    STATED_DEVICE,
)
from routrel.files.language.ospf import (
    OSPF,
    OSPF_AREA,
    OSPF_EXTERNAL_RANGE,
    OSPF_INTERFACE,
    OSPF_RANGE,
    VIRTUAL_LINK,
)
from routrel.files.language.policies import (
    ACTIONS,
    COMMUNITY_ACTIONS,
    CONDITIONS,
    DISTANCE_RULE,
    LEAK,
    POLICY,
    SETS,
    STATEMENT,
)
from routrel.files.language.promises import PROMISE, PROMISES_FILE
from routrel.files.language.rip import RIP, RIP_INTERFACE
from routrel.files.shapes import ListOf, Record

__all__ = [
    "CASE_FILE",
    "CHANGE_FILE",
    "DEVICE_FILE",
    "FILE_KINDS",
    "NETWORK_FILE",
    "OUTSIDE_FILE",
    "PROMISES_FILE",
    "RECORDS",
]

#: What a file describes, by the key that tells; of several the first counts.
FILE_KINDS: dict[str, Record] = {
    "network": NETWORK_FILE,
    "device": DEVICE_FILE,
    "outside": OUTSIDE_FILE,
    "case": CASE_FILE,
    "change": CHANGE_FILE,
    "promises": PROMISES_FILE,
}


def _item(record: Record, key: str) -> Record:
    """The record behind a key that holds one, or a list of them."""
    shape = next(field.shape for field in record.fields if field.key == key)
    inner = shape.item if isinstance(shape, ListOf) else shape
    if not isinstance(inner, Record):
        raise TypeError(f"{key} holds no record")
    return inner


#: Every record of the language with the title of its section in docs/device-file.md.
RECORDS: dict[str, Record] = {
    "The network file": NETWORK_FILE,
    "Site": SITE,
    "Link": LINK,
    "Outside neighbour": OUTSIDE,
    "The outside file": OUTSIDE_FILE,
    "Announcement of an outside neighbour": ANNOUNCEMENT,
    "Neighbour of an outside network": OUTSIDE_PEER,
    "Group": GROUP,
    "Risk group": RISK_GROUP,
    "Device of another format": STATED_DEVICE,
    "The device file": DEVICE_FILE,
    "Interface": INTERFACE,
    "Filters of an interface": FILTER_USES,
    "VRF": VRF,
    "Static route": STATIC,
    "Distance rule": DISTANCE_RULE,
    "Leak": LEAK,
    "OSPF": OSPF,
    "OSPF on an interface": OSPF_INTERFACE,
    "OSPF area": OSPF_AREA,
    "Range of an OSPF area": OSPF_RANGE,
    "External range of an NSSA": OSPF_EXTERNAL_RANGE,
    "Virtual link": VIRTUAL_LINK,
    "Redistribution into OSPF": _item(OSPF, "redistribute"),
    "Default route of OSPF": _item(OSPF, "default-route"),
    "RIP": RIP,
    "RIP on an interface": RIP_INTERFACE,
    "Redistribution into RIP": _item(RIP, "redistribute"),
    "Default route of RIP": _item(RIP, "default-route"),
    "EIGRP": EIGRP,
    "EIGRP on an interface": EIGRP_INTERFACE,
    "Redistribution into EIGRP": _item(EIGRP, "redistribute"),
    "EIGRP metric": EIGRP_SEED,
    "IS-IS": ISIS,
    "IS-IS on an interface": ISIS_INTERFACE,
    "Redistribution into IS-IS": _item(ISIS, "redistribute"),
    "Default route of IS-IS": _item(ISIS, "default-route"),
    "BGP": BGP,
    "BGP neighbour": BGP_NEIGHBOUR,
    "BGP group": BGP_GROUP,
    "Local AS of a BGP neighbour": LOCAL_AS,
    "Default route for a BGP neighbour": DEFAULT_TO_NEIGHBOUR,
    "Conditional announcement of BGP": CONDITIONAL,
    "Announced network of BGP": BGP_NETWORK,
    "Aggregate of BGP": BGP_AGGREGATE,
    "Redistribution into BGP": _item(BGP, "redistribute"),
    "Decision of BGP": BGP_DECISION,
    "Multipath of BGP": BGP_MULTIPATH,
    "Confederation": CONFEDERATION,
    "Policy": POLICY,
    "Statement": STATEMENT,
    "Conditions": CONDITIONS,
    "Actions": ACTIONS,
    "Changes of communities": COMMUNITY_ACTIONS,
    "Sets": SETS,
    "Filter": FILTER,
    "Filter rule": RULE,
    "Own traffic": OWN_TRAFFIC,
    "Through traffic": THROUGH_TRAFFIC,
    "Arriving traffic": ARRIVING_TRAFFIC,
    "Steering": STEERING,
    "Steering rule": STEERING_RULE,
    "Translation rule": TRANSLATION_RULE,
    "Zone": ZONE,
    "Way to another zone": ZONE_EXIT,
    "Virtual router": VIRTUAL_ROUTER,
    "The case file": CASE_FILE,
    "Question of a case": QUESTION,
    "Route of a case": CASE_ROUTE,
    "The file of promises": PROMISES_FILE,
    "Promise": PROMISE,
    "The change file": CHANGE_FILE,
    "Edit of a change": CHANGE_EDIT,
}
