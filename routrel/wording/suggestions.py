"""What is said of promises that might be made."""

from __future__ import annotations

from routrel.questions.promises.suggesting import Suggested, SuggestedKind

__all__ = ["reason_words", "suggestions_words"]


def reason_words(one: Suggested) -> str:
    """What about today's behaviour suggests it."""
    match one.kind:
        case SuggestedKind.SERVICE:
            return f"{one.count} hosts reach {one.subject} today"
        case SuggestedKind.TWO_EXITS:
            return f"{one.subject} has {one.count} ways out; each link was failed, and it holds"
        case SuggestedKind.SEPARATE:
            return f"{one.subject} share no link, device or risk group today"
        case SuggestedKind.SHUT:
            return f"{one.subject} denies it, and nothing lets it pass"
        case SuggestedKind.DEFAULT:
            ways = f"{one.count} way{'s' * (one.count != 1)} out"
            return f"every device of {one.subject}, which has {ways}, holds one today"
        case SuggestedKind.HIDDEN:
            return f"{one.count} addresses of {one.subject} are used here; nobody hears of it"
    raise ValueError(f"{one.kind} is no kind of suggestion")


def suggestions_words(count: int) -> str:
    """How many there are."""
    if not count:
        return "Nothing more is suggested: what was found is promised already."
    return (
        f"{count} more hold{'s' * (count == 1)} today. Take what must hold for ever, and leave "
        "the rest."
    )
