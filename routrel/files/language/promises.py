"""The language of promises: in the network file, or in files of their own."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import NAME, VERSION
from routrel.files.nodes import Mapping, Node, Scalar
from routrel.files.promise_sentences import BadSentence, Said, read_sentence
from routrel.files.report import Report
from routrel.files.shapes import BAD, Bad, Choice, Field, NamedMap, Record, Shape, Text, Values
from routrel.model.findings import Severity
from routrel.model.place import Place
from routrel.model.promises import Promise, PromiseFile

__all__ = ["PROMISE", "PROMISES", "PROMISES_FILE"]


class _Sentence(Shape):
    """A sentence, read with what it says."""

    expects = "a sentence, as “kiosks to booking-db as tcp 5432 must be delivered”"

    def read(self, node: Node, report: Report) -> tuple[str, Said] | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        try:
            return text, read_sentence(text)
        except BadSentence as error:
            report.error(node.place, "bad_promise", error.text, error.suggestion)
            return BAD

    def write(self, value: Any) -> Any:
        return value[0]

    def schema(self) -> dict[str, Any]:
        return {"type": "string"}


def _build(values: Values, place: Place, report: Report) -> Any:
    text, said = values.pop("said")
    return Promise(
        **values, sentence=text, flows=said.flows, clauses=said.clauses, claim=said.claim,
        place=place,
    )  # fmt: skip


PROMISE = Record(
    cls=Promise,
    what="a promise",
    fields=(
        Field("promise", _Sentence(), "the sentence", "said", required=True),
        Field("severity", Choice(Severity), "how much it matters", default=Severity.ERROR),
        Field("owner", Text(), "who is asked when it breaks", default=""),
        Field("folder", Text(), "what it is listed under", default=""),
        Field("note", Text(), "free text", default=""),
    ),
    build=_build,
    unbuild=lambda promise: {
        "said": (promise.sentence, None),
        **{name: getattr(promise, name) for name in ("severity", "owner", "folder", "note")},
    },
)  # fmt: skip


class _SentenceOrRecord(Shape):
    """A promise's sentence alone, or with more keys."""

    expects = f"a sentence, or {PROMISE.expects}"

    def read_as(self, node: Node, report: Report, given: Values, place: Place) -> Any:
        """Read with the name already known."""
        if isinstance(node, Scalar) and (node.text or node.quoted):
            node = Mapping(node.place, {"promise": (node, node)})
        return PROMISE.read_as(node, report, given, place)

    def write(self, value: Any) -> Any:
        written = PROMISE.write(value)
        return written["promise"] if len(written) == 1 else written

    def schema(self) -> dict[str, Any]:
        return {"anyOf": [{"type": "string"}, PROMISE.schema()]}


PROMISES = Field(
    "promises",
    NamedMap(NAME, _SentenceOrRecord()),
    "what must hold, each a sentence, or keys with one",
    default=(),
)
PROMISES_FILE = Record(
    cls=PromiseFile,
    what="a file of promises",
    fields=(VERSION, Field("promises", PROMISES.shape, PROMISES.help, required=True)),
    build=lambda values, place, report: PromiseFile(promises=values["promises"], place=place),
    unbuild=lambda file: {"routrel": 1, "promises": file.promises},
)
