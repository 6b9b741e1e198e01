"""What is said of promises: why one is not kept, and how many are."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from routrel.model.failures import Failure
from routrel.model.promises import Branches, Carries, Passes, TakesAtMost
from routrel.questions.promises.breaches import Breach
from routrel.questions.promises.check import Checked, Counterexample
from routrel.questions.promises.evaluate import Kept
from routrel.wording.flows import VERDICT_TITLES

__all__ = ["breach_words", "counterexample_words", "failure_words", "kept_words", "summary_words"]


def breach_words(breach: Breach) -> str:
    """What is wrong with the flow of a counterexample, without its ends."""
    words = _words(breach)
    return (
        f"on the way back {words}" if breach.back and breach.code != "returns_elsewhere" else words
    )


def _words(breach: Breach) -> str:
    subject = breach.subject
    verdict = VERDICT_TITLES[breach.verdict].lower() if breach.verdict else ""
    match breach.code:
        case "stopped" if isinstance(breach.clause, Carries):
            return f"{breach.clause.size} bytes do not get past {subject}: {verdict}"
        case "stopped":
            return f"it ends at {subject}: {verdict}"
        case "leaves":
            return f"it leaves the network to {subject}, which does not lead there"
        case "not_known":
            return "routing has no stable answer on its way, so it is not known to hold"
        case "cannot_start":
            return f"nothing can be sent from {subject}"
        case "arrives":
            return f"it arrives at {subject}"
        case "comes_to_its_subnet":
            return (
                f"it comes as far as the destination's subnet at {subject}, where nobody has the "
                "address today"
            )
        case "passes_by":
            clause = breach.clause
            one_of = "any of " if isinstance(clause, Passes) and clause.any_of else ""
            return f"it does not pass {one_of}{subject}"
        case "meets":
            return f"it meets {subject}"
        case "does_not_leave":
            return f"it does not leave the network but is delivered at {subject}"
        case "leaves_by":
            return f"it leaves by {subject}"
        case "too_many_hops":
            most = breach.clause.hops if isinstance(breach.clause, TakesAtMost) else ""
            return f"it takes {subject} hops, more than {most}"
        case "too_few_branches":
            sharing = breach.clause.sharing if isinstance(breach.clause, Branches) else ""
            count = "is 1 branch" if subject == "1" else f"are {subject} branches"
            return f"there {count} that share{'s' * (subject == '1')} no {sharing}"
        case "returns_elsewhere":
            return f"answers come another way: {subject}"
        case "shares":
            return f"it shares {subject} with it"
    raise ValueError(f"{breach.code} has no words")


def counterexample_words(found: Counterexample) -> str:
    """The flow for which a promise does not hold, and why."""
    question = found.question
    traffic = f" as {question.traffic}" if question.traffic else ""
    port = f" from port {question.source_port}" if question.source_port is not None else ""
    return f"{found.source} to {found.destination}{traffic}{port}: {breach_words(found.breach)}"


def failure_words(failures: Iterable[Failure]) -> str:
    """Failures in words: link harbour and device r3."""
    return " and ".join(
        f"{'risk group' if one.kind == 'group' else one.kind} {one.name}" for one in failures
    )


def broken_words(checked: Checked) -> str:
    """Why a promise does not hold; empty: it does."""
    if checked.problem:
        return checked.problem
    return counterexample_words(checked.counterexample) if checked.counterexample else ""


def kept_words(kept: Kept) -> str:
    """Why a promise is not kept, or what it survived; empty: it is kept and that is all."""
    checked, endured = kept.checked, kept.endured
    if not checked.kept:
        return broken_words(checked)
    if kept.is_open:
        return "what it must survive was not tried"
    if endured is None:
        return ""
    if not endured.broken_by:
        return f"it survives all {endured.tried} failures"
    after = endured.checked
    why = ""
    if after is not None:
        why = broken_words(after)
    return f"it does not survive {failure_words(endured.broken_by)}: {why}"


def summary_words(found: Sequence[Kept]) -> str:
    """How many promises are kept."""
    if not found:
        return "Nothing is promised."
    broken = [one.promise.name for one in found if not one.kept]
    if not broken:
        return f"All {len(found)} promises are kept." if len(found) > 1 else "The promise is kept."
    are = "is" if len(broken) == 1 else "are"
    return f"{len(broken)} of {len(found)} promises {are} broken: {_some(broken)}."


def history_words(count: int, broken: Sequence[str]) -> str:
    """How many of some promises were broken at any time.

    Args:
        broken: Their names.
    """
    if not count:
        return "None is promised."
    if not broken:
        return f"All {count} promises were kept all the time."
    return f"{len(broken)} of {count} promises were broken at times: {_some(broken)}."


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:5]) + (f" and {len(names) - 5} more" if len(names) > 5 else "")
