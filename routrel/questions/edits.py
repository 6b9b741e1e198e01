"""Small edits that answers propose: one setting at one place, as changes of a device's file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol

from routrel.files.patching import Path, flow_style, path_at, quoted
from routrel.lens.file_edits import LAST, CopyItem, CopyKey, FileEdit, Insert, Patch, Remove, SetKey
from routrel.model.addresses import Address, Prefix
from routrel.model.bgp import BgpInstance, BgpNeighbour, NextHopRule
from routrel.model.network import DEFAULT_VRF, Device
from routrel.model.policy import Policy, PolicyResult, Statement
from routrel.model.policy_bindings import policy_bindings

__all__ = [
    "CompareMedEdit",
    "DistanceEdit",
    "Edit",
    "ImportEdit",
    "NextHopEdit",
    "SetEdit",
    "changes_of",
    "vrf_path",
]

_ACCEPT = PolicyResult.ACCEPT.value
_POLICIES: Path = ("policies",)
_PREFIX_SETS: Path = ("sets", "prefixes")


class Edit(Protocol):
    """A setting that an answer proposes to change."""

    @property
    def device(self) -> str:
        """The device that it is a setting of."""
        ...

    @property
    def vrf(self) -> str: ...

    @property
    def neighbour(self) -> Address | None:
        """The neighbour that it is about, if it is about one."""
        ...

    @property
    def attribute(self) -> str: ...

    @property
    def value(self) -> int | str | tuple[int, ...]: ...

    @property
    def target(self) -> str:
        """Where in the device's file it stands, as a path of keys."""
        ...

    def patches(self, device: Device, text: str) -> Iterator[Patch]:
        """What is done to the device's file, one after the other.

        Args:
            text: The file as it is.
        """
        ...


def changes_of(edit: Edit, device: Device, texts: Mapping[str, str]) -> tuple[FileEdit, ...]:
    """An edit as changes of files."""
    file = device.place.file
    return tuple(FileEdit(file, patch) for patch in edit.patches(device, texts[file]))


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportEdit:
    """An attribute that a device sets on what it hears from one neighbour.

    It is set where the route in question is accepted now: in the statement that accepts it, or
    behind the last one where the default does; for one prefix alone in a statement of its own in
    front of that. A policy that is used elsewhere too is copied.
    """

    device: str
    vrf: str
    neighbour: Address
    attribute: str  #: local-preference, med, weight, origin, prepend or accept
    value: int | str | tuple[int, ...]
    policy: str | None = None  #: that decides now; None: none is bound
    statement: str | None = None  #: that decides now; None: the default does
    prefix: Prefix | None = None  #: for which alone; None: for all that is decided there

    @property
    def target(self) -> str:
        """The place in the device file, as a path of keys."""
        if self.prefix is not None and self.policy is not None:
            return f"policies.{self.policy}.statements"
        if self.policy is None or self.statement is None:
            return f"bgp.neighbours.{self.neighbour}.import"
        return f"policies.{self.policy}.statements.{self.statement}.set.{self.attribute}"

    def patches(self, device: Device, text: str) -> Iterator[Patch]:
        """A set for the prefix, the policy or its copy, and the neighbour that uses it."""
        only = self._only(device)
        if only is not None:
            yield SetKey(_PREFIX_SETS, only, f"[{quoted(self.prefix)}]")
        bgp, neighbour = _session_of(device, self.vrf, self.neighbour)
        path = _neighbour_path(text, neighbour)
        old = device.policy(self.policy) if self.policy else None
        if old is None:
            name = _free_policy(device, f"from-{self.neighbour}".replace(":", "-"))
            statement = self._statement("all" if only is None else "one", only)
            written = {"statements": f"[{statement}]", "default": _ACCEPT}
            yield SetKey(_POLICIES, name, flow_style(written))
            yield SetKey(path, "import", f"[{name}]")
            return
        name = old.name
        if _uses(device, old.name) > 1:
            name = _free_policy(device, f"{old.name}-2")
            yield CopyKey((*_POLICIES, old.name), name)
        yield from self._edited(old, name, only)
        if name != old.name:
            uses = bgp.settings(neighbour).import_policies or ()
            bound = [name if use.policy == old.name else use.policy for use in uses]
            if neighbour.import_policies is not None:
                yield Remove((*path, "import"))
            yield SetKey(path, "import", f"[{', '.join(bound)}]")

    def _only(self, device: Device) -> str | None:
        """The name of a set that holds the prefix alone; None where it is for all routes."""
        if self.prefix is None:
            return None
        wish = f"only-{self.prefix}".replace("/", "-").replace(":", "-")
        return _free(wish, [item.name for item in device.prefix_sets])

    def _edited(self, policy: Policy, name: str, only: str | None) -> Iterator[Patch]:
        """What is done to the statements of a policy, or of its copy of that name."""
        path: Path = (*_POLICIES, name, "statements")
        names = [statement.name for statement in policy.statements]
        at = names.index(self.statement) if self.statement in names else len(names)
        if only is not None:
            yield from self._for_one(path, policy, at, only)
        elif self.statement is None or self.attribute == "accept":
            # Behind all that decides: the default did.
            yield Insert(path, LAST, self._statement(_free(f"more-{self.attribute}", names), None))
        else:
            yield from self._set((*path, at), policy.statements[at])

    def _for_one(self, path: Path, policy: Policy, at: int, only: str) -> Iterator[Patch]:
        """A statement for the prefix in front of the one that decides, with what that does too."""
        names = [statement.name for statement in policy.statements]
        name = _free("one", names)
        if at == len(names):
            yield Insert(path, LAST, self._statement(name, only))
            return
        yield CopyItem((*path, at))
        yield SetKey((*path, at), "name", name)
        if policy.statements[at].conditions.place.line:
            yield Remove((*path, at, "match"))
        yield SetKey((*path, at, "match"), "prefixes", only)
        yield from self._set((*path, at), policy.statements[at])

    def _set(self, path: Path, statement: Statement) -> Iterator[Patch]:
        """The attribute in what a statement sets."""
        if self.attribute == "accept":
            return
        value = self._written(statement.actions.prepend)
        if statement.actions.prepend and self.attribute == "prepend":
            yield Remove((*path, "set", "prepend"))
        yield SetKey((*path, "set"), self.attribute, value)

    def _statement(self, name: str, only: str | None) -> str:
        """A statement that sets the attribute and accepts."""
        written: dict[str, object] = {"name": name}
        if only is not None:
            written["match"] = flow_style({"prefixes": only})
        if self.attribute != "accept":
            written["set"] = flow_style({self.attribute: self._written(())})
        return flow_style({**written, "then": _ACCEPT})

    def _written(self, prepended: tuple[int, ...]) -> str:
        if isinstance(self.value, tuple):
            return f"[{', '.join(str(number) for number in (*self.value, *prepended))}]"
        return str(self.value)


