"""What a request's fields refuse is said in our words."""

from __future__ import annotations

import pytest
from rest_framework import serializers

from server.networks.api.refusals import Whole, sentence_of


class _Asked(serializers.Serializer):
    size = Whole(20, 65535, "bytes", required=False)
    source_port = Whole(0, 65535, required=False)
    offset = serializers.IntegerField(min_value=0, required=False)
    name = serializers.CharField(max_length=3)
    role = serializers.ChoiceField(choices=["viewer", "owner"], required=False)
    rows = serializers.ListField(child=serializers.IntegerField(), required=False)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({}, "name is missing"),
        ({"name": None}, "name is missing"),
        ({"name": ""}, "name is empty"),
        ({"name": "abcd"}, "name has more than 3 characters"),
        ({"name": "a\0"}, "name holds a character of code 0, which no text has"),
        ({"name": "a", "size": 19}, "size must be 20 to 65,535 bytes"),
        ({"name": "a", "size": 65536}, "size must be 20 to 65,535 bytes"),
        ({"name": "a", "size": "large"}, "size must be 20 to 65,535 bytes"),
        ({"name": "a", "source_port": "9" * 2000}, "source port must be 0 to 65,535"),
        ({"name": "a", "offset": -1}, "offset must be at least 0"),
        ({"name": "a", "offset": "x"}, "offset must be a whole number"),
        ({"name": "a", "role": "king"}, "role is none of the choices"),
        ({"name": "a", "rows": 3}, "rows must be a list"),
    ],
)
def test_a_refusal_is_a_sentence_of_ours(asked: dict[str, object], said: str):
    serializer = _Asked(data=asked)
    assert not serializer.is_valid()
    assert sentence_of(serializer.errors) == said
