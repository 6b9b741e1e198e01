"""Jobs that somebody asks for: begun, or found, and told in the audit trail when they are new."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from rest_framework.request import Request

from server.networks.access import user_id
from server.networks.audit import note
from server.networks.jobs import start_job
from server.networks.models import Job, JobKind, Network, Revision

__all__ = ["begin"]


def begin(
    request: Request,
    kind: JobKind,
    network: Network,
    revision: Revision,
    question: dict[str, Any],
    *,
    said: str,
    action: str = "run",
    total: int = 0,
) -> Job:
    """As `start_job`, for whoever sends a request.

    Args:
        said: What is done, as the trail has it.
    Raises:
        TooManyJobs: as many as allowed wait already.
    """
    asked = timezone.now()
    job = start_job(
        kind, network, user_id(request), revision=revision, question=question, total=total
    )
    if job.created >= asked:
        note(request, action, f"{said} in revision {revision.number}: job {job.pk}", network)
    return job
