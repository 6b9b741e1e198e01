"""One process that computes: takes a question or a job at a time from its parent, and answers.

It never outlives its parent, and takes no more memory than it may.
"""

from __future__ import annotations

import os
import resource
import signal
import sys

import django
from django.conf import settings
from django.db import connection

from server.config.parent import end_with_parent
from server.executor.frames import Frame, packed, read_frame

__all__ = ["main"]


def main() -> int:
    """Serve the parent by standard input and output until it closes them.

    The first argument says how nice to be to others.
    """
    end_with_parent(signal.SIGKILL)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is the parent's to handle
    django.setup()
    os.nice(int(sys.argv[1]))
    most = settings.EXECUTOR_MEMORY_BYTES
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))
    asked, answers = sys.stdin.buffer, os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # whatever prints does not disturb the frames
    from server.executor.work import answer_frame, do_job  # the engine, once there is a limit

    answers.write(packed({"ready": True}))
    answers.flush()
    while (frame := read_frame(asked.read)) is not None:
        head, _ = frame
        connection.close_if_unusable_or_obsolete()
        reply: Frame = (
            ({"ended": do_job(head["job"])}, b"") if "job" in head else answer_frame(head)
        )
        answers.write(packed(*reply))
        answers.flush()
    return 0


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    sys.exit(main())
