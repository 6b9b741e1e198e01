"""IS-IS."""

from __future__ import annotations

from routrel.files.language.common import (
    AUTHENTICATION,
    DISTANCE,
    MAXIMUM_PATHS,
    POLICY_USE,
    TAG,
)
from routrel.files.language.policies import default_route, redistribution
from routrel.files.shapes import Boolean, Choice, Field, Integer, Record
from routrel.files.values import NetworkEntityTitleValue
from routrel.model.isis import AttachedBit, IsisInstance, IsisInterface, IsisNetworkType
from routrel.model.redistribution import Level

__all__ = ["ISIS", "ISIS_INTERFACE"]

_WIDE = Integer(1, 2**24 - 2)
ISIS_INTERFACE = Record(
    cls=IsisInterface,
    what="IS-IS on an interface",
    fields=(
        Field("level", Choice(Level), "of the circuit; left out: the system's"),
        Field("metric", _WIDE, "wide metric; left out: 10, and 0 on a loopback"),
        Field("level-1-metric", _WIDE, "where it differs at level 1"),
        Field("passive", Boolean(), "announce the subnets, form no adjacency", default=False),
        Field("network", Choice(IsisNetworkType), "left out: by the interface's kind",
              "network_type"),
        Field("priority", Integer(0, 127), "for the election of the designated system",
              default=64),
        AUTHENTICATION,
        Field("mtu-check", Boolean(), "whether differing MTUs stop the adjacency", default=True),
        Field("tag", TAG, "the route tag of its subnets (RFC 5130); 0: none", default=0),
    ),
    bare_ok=True,
)  # fmt: skip
_METRIC = Field("metric", Integer(0, 2**24 - 2), "left out: 0")
_LEVEL = Field("level", Choice(Level), "which level it is announced at; left out: 2")
ISIS = Record(
    cls=IsisInstance,
    what="IS-IS",
    fields=(
        Field("net", NetworkEntityTitleValue(), "area address, system id and 00", required=True),
        Field("level", Choice(Level), "of the system", default=Level.BOTH),
        Field("overload", Boolean(), "stay reachable, carry nothing through", default=False),
        Field("attached-bit", Choice(AttachedBit), "automatic: set while another area is reached "
              "at level 2", default=AttachedBit.AUTOMATIC),
        Field("use-attached", Boolean(), "follows the nearest attached system while it reaches "
              "no other area itself", default=True),
        Field("leak-up", POLICY_USE, "which level 1 routes level 2 learns; left out: all"),
        Field("leak-down", POLICY_USE, "which level 2 routes level 1 learns; left out: none"),
        Field("import", POLICY_USE, "which routes enter the table; left out: all", "import_policy"),
        Field("distance", DISTANCE, "left out: 115"),
        MAXIMUM_PATHS,
        Field("redistribute", redistribution(_METRIC, _LEVEL), "what is announced besides",
              default=()),
        Field("default-route", default_route(_METRIC, _LEVEL), "announces a default route"),
    ),
)  # fmt: skip
