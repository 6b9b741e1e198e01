"""Why a table lacks a route, as one sentence."""

from __future__ import annotations

from routrel.questions.absence import Absence

__all__ = ["absence_sentence"]


def absence_sentence(absent: Absence) -> str:
    """Who has it, how far it got, and the likeliest reason."""
    device = absent.device
    if absent.as_read:
        text = absent.reasons[0].text
        return f"{text[0].upper()}{text[1:]}."
    if not absent.originators:
        sentence = f"{device} has no route to {absent.wanted}, and no device has one"
    else:
        begin = " and ".join(absent.originators[:2])
        sentence = f"{device} has no route to {absent.prefix}, which begins at {begin}"
    if absent.between:
        sentence += f"; {absent.between[0]} has it, {absent.between[1]} does not"
    if absent.reasons:
        sentence += f": {absent.reasons[0].text}"
    return f"{sentence}."
