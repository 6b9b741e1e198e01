"""A host's rules for which table is asked, as steering."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import Said, name_for
from routrel.formats.drops import DROPS, drop_keys
from routrel.formats.linux.bundle import Bundle, Entry
from routrel.formats.linux.routes import table_name
from routrel.model.network import DEFAULT_VRF

__all__ = ["Rules", "read_rules"]

#: The kernel's own rules: their places, and the tables they name.
_LOCAL, _MAIN, _DEFAULT = 0, 32766, 32767
#: What rules may ask for that the model does not know.
_UNKNOWN = ("uidrange", "tun_id", "realms", "suppress_ifgroup", "oif", "goto", "ipproto_mask")
_ALL_BITS = 0xFFFFFFFF


@dataclass(slots=True)
class Rules:
    """The rules of both families, in order, as steering of what is forwarded and sent."""

    rules: list[Said] = field(default_factory=list)
    tables: set[str] = field(default_factory=set)  #: the VRFs that they ask


def read_rules(
    bundle: Bundle,
    names: Mapping[str, str],
    filled: Iterable[str],
    marks: Iterable[int],
    interfaces: Iterable[str],
) -> Rules:
    """The rules beyond the kernel's own.

    Args:
        names: The VRFs of tables that interfaces belong to, by number.
        filled: The tables that have routes, by VRF.
        marks: Those that the host's filters give packets.
        interfaces: The names there are.
    """
    found = Rules()
    number = 0
    known = set(interfaces)
    for version, name in ((4, "rule4.json"), (6, "rule6.json")):
        entries = [entry for entry in bundle.entries(name) if _is_rule(entry)]
        entries.sort(key=lambda entry: int(entry.value["priority"]))
        own = _places(entries)
        last = max((int(e.value["priority"]) for e in entries if not _is_own(e, filled)), default=0)
        for entry in entries:
            others_behind = last > own.get(_MAIN, _MAIN)
            made = _rule(entry, version, names, set(marks), known, own, filled, others_behind)
            if made is None:
                continue
            number += 10
            found.rules.append(Said({"id": number, **made}, entry.remark))
            if "table" in made:
                found.tables.add(made["table"])
        if entries and _MAIN not in own:
            entries[0].report.unknown("no rule asks the table main; it is asked last all the same")
    return found


def _is_rule(entry: Entry) -> bool:
    if not isinstance(entry.value.get("priority"), int):
        entry.unknown("has no priority")
        return False
    return True


def _is_own(entry: Entry, filled: Iterable[str]) -> bool:
    """Whether a rule is one that the kernel has from the beginning, and that changes nothing."""
    table = str(entry.value.get("table", ""))
    return table in ("main", "local") or (table == "default" and "table-default" not in filled)


def _places(entries: list[Entry]) -> dict[int, int]:
    """The places at which the kernel's own rules for all packets stand, by where they belong."""
    wanted = {"local": _LOCAL, "main": _MAIN, "default": _DEFAULT}
    found: dict[int, int] = {}
    for entry in entries:
        table = str(entry.value.get("table", ""))
        plain = entry.value.get("src", "all") == "all" and not (
            entry.value.keys() - {"priority", "src", "table", "protocol"}
        )
        if table in wanted and plain:
            found.setdefault(wanted[table], int(entry.value["priority"]))
    return found


def _rule(
    entry: Entry,
    version: int,
    names: Mapping[str, str],
    marks: set[int],
    interfaces: set[str],
    own: Mapping[int, int],
    filled: Iterable[str],
    others_behind: bool,
) -> dict[str, Any] | None:
    """A rule as steering has it; None where it is the kernel's own, or not understood."""
    value, place = entry.value, int(entry.value["priority"])
    table = str(value.get("table", ""))
    if "l3mdev" in value or value.get("action") == "nop":
        return None
    if table == "local":
        if place != _LOCAL:
            entry.unknown("the host's own addresses are asked behind other rules")
        return None
    main_at = own.get(_MAIN)
    if table == "main" and place == main_at:
        return {"table": DEFAULT_VRF, **_family(version)} if others_behind else None
    if table == "default" and "table-default" not in filled and place == own.get(_DEFAULT):
        return None
    for key in _UNKNOWN:
        if key in value:
            entry.unknown(f"a rule that asks for {key} is not modelled; left out")
            return None
    match = _match(entry, version, marks, interfaces)
    if match is None:
        return None
    if "action" in value:
        action = DROPS.get(str(value["action"]))
        if action is None:
            entry.unknown(f"a rule with the action {value['action']} is not modelled; left out")
            return None
        return {**match, **drop_keys(action)}
    if not table:
        entry.unknown("a rule without a table is not modelled; left out")
        return None
    made = {**match, "table": table_name(table, names)}
    if "suppress_prefixlen" in value and value["suppress_prefixlen"] != -1:
        made["longer-than"] = value["suppress_prefixlen"]
    return made


def _family(version: int) -> dict[str, str]:
    return {"from": "0.0.0.0/0" if version == 4 else "::/0"}


def _match(
    entry: Entry, version: int, marks: set[int], interfaces: set[str]
) -> dict[str, Any] | None:
    value = entry.value
    made: dict[str, Any] = {}
    inverts = "not" in value
    for key, length, word in (("src", "srclen", "from"), ("dst", "dstlen", "to")):
        text = value.get(key, "all")
        if text == "all":
            continue
        bits = value.get(length, 32 if version == 4 else 128)
        try:
            made[word] = str(ipaddress.ip_network(f"{text}/{bits}"))
        except ValueError:
            entry.unknown(f"{text}/{bits} is no prefix; left out")
            return None
    if "iif" in value:
        if value["iif"] not in interfaces:
            entry.unknown(f"a rule for what arrives by {value['iif']}, which is no interface here")
            return None
        made["arrives"] = name_for(str(value["iif"]))
    if "fwmark" in value:
        wanted, mask = int(str(value["fwmark"]), 0), int(str(value.get("fwmask", _ALL_BITS)), 0)
        taken = sorted(mark for mark in {0, wanted, *marks} if mark & mask == wanted & mask)
        made["marked"] = taken[0] if len(taken) == 1 else taken
    tos = int(str(value.get("tos", value.get("dsfield", 0))), 0)
    if tos:
        if tos & 3:
            entry.unknown(f"a rule for the type of service {tos:#x} is not modelled; left out")
            return None
        made["dscp"] = tos >> 2
    if "ipproto" in value:
        made["protocol"] = _protocol(value["ipproto"])
    for key, word in (("sport", "from-port"), ("dport", "to-port")):
        if key in value:
            made[word] = value[key]
        elif f"{key}_start" in value:
            made[word] = f"{value[f'{key}_start']}-{value[f'{key}_end']}"
    if ("from-port" in made or "to-port" in made) and "protocol" not in made:
        entry.unknown("a rule that asks for ports and for no protocol is not modelled; left out")
        return None
    if "from" not in made and "to" not in made and not inverts:
        made = {**_family(version), **made}
    if inverts:
        if not made:
            entry.unknown("a rule that excepts everything never matches")
            return None
        made["invert"] = True
        made["only"] = f"ipv{version}"
    return made


def _protocol(word: Any) -> str:
    """A protocol as the language names it."""
    return {"ipv6-icmp": "icmpv6"}.get(str(word), str(word))
