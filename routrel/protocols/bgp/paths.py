"""A route of BGP: its attributes, and what a router adds when it hears one."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum, IntEnum
from ipaddress import IPv4Address

from routrel.model.addresses import Address
from routrel.policy.as_paths import AsPath

__all__ = ["NO_ADDRESS", "OwnKind", "Path", "PathFacts", "PathNumbers", "PathSource"]

#: The number of no address.
NO_ADDRESS = -1


class PathSource(IntEnum):
    """Whom a router has a path from."""

    OWN = 0
    EXTERNAL = 1
    CONFEDERATION = 2  #: another member AS of the confederation (RFC 5065)
    INTERNAL = 3

    @property
    def is_inside(self) -> bool:
        """Whether the decision takes it for internal (RFC 5065 5.3)."""
        return self in (PathSource.CONFEDERATION, PathSource.INTERNAL)


class OwnKind(Enum):
    """How a router came to announce a path itself; the first of two equal ones is taken."""

    NETWORK = "network"
    AGGREGATE = "aggregate"
    REDISTRIBUTED = "redistributed"
    DEFAULT = "default"
    OUTSIDE = "outside"


@dataclass(frozen=True, slots=True, kw_only=True)
class Path:
    """A path as one router holds it.

    It knows neither its prefix nor by which peer it came: many prefixes share it, and many
    clients of a reflector hold the same.
    """

    source: PathSource
    next_hop: Address | None = None  #: None: the router itself
    as_path: AsPath = ()
    origin: int = 0  #: 0 IGP, 1 EGP, 2 incomplete (RFC 4271 4.3)
    med: int | None = None
    local_preference: int = 100
    weight: int = 0
    communities: frozenset[str] = frozenset()
    originator: IPv4Address | None = None  #: RFC 4456 8
    cluster_list: tuple[IPv4Address, ...] = ()
    atomic_aggregate: bool = False
    discard: bool = False  #: what matches is dropped (RFC 7999)
    age_s: int | None = None  #: seconds since it was heard; None: not known
    own: OwnKind | None = None
    gateway: Address | None = None  #: of an own path: through whom the router reaches it
    only_from: tuple[Address, ...] = ()  #: of an outside network: only from these addresses

    @property
    def resolves(self) -> bool:
        """Whether who uses it has to find its next hop in the table."""
        return self.source is not PathSource.OWN and not self.discard


@dataclass(frozen=True, slots=True)
class PathFacts:
    """What is asked of a path for each who may hear it; addresses as their numbers."""

    towards: int  #: whom its speaker sends packets to: the gateway of an own path, or the next hop
    next_hop: int
    originator: int
    cluster_list: tuple[IPv4Address, ...]
    internal: bool


class PathNumbers:
    """Paths, numbered; equal paths have equal numbers.

    Attributes:
        facts: By the number of a path.
        addresses: By the number of an address.
    """

    def __init__(self) -> None:
        self.paths: list[Path] = []
        self.facts: list[PathFacts] = []
        self._numbers: dict[Path, int] = {}
        self.addresses: list[Address] = []
        self._address_numbers: dict[Address, int] = {}

    def copy(self) -> PathNumbers:
        """The same numbers, to which others may be added."""
        made = PathNumbers()
        made.paths, made._numbers = self.paths.copy(), self._numbers.copy()
        made.facts, made.addresses = self.facts.copy(), self.addresses.copy()
        made._address_numbers = self._address_numbers.copy()
        return made

    def add(self, path: Path) -> int:
        """The number of a path, which is given one if it has none."""
        number = self._numbers.get(path)
        if number is None:
            number = self._numbers[path] = len(self.paths)
            self.paths.append(path)
            self.facts.append(self._facts(path))
        return number

    def address(self, address: Address | None) -> int:
        """The number of an address; `NO_ADDRESS` for None."""
        if address is None:
            return NO_ADDRESS
        number = self._address_numbers.get(address)
        if number is None:
            number = self._address_numbers[address] = len(self.addresses)
            self.addresses.append(address)
        return number

    def __getitem__(self, number: int) -> Path:
        return self.paths[number]

    def _facts(self, path: Path) -> PathFacts:
        next_hop = self.address(path.next_hop)
        return PathFacts(
            towards=self.address(path.gateway) if path.source is PathSource.OWN else next_hop,
            next_hop=next_hop,
            originator=self.address(path.originator),
            cluster_list=path.cluster_list,
            internal=path.source is PathSource.INTERNAL,
        )
