"""The vector metric of EIGRP and the number it makes (RFC 7868 5.6)."""

from __future__ import annotations

from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from routrel.model.eigrp import EigrpInstance, EigrpMetric
from routrel.model.network import Interface
from routrel.model.redistribution import EigrpSeed
from routrel.protocols.shared.speaking import bandwidth_bps

__all__ = [
    "INFINITE",
    "VECTOR",
    "Vectors",
    "composite",
    "interface_delay_ps",
    "interface_vector",
    "over_interface",
    "rib_metric",
    "seed_vector",
]

#: What an announcement says of a path, and what a receiver makes of it.
VECTOR = np.dtype(
    [
        ("good", np.bool_),  #: whether there is a path at all
        ("external", np.bool_),
        ("bandwidth_kbps", np.int64),  #: of the narrowest link
        ("delay_ps", np.int64),  #: of all links together, in picoseconds
        ("reliability", np.int16),  #: of 255, the worst
        ("load", np.int16),  #: of 255, the highest
        ("extended", np.int64),  #: jitter and energy of all links together
        ("hops", np.int16),
        ("origin", np.int64),  #: of an external route: the router id that brought it in
        ("tag", np.int64),
    ]
)
Vectors: TypeAlias = NDArray[Any]

#: The composite metric of what is out of reach.
INFINITE = np.iinfo(np.int64).max
_SCALE = 65536
_RIB_SCALE = 128
_TEN_MICROSECONDS_PS = 10**7
MAXIMUM_HOPS = 100


def composite(instance: EigrpInstance, vectors: Vectors) -> NDArray[np.int64]:
    """The distance each vector makes with an instance's K values; `INFINITE` where there is none.

    Classic (RFC 7868 5.6.1.1): bandwidth is 10^7 over the narrowest link in kb/s, delay counts in
    tens of microseconds, and all is multiplied by 256. Wide (5.6.2.1): 10^7 * 65536 over the
    narrowest link, and 65536 times the delay in microseconds; both keep what classic rounds away.
    K6 weighs the sum of the extended attributes.
    """
    k1, k2, k3, k4, k5, k6 = instance.k_values
    load = 256 - vectors["load"].astype(np.int64)
    bandwidth = np.maximum(vectors["bandwidth_kbps"], 1)
    if instance.metric is EigrpMetric.CLASSIC:
        throughput = 10**7 // bandwidth
        latency = vectors["delay_ps"] // _TEN_MICROSECONDS_PS
    else:
        throughput = 10**7 * _SCALE // bandwidth
        latency = vectors["delay_ps"] * _SCALE // 10**6
    result = k1 * throughput + k2 * throughput // load + k3 * latency + k6 * vectors["extended"]
    if k5:
        result = result * k5 // (k4 + vectors["reliability"].astype(np.int64)).clip(1)
    if instance.metric is EigrpMetric.CLASSIC:
        result = result * 256
    usable = vectors["good"] & (vectors["hops"] <= MAXIMUM_HOPS)
    return np.where(usable, result, INFINITE)


def rib_metric(instance: EigrpInstance, distance: int) -> int:
    """The metric as it stands in the table: wide ones are divided by 128 (RFC 7868 5.6.2.3)."""
    return distance // _RIB_SCALE if instance.metric is EigrpMetric.WIDE else distance


def interface_delay_ps(interface: Interface, metric: EigrpMetric) -> int:
    """An interface's delay in picoseconds: as written, else 10^16 over its bits per second.

    That is 10 us at 1 Gb/s and 100 us at 100 Mb/s. Classic metrics know tens of microseconds only.
    """
    if interface.delay_us is not None:
        delay = interface.delay_us * 10**6
    else:
        delay = 10**16 // bandwidth_bps(interface)
    if metric is EigrpMetric.CLASSIC:
        return max(1, delay // _TEN_MICROSECONDS_PS) * _TEN_MICROSECONDS_PS
    return max(1, delay)


def interface_vector(interface: Interface, metric: EigrpMetric) -> Vectors:
    """The vector of a network that an interface is on."""
    result = np.zeros((), dtype=VECTOR)
    result["good"] = True
    result["bandwidth_kbps"] = max(1, bandwidth_bps(interface) // 1000)
    result["delay_ps"] = interface_delay_ps(interface, metric)
    result["reliability"], result["load"] = 255, 1
    result["extended"] = interface.eigrp.extended if interface.eigrp else 0
    return result


def seed_vector(seed: EigrpSeed) -> Vectors:
    """The vector an external route starts with."""
    result = np.zeros((), dtype=VECTOR)
    result["good"] = True
    result["bandwidth_kbps"] = max(1, seed.bandwidth_bps // 1000)
    result["delay_ps"] = seed.delay_us * 10**6
    result["reliability"], result["load"] = seed.reliability, seed.load
    return result


def over_interface(vectors: Vectors, interface: Interface, metric: EigrpMetric) -> Vectors:
    """Announced vectors as the receiver takes them: with the interface they came by."""
    own = interface_vector(interface, metric)
    result = vectors.copy()
    result["bandwidth_kbps"] = np.minimum(vectors["bandwidth_kbps"], own["bandwidth_kbps"])
    result["delay_ps"] += own["delay_ps"]
    result["reliability"] = np.minimum(vectors["reliability"], own["reliability"])
    result["load"] = np.maximum(vectors["load"], own["load"])
    result["extended"] += own["extended"]
    result["hops"] += 1
    return result
