"""Promises that might be made, as an answer."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.answers.base import Answer, Placed, position
from routrel.questions.promises.suggesting import Suggested, SuggestedKind
from routrel.wording.suggestions import reason_words, suggestions_words

__all__ = ["SuggestedData", "SuggestionData", "SuggestionsData", "suggestions_data"]


class SuggestedData(Answer):
    """A promise as it would be made."""

    id: str
    text: str


class SuggestionData(Placed):
    """Promises to be taken together, with why; the place is that of the line that says so."""

    kind: SuggestedKind
    why: str
    promises: list[SuggestedData]


class SuggestionsData(Answer):
    """All that might be promised, each kept today."""

    summary: str
    suggestions: list[SuggestionData]


def suggestions_data(found: Sequence[Suggested]) -> SuggestionsData:
    """The answer about what might be promised."""
    return SuggestionsData(
        summary=suggestions_words(sum(len(one.promises) for one in found)),
        suggestions=[
            SuggestionData(
                kind=one.kind,
                why=reason_words(one),
                promises=[SuggestedData(id=p.name, text=p.sentence) for p in one.promises],
                **position(one.place),
            )
            for one in found
        ],
    )
