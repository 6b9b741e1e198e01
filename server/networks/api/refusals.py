"""What a request's fields refuse, in words of what is wanted, not of validators."""

from __future__ import annotations

import re
from typing import Any

from rest_framework import serializers
from rest_framework.exceptions import ErrorDetail

__all__ = ["Truth", "Whole", "sentence_of"]

#: By the code of what the framework refuses. Its own sentences speak of fields and values.
_WORDS = {
    "required": "is missing",
    "null": "is missing",
    "blank": "is empty",
    "empty": "is empty",
    "invalid": "cannot be read",
    "invalid_choice": "is none of the choices",
    "not_a_list": "must be a list",
    "not_a_dict": "must be an object",
    "null_characters_not_allowed": "holds a character of code 0, which no text has",
    "surrogate_characters_not_allowed": "holds half of a character",
}
#: What is limited by a number, which stands in the framework's sentence.
_LIMITS = {
    "max_length": "has more than {} characters",
    "min_length": "has fewer than {} characters",
    "max_value": "must be at most {}",
    "min_value": "must be at least {}",
}


class Whole(serializers.IntegerField):
    """A whole number within limits; a refusal names both of them, and the unit."""

    def __init__(self, least: int, most: int, unit: str = "", **more: Any) -> None:
        wanted = f"must be {least:,} to {most:,}{f' {unit}' if unit else ''}"
        codes = ("invalid", "min_value", "max_value", "max_string_length")
        super().__init__(
            min_value=least,
            max_value=most,
            error_messages=dict.fromkeys(codes, wanted),
            **more,
        )


def sentence_of(detail: Any, field: str = "") -> str:
    """The first thing that is refused, as `size must be 20 to 65,535 bytes`."""
    if isinstance(detail, dict):
        name, inner = next(iter(detail.items()))
        return sentence_of(inner, field if name == "non_field_errors" else str(name))
    if isinstance(detail, list):
        return sentence_of(detail[0], field) if detail else ""
    words = _words(detail)
    return f"{field.replace('_', ' ')} {words}" if field else words


def _words(detail: Any) -> str:
    text = str(detail)
    if not isinstance(detail, ErrorDetail) or text.startswith("must "):
        return text
    code = detail.code or ""
    if (limit := _LIMITS.get(code)) is not None:
        found = re.search(r"-?\d+", text)
        return limit.format(f"{int(found.group()):,}") if found else text
    if code == "invalid" and "integer" in text:
        return "must be a whole number"
    return _WORDS.get(code, text)


class Truth(serializers.BooleanField):
    """true or false, and no word or number that might mean one of them."""

    def to_internal_value(self, data: object) -> bool:
        if not isinstance(data, bool):
            self.fail("invalid", input=data)
        return data
