"""Promises: those of the files and those kept here, checked through a lens."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from contextlib import suppress
from datetime import timedelta
from typing import Any

from django.utils import timezone

from routrel.answers.base import data
from routrel.answers.promises import PromisesData, promises_data
from routrel.convergence.converge import State
from routrel.files.promise_sentences import BadSentence, promise_of
from routrel.lens.look import View
from routrel.model.findings import Severity
from routrel.model.promises import Promise
from routrel.questions.errors import QuestionError
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.evaluate import Evaluation, evaluate, evaluate_again
from server.networks.jobs import TooManyJobs, Work, start_job
from server.networks.lenses import computed
from server.networks.models import Job, Network, PromiseVerdict, Revision, StoredPromise
from server.networks.questions import kept_with, saved_now
from server.networks.workers import local_pool, workers

__all__ = [
    "begin_check",
    "check_after_going_back",
    "check_after_import",
    "check_promises",
    "evaluated",
    "promise_key",
    "promised",
    "stored_now",
]

#: Evaluations that a process keeps, of the states asked about last.
_KEPT: OrderedDict[tuple[int, str], Evaluation] = OrderedDict()
_MOST_KEPT = 3
#: Days for which it is known how promises stood in lenses other than revisions as they are.
_LENSES_KEPT_DAYS = 90


def stored_now(network: Network) -> list[list[str]]:
    """All that the promises kept here say, to be asked about whatever becomes of them."""
    fields = ("name", "sentence", "severity", "owner", "folder", "note")
    return [list(one) for one in network.promises.values_list(*fields)]


def promise_key(network: Network) -> dict[str, Any]:
    """What of a network's promises is no part of its files: answers about them are of this."""
    return {"stored": stored_now(network), "saved": saved_now(network)}


def promised(view: View, stored: list[list[str]]) -> tuple[Promise, ...]:
    """The promises of a lens: those of its files, then those kept here, of other names."""
    found = {promise.name: promise for promise in view.reading.promises}
    for name, sentence, severity, owner, folder, note in stored:
        try:
            made = promise_of(
                name, sentence, severity=Severity(severity), owner=owner, folder=folder, note=note
            )
        except BadSentence:
            continue  # it was read when it was stored; another version read it otherwise
        found.setdefault(name, made)
    return tuple(found.values())


def evaluated(
    revision: Revision, state: State, promises: tuple[Promise, ...], kept: KeptFlows
) -> Evaluation:
    """How promises stand in a state, asking only what rests on what moved since another one.

    What they must survive is not tried.
    """
    key = (revision.network_id, _named(promises, kept, state))
    known = _KEPT.get(key)
    if known is not None and known.checker.state is state:
        return known
    near = next((one for (n, _), one in reversed(_KEPT.items()) if n == key[0]), None)
    if near is None:
        made = evaluate(state, promises, kept, failing=False)
    else:
        made = evaluate_again(near, state, promises, kept)
    _KEPT[key] = made
    while len(_KEPT) > _MOST_KEPT:
        _KEPT.popitem(last=False)
    return made


def _named(promises: tuple[Promise, ...], kept: KeptFlows, state: State) -> str:
    told = [repr(promises), repr(sorted(kept.items())), str(id(state))]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def check_promises(work: Work) -> None:
    """Check the promises of a lens; with `failures` in the question those too that must survive.

    What is found in a revision as it is stays in its history.
    """
    asked = work.job.question
    try:
        work.report(step="computing")
        view, state = computed(work.revision, asked["lens"])
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    promises = promised(view, asked["stored"])
    kept = kept_with(work.job.network, view)
    work.report(step="checking")
    if asked["failures"]:
        found = evaluate(
            state,
            promises,
            kept,
            on_case=lambda done, total: work.progress(step="failing", done=done, total=total),
            make_pool=local_pool,
            workers=workers(),
        )
    else:
        found = evaluated(work.revision, state, promises, kept)
    answer = promises_data(state, found)
    keep_history(work.revision, asked["lens"], answer)
    work.end(Job.Status.DONE, answer.summary, answer=data(answer), found=answer.broken)


def keep_history(revision: Revision, lens: dict[str, Any], answer: PromisesData) -> None:
    """Keep how promises stand in a lens, whatever was known of it before.

    What was seen of a revision as it is stays; through other lenses it is let go after a while.
    """
    key = hashlib.sha256(json.dumps(lens, sort_keys=True).encode()).hexdigest() if lens else ""
    long_ago = timezone.now() - timedelta(days=_LENSES_KEPT_DAYS)
    of_network = PromiseVerdict.objects.filter(revision__network=revision.network_id)
    of_network.exclude(lens_key="").filter(checked__lt=long_ago).delete()
    PromiseVerdict.objects.bulk_create(
        [
            PromiseVerdict(
                revision=revision,
                lens=lens,
                lens_key=key,
                name=one.id,
                sentence=one.text[:1000],
                kept=one.kept,
                why=one.why[:1000],
            )
            for one in answer.promises
        ],
        update_conflicts=True,
        unique_fields=["revision", "lens_key", "name"],
        update_fields=["sentence", "kept", "why", "checked"],
    )


def check_after_import(job: Job, revision: Revision | None, view: View) -> None:
    """Begin to check the promises of a new revision, if there are any."""
    if revision is not None and (view.reading.promises or _has_stored(job.network)):
        begin_check(revision, job.author_id)


def check_after_going_back(revision: Revision, old: Revision, author_id: int) -> None:
    """The same of a revision that is equal to an older one."""
    if _has_stored(revision.network) or old.verdicts.exists():
        begin_check(revision, author_id)


def _has_stored(network: Network) -> bool:
    return StoredPromise.objects.filter(network=network).exists()


def begin_check(revision: Revision, author_id: int) -> None:
    """Begin to check the promises of a revision as it is."""
    network = revision.network
    question = {"lens": {}, "failures": False, **promise_key(network)}
    with suppress(TooManyJobs):  # then whoever looks at the promises begins it
        start_job(Job.Kind.PROMISES, network, author_id, revision=revision, question=question)
