"""Runs the command line: `python -m routrel`. What cannot be written is told in a sentence."""

from __future__ import annotations

import errno
import os
import sys
from contextlib import suppress

__all__ = ["main"]


def main() -> int:
    """The exit code: the command's own, or 2 where its output cannot be written."""
    if sys.stdout is None:
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115 - nobody reads it, and nothing else may be it
    if sys.stderr is None:
        sys.stderr = open(os.devnull, "w")  # noqa: SIM115
    from routrel.cli.app import app  # looks at standard output

    code: object = 0
    try:
        try:
            app(prog_name="routrel")
        except SystemExit as end:
            code = end.code
        sys.stdout.flush()
    except OSError as error:
        code = _unwritten(error)
    return code if isinstance(code, int) else 1


def _unwritten(error: OSError) -> int:
    """Says why the output is cut short, unless whoever read it has had enough."""
    if error.errno != errno.EPIPE:
        with suppress(OSError):
            print(
                f"the output cannot be written: {error.strerror}; send it elsewhere",
                file=sys.stderr,
            )
    # What is left of the output goes nowhere, instead of failing once more at the end.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    return 2


if __name__ == "__main__":
    sys.exit(main())
