"""The job that accepts a change: its files become the next revision, in one transaction."""

from __future__ import annotations

from django.utils import timezone

from routrel.answers.base import data
from routrel.answers.findings import findings_data
from routrel.lens.changes import with_change
from routrel.lens.look import content_hash
from routrel.questions.finding_groups import finding_key
from server.networks import promises, states
from server.networks.imports import Overtaken, add_revision
from server.networks.jobs import Work
from server.networks.lenses import changes_in
from server.networks.models import Change, Job

__all__ = ["accept_change"]


class _EditedMeanwhile(Exception):
    """Somebody edited the change while it was accepted."""


def accept_change(work: Work) -> None:
    """Write the edits into the newest revision's files, read them, and keep both or neither.

    The question has the change's `name`, the `version` that is accepted, what it `says`, as a lens
    has it, and the `reason`. Files with problems, and edits that conflict, are refused.
    """
    asked = work.job.question
    work.report(step="reading")
    (change,) = changes_in({"changes": [asked["says"]]})
    made = with_change(work.revision.texts(), change)
    if made.conflicts:
        more = f", and {len(made.conflicts) - 1} more" if len(made.conflicts) > 1 else ""
        work.end(
            Job.Status.REFUSED,
            f"It does not fit revision {work.revision.number}: {made.conflicts[0].text}{more}.",
        )
        return
    if made.texts == work.revision.texts():
        work.end(Job.Status.REFUSED, "It changes nothing; there is no new revision to make.")
        return
    work.report(step="computing")
    view = states.look_anew(made.texts)
    if view.state is None:
        count = view.reading.problem_count
        found = data(findings_data(view.reading.problems, view.reading.network))
        work.end(
            Job.Status.REFUSED,
            f"The files would have {count} problem{'' if count == 1 else 's'}; nothing was kept.",
            answer={"problems": found, "revision": None},
        )
        return
    states.remember(content_hash(made.texts), view)
    keys = [finding_key(finding) for finding in view.findings]

    def keep(held: Job) -> object:
        network = held.network
        revision = add_revision(
            network,
            made.texts,
            author=held.author,
            note=asked["reason"],
            finding_keys=keys,
            after=work.revision.number,
        )
        accepted = Change.objects.filter(
            network=network, name=asked["name"], version=asked["version"], became=None, dropped=None
        ).update(became=revision, accepted=timezone.now(), version=asked["version"] + 1)
        if not accepted:
            raise _EditedMeanwhile("somebody edited the change meanwhile")
        held.message = f"{asked['name']} became revision {revision.number}."
        return {"problems": [], "revision": revision.number}

    try:
        work.end(Job.Status.DONE, keep=keep)
    except (Overtaken, _EditedMeanwhile) as error:
        work.end(Job.Status.REFUSED, f"Nothing was kept: {error}; look at it first.")
        return
    promises.check_after_import(work.job, work.job.network.revisions.first(), view)
