"""RIP version 2 and RIPng."""

from __future__ import annotations

from routrel.files.language.common import AUTHENTICATION, DISTANCE, MAXIMUM_PATHS, POLICY_USE
from routrel.files.language.policies import default_route, redistribution
from routrel.files.shapes import Boolean, Field, Integer, Record
from routrel.model.rip import RipInstance, RipInterface

__all__ = ["RIP", "RIP_INTERFACE"]

RIP_INTERFACE = Record(
    cls=RipInterface,
    what="RIP on an interface",
    fields=(
        Field("passive", Boolean(), "listens, but sends nothing", default=False),
        Field("cost", Integer(1, 15), "added to what is heard here", default=1),
        Field("offset-in", Integer(0, 16), "added on top to what is heard here", default=0),
        Field("offset-out", Integer(0, 16), "added to what is sent here", default=0),
        AUTHENTICATION,
        Field(
            "import", POLICY_USE, "which routes heard here are used; left out: all", "import_policy"
        ),
        Field("export", POLICY_USE, "which routes are sent here; left out: all", "export_policy"),
    ),
    bare_ok=True,
)
_METRIC = Field("metric", Integer(1, 15), "left out: 1")
RIP = Record(
    cls=RipInstance,
    what="RIP",
    fields=(
        Field("distance", DISTANCE, "left out: 120"),
        MAXIMUM_PATHS,
        Field("redistribute", redistribution(_METRIC), "what is announced besides", default=()),
        Field("default-route", default_route(_METRIC), "announces a default route"),
        Field("import", POLICY_USE, "which routes enter the table; left out: all", "import_policy"),
    ),
    bare_ok=True,
)
