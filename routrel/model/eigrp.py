"""What a device file says about EIGRP (RFC 7868)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from ipaddress import IPv4Address

from routrel.model.addresses import Prefix
from routrel.model.place import Place, placed
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import Redistribution

__all__ = ["EigrpInstance", "EigrpInterface", "EigrpMetric", "StubRoutes"]


class EigrpMetric(Enum):
    """How the vector metric becomes one number (RFC 7868 5.6.1 and 5.6.2)."""

    CLASSIC = "classic"
    WIDE = "wide"


class StubRoutes(Enum):
    """What a stub router still announces (RFC 7868 5.4.5)."""

    CONNECTED = "connected"
    STATIC = "static"
    SUMMARY = "summary"
    REDISTRIBUTED = "redistributed"
    NOTHING = "nothing"


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpInterface:
    """EIGRP on one interface."""

    passive: bool = False  #: announced, but no neighbours
    authentication: str | None = None  #: names the key; both ends must have the same
    summaries: tuple[Prefix, ...] = ()  #: sent here in place of what they hold
    import_policy: PolicyUse | None = None  #: which routes heard here are used
    export_policy: PolicyUse | None = None  #: which routes are sent here
    jitter_us: int = 0  #: microseconds by which delays vary
    energy: int = 0  #: milliwatts a kilobit, of a busy link
    idle_energy: int = 0  #: milliwatts a kilobit, of an idle link
    place: Place = placed()

    @property
    def extended(self) -> int:
        """What K6 weighs (RFC 7868 6.9.3): jitter and energy, busy and idle, in their units."""
        return self.jitter_us + self.energy + self.idle_energy


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpInstance:
    """EIGRP in one VRF of a device, for both address families."""

    autonomous_system: int
    router_id: IPv4Address | None = None  #: None: highest loopback, else highest address
    metric: EigrpMetric = EigrpMetric.CLASSIC
    k_values: tuple[int, ...] = (1, 0, 1, 0, 0, 0)  #: K1 to K6
    variance: int = 1  #: how many times the best distance another feasible path may have
    distance: int | None = None  #: of internal routes; None: 90
    external_distance: int | None = None  #: None: 170
    maximum_paths: int | None = None  #: None: the VRF's
    stub: tuple[StubRoutes, ...] = ()  #: empty: no stub router
    redistribute: tuple[Redistribution, ...] = ()
    import_policy: PolicyUse | None = None  #: which routes enter the table
    place: Place = placed()
