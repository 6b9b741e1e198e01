"""What the computing processes do: answer one question, or one attempt at a job."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from typing import Any

from django.db import InterfaceError, OperationalError

from routrel.questions.errors import QuestionError
from server.executor.frames import Frame
from server.networks.accepting import accept_change
from server.networks.asking import HasProblems, NotThere, answer_question
from server.networks.comparing import compare_lenses, make_sheet
from server.networks.imports import read_import
from server.networks.jobs import JobLost, Work
from server.networks.mending import search_mending
from server.networks.models import Job, Revision
from server.networks.outages import DATABASE_AWAY
from server.networks.promises import check_promises
from server.networks.questions import run_questions
from server.networks.remedies import search_remedies
from server.networks.suggesting import suggest_promises
from server.networks.sweeps import run_sweep
from server.networks.would_take import find_what_it_takes

__all__ = ["answer_frame", "do_job"]

log = logging.getLogger("routrel.executor")

_JOBS: dict[str, Callable[[Work], None]] = {
    Job.Kind.IMPORT: read_import,
    Job.Kind.REMEDIES: search_remedies,
    Job.Kind.WOULD_TAKE: find_what_it_takes,
    Job.Kind.QUESTIONS: run_questions,
    Job.Kind.COMPARE: compare_lenses,
    Job.Kind.SHEET: make_sheet,
    Job.Kind.ACCEPT: accept_change,
    Job.Kind.PROMISES: check_promises,
    Job.Kind.SWEEP: run_sweep,
    Job.Kind.SUGGEST: suggest_promises,
    Job.Kind.MEND: search_mending,
}
_TOO_MUCH = "This takes more memory than one question or job may have."


def answer_frame(head: dict[str, Any]) -> Frame:
    """The answer to a question, as JSON with a status; what goes wrong is an answer too.

    Args:
        head: `revision`, its number in the database; `question`, its name; `values`.
    """
    try:
        revision = Revision.objects.filter(pk=head["revision"]).first()
        if revision is None:
            raise NotThere("this revision is not there any more")
        return _answer(200, answer_question(revision, head["question"], head["values"]))
    except QuestionError as error:
        return _problem(400, error.code, error.text, error.suggestion)
    except NotThere as error:
        return _problem(404, "not_found", str(error))
    except HasProblems:
        return _problem(
            409,
            "revision_unreadable",
            "this revision's files have problems; import them again to see which",
        )
    except (OperationalError, InterfaceError):
        return _problem(*DATABASE_AWAY)
    except MemoryError:
        return _problem(
            503, "too_large", _TOO_MUCH, "ask about a smaller part, or give the service more memory"
        )
    except Exception:
        log.exception("question %s, request %s", head["question"], head.get("request", ""))
        return _problem(
            500, "fault", "an internal error; the log has the details", "try again, or report it"
        )


def _problem(status: int, code: str, message: str, suggestion: str = "") -> Frame:
    return _answer(status, {"code": code, "message": message, "suggestion": suggestion})


def _answer(status: int, value: Any) -> Frame:
    text = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    return {"status": status}, text.encode("utf-8", "replace")


def do_job(owner: str) -> bool:
    """Make one attempt at the job that this owner holds; whether it still held it at the end.

    Raises:
        OperationalError, InterfaceError: the database is gone.
    """
    job = (
        Job.objects.select_related("network", "revision", "author")
        .filter(owner=owner, status=Job.Status.RUNNING)
        .first()
    )
    if job is None:
        return False
    work = Work(job)
    try:
        try:
            _JOBS[job.kind](work)
        except MemoryError:
            work.fail(_TOO_MUCH)
        except (JobLost, OperationalError, InterfaceError):
            raise  # without a database nothing can be told; the job is given back
        except Exception:
            log.exception("job %s, a %s", job.pk, job.kind)
            work.fail()
    except JobLost:
        return False
    return True