@dataclass(frozen=True, slots=True, kw_only=True)
class NextHopEdit:
    """A device names itself as next hop to one neighbour."""

    device: str
    vrf: str
    neighbour: Address
    attribute: str = "next-hop"
    value: str = NextHopRule.SELF.value

    @property
    def target(self) -> str:
        """The place in the device file, as a path of keys."""
        return f"bgp.neighbours.{self.neighbour}.next-hop"

    def patches(self, device: Device, text: str) -> Iterator[Patch]:
        """The key of the neighbour."""
        _, neighbour = _session_of(device, self.vrf, self.neighbour)
        yield SetKey(_neighbour_path(text, neighbour), self.attribute, self.value)


@dataclass(frozen=True, slots=True, kw_only=True)
class DistanceEdit:
    """A distance for all routes of a protocol in one table, or for one prefix of them."""

    device: str
    vrf: str
    protocol: str
    value: int
    prefix: Prefix | None = None
    attribute: str = "distance"
    neighbour: None = None

    @property
    def target(self) -> str:
        """The place in the device file, as a path of keys."""
        return "distances"

    def patches(self, device: Device, text: str) -> Iterator[Patch]:
        """A rule in front of all others."""
        rule: dict[str, object] = {"protocol": self.protocol}
        if self.prefix is not None:
            rule["prefixes"] = quoted(self.prefix)
        rule["distance"] = self.value
        yield Insert((*vrf_path(self.vrf), "distances"), 0, flow_style(rule))


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareMedEdit:
    """A device compares the MED of different neighbouring AS too."""

    device: str
    vrf: str
    attribute: str = "compare-med-always"
    value: int = 1
    neighbour: None = None

    @property
    def target(self) -> str:
        """The place in the device file, as a path of keys."""
        return "bgp.decision.compare-med-always"

    def patches(self, device: Device, text: str) -> Iterator[Patch]:
        """The key of the decision."""
        yield SetKey((*vrf_path(self.vrf), "bgp", "decision"), self.attribute, "true")


@dataclass(frozen=True, slots=True, kw_only=True)
class SetEdit:
    """A prefix more in a set that a statement asks for."""

    device: str
    vrf: str
    name: str
    prefix: Prefix
    attribute: str = "prefixes"
    neighbour: None = None

    @property
    def value(self) -> str:
        """The prefix that it adds to the set."""
        return str(self.prefix)

    @property
    def target(self) -> str:
        """The place in the device file, as a path of keys."""
        return f"sets.prefixes.{self.name}"

    def patches(self, device: Device, text: str) -> Iterator[Patch]:
        """The prefix, behind what the set holds."""
        yield Insert((*_PREFIX_SETS, self.name), LAST, quoted(self.prefix))


def vrf_path(vrf: str) -> Path:
    """Where in a device's file the keys of a VRF stand."""
    return () if vrf == DEFAULT_VRF else ("vrfs", vrf)


def _session_of(device: Device, vrf: str, address: Address) -> tuple[BgpInstance, BgpNeighbour]:
    found = device.vrf(vrf)
    if found is None or found.bgp is None:
        raise ValueError(f"{device.name} has no BGP in VRF {vrf}")
    return found.bgp, next(n for n in found.bgp.neighbours if n.address == address)


def _neighbour_path(text: str, neighbour: BgpNeighbour) -> Path:
    """Where a neighbour stands; its address may be spelled in several ways."""
    return path_at(text, neighbour.place.line, neighbour.place.column, named=True)


def _uses(device: Device, policy: str) -> int:
    """In how many places a device uses a policy; a group counts for each of its members."""
    return sum(1 for name in _used_names(device) if name == policy)


def _used_names(device: Device) -> Iterator[str]:
    for binding in policy_bindings(device):
        if not binding.of_group:
            yield from (use.policy for use in binding.uses)
    for policy in device.policies:
        yield from (s.call for s in policy.statements if s.call is not None)


def _free_policy(device: Device, wish: str) -> str:
    return _free(wish, [policy.name for policy in device.policies])


def _free(wish: str, taken: list[str]) -> str:
    name, number = wish, 2
    while name in taken:
        name, number = f"{wish}-{number}", number + 1
    return name
