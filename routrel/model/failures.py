"""What has failed: devices, interfaces and links that the files take to work."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["NOTHING_FAILED", "Failures"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Failures:
    """Things by name that carry nothing, whatever the configuration says.

    A failed device is off: no interface, address, table or session of it is left. A failed
    interface has no carrier, as if its cable were pulled at its end; the only other end of a link
    loses its carrier too. On a failed link (or segment of more ends) all ends are without carrier.
    """

    devices: frozenset[str] = frozenset()
    interfaces: frozenset[tuple[str, str]] = frozenset()  #: (device, interface)
    links: frozenset[str] = frozenset()  #: names of segments: as stated, else their subnet

    def __bool__(self) -> bool:
        return bool(self.devices or self.interfaces or self.links)


NOTHING_FAILED = Failures()
