"""What a change moves, as an answer."""

from __future__ import annotations

from routrel.answers.base import Answer
from routrel.questions.moves import Moves
from routrel.wording.moves import moves_words

__all__ = ["MovesData", "moves_data"]


class MovesData(Answer):
    """How many active routes differ, and which of the kept flows.

    `text` says it in words; `breaks` are those of `flows` that arrived before and do not any more.
    """

    prefixes: int
    devices: int
    flows: list[str]
    breaks: list[str]
    flows_asked: int
    text: str


def moves_data(found: Moves) -> MovesData:
    """What a change moves, as an answer."""
    return MovesData(
        prefixes=found.prefixes,
        devices=found.devices,
        flows=list(found.flows),
        breaks=list(found.breaks),
        flows_asked=found.flows_asked,
        text=moves_words(found),
    )
