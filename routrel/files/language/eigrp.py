"""EIGRP."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import (
    AUTHENTICATION,
    BANDWIDTH,
    DELAY,
    DISTANCE,
    MAXIMUM_PATHS,
    POLICY_USE,
)
from routrel.files.language.policies import redistribution
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Boolean,
    Choice,
    Field,
    Integer,
    ListOf,
    OneOrMany,
    Record,
    Values,
)
from routrel.files.values import AddressValue, PrefixValue
from routrel.model.eigrp import EigrpInstance, EigrpInterface, EigrpMetric, StubRoutes
from routrel.model.place import Place
from routrel.model.redistribution import EigrpSeed

__all__ = ["EIGRP", "EIGRP_INTERFACE", "EIGRP_SEED"]

EIGRP_INTERFACE = Record(
    cls=EigrpInterface,
    what="EIGRP on an interface",
    fields=(
        Field("passive", Boolean(), "announce the subnets, have no neighbours", default=False),
        AUTHENTICATION,
        Field("summaries", OneOrMany(PrefixValue()), "sent here in place of what they hold",
              default=()),
        Field("import", POLICY_USE, "which routes heard here are used; left out: all",
              "import_policy"),
        Field("export", POLICY_USE, "which routes are sent here; left out: all", "export_policy"),
        Field("jitter", DELAY, "by which delays vary, for K6 of wide metrics", "jitter_us",
              default=0),
        Field("energy", Integer(0, 2**31 - 1), "milliwatts a kilobit while busy, for K6",
              default=0),
        Field("idle-energy", Integer(0, 2**31 - 1), "milliwatts a kilobit while idle, for K6",
              default=0),
    ),
    bare_ok=True,
)  # fmt: skip
EIGRP_SEED = Record(
    cls=EigrpSeed,
    what="an EIGRP metric",
    fields=(
        Field("bandwidth", BANDWIDTH, "of the narrowest link", "bandwidth_bps", required=True),
        Field("delay", DELAY, "of all links together", "delay_us", required=True),
        Field("reliability", Integer(0, 255), "of 255", default=255),
        Field("load", Integer(1, 255), "of 255", default=1),
        Field("mtu", Integer(68, 65535), "bytes", default=1500),
    ),
    strict=True,
    build=lambda values, place, report: EigrpSeed(**values),
)


def _build_eigrp(values: Values, place: Place, report: Report) -> Any:
    k = values["k_values"] = values["k_values"] + (0,) * (6 - len(values["k_values"]))
    stub = values["stub"]
    problem = ""
    if len(k) > 6:
        problem = "there are K values K1 to K6 only"
    elif k[5] and values["metric"] is EigrpMetric.CLASSIC:
        problem = "K6 belongs to wide metrics"
    elif not any(k[:3]):
        problem = "one of K1, K2 and K3 must not be 0, or every path is equal"
    elif StubRoutes.NOTHING in stub and len(stub) > 1:
        problem = "stub: nothing excludes the others"
    if problem:
        report.error(place, "bad_eigrp", problem, "RFC 7868 5.6, 5.4.5")
        return BAD
    return EigrpInstance(**values, place=place)


EIGRP = Record(
    cls=EigrpInstance,
    what="EIGRP",
    fields=(
        Field("as", Integer(1, 65535), "the autonomous system; neighbours must agree",
              "autonomous_system", required=True),
        Field("router-id", AddressValue(version=4),
              "left out: the highest loopback address, else the highest address"),
        Field("metric", Choice(EigrpMetric), "classic, or wide with 64 bits",
              default=EigrpMetric.CLASSIC),
        Field("k-values", ListOf(Integer(0, 255), minimum=1),
              "K1 to K6; neighbours must agree", default=(1, 0, 1, 0, 0, 0)),
        Field("variance", Integer(1, 128), "how many times the best distance another feasible "
              "path may have", default=1),
        Field("import", POLICY_USE, "which routes enter the table; left out: all", "import_policy"),
        Field("distance", DISTANCE, "of internal routes; left out: 90"),
        Field("external-distance", DISTANCE, "left out: 170"),
        MAXIMUM_PATHS,
        Field("stub", OneOrMany(Choice(StubRoutes)), "announce only these, pass nothing on",
              default=()),
        Field("redistribute", redistribution(Field("metric", EIGRP_SEED, "what they start with; "
              "left out: only connected routes have one of their own", "seed")),
              "what is announced as external", default=()),
    ),
    build=_build_eigrp,
)  # fmt: skip
