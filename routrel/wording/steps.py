"""In words: what an order of steps keeps."""

from __future__ import annotations

from routrel.questions.steps import Steps

__all__ = ["order_words"]


def order_words(steps: Steps) -> str:
    """What is known of the order of a change's steps, in a sentence."""
    watched = f"{steps.watched} kept flow{'' if steps.watched == 1 else 's'}"
    if not steps.watched:
        return "No kept flow arrives both before and after, so none is watched on the way."
    if len(steps.steps) == 1:
        one = steps.watched == 1
        return f"One step: {watched} arrive{'s' if one else ''} before and after it."
    tried = f"{steps.tried} network{'' if steps.tried == 1 else 's'} between the steps computed"
    if steps.keeps_all:
        return f"In this order none of {watched} breaks between the steps ({tried})."
    if steps.complete:
        return (
            f"No order keeps all of {watched} between the steps ({tried}); "
            "this is the change’s own, with what breaks after each."
        )
    return (
        f"Whether an order keeps all of {watched} is not known: time ended ({tried}); "
        "this is the change’s own, with what breaks after each."
    )
