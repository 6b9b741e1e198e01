"""What BGP came to in the whole network, as it is explained."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass

from routrel.model.addresses import Address
from routrel.protocols.bgp.classes import PrefixClass
from routrel.protocols.bgp.memory import BgpMemory, ClassResult
from routrel.protocols.bgp.paths import Path
from routrel.protocols.bgp.resolve import Resolution
from routrel.protocols.bgp.round import Round
from routrel.protocols.bgp.sessions import Session
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.spreading import Classes
from routrel.protocols.contract import Domain, Inputs
from routrel.rib.candidates import Interning, Table
from routrel.rib.table import RowsByTable

__all__ = ["BgpState"]


@dataclass(frozen=True, kw_only=True)
class BgpState:
    """Sessions, and what every speaker chose of every class of prefixes."""

    domain: Domain
    inputs: Inputs
    by_table: RowsByTable
    key: Hashable  #: what it rests on, with `resolutions`
    resolutions: Mapping[tuple[int, Address], Resolution]
    memory: BgpMemory
    round: Round
    classes: Classes

    @property
    def interning(self) -> Interning:
        """The numbers of tables, prefixes and next hops."""
        return self.domain.interning

    @property
    def speakers(self) -> tuple[Speaker, ...]:
        """Devices first, then outside networks."""
        return self.round.speakers

    @property
    def index_of(self) -> Mapping[Table, int]:
        """The speakers by table."""
        return self.domain.index_of

    @property
    def sessions(self) -> Sequence[Session]:
        """All configured neighbours, up or down."""
        return self.round.sessions

    def class_with(self, prefix: int) -> tuple[PrefixClass, ClassResult] | None:
        """The class of a prefix number and how it ended; None where nobody announces it."""
        number = self.classes.class_of.get(prefix)
        return None if number is None else self.classes.all[number]

    def path(self, code: int) -> Path:
        """The path of a code of the round."""
        return self.round.paths[self.round.carrier.codes.path(code)]

    def others_announce(self, index: int, prefixes: Sequence[int]) -> bool:
        """Whether somebody of another AS than a speaker's announces one of some prefixes."""
        mine = self.speakers[index].public_as
        of = self.classes.class_of
        return any(
            self.speakers[speaker].public_as != mine
            for number in {of[prefix] for prefix in prefixes if prefix in of}
            for speaker, _ in self.classes.all[number][0].origins
        )
