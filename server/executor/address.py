"""Where the executor listens."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

from django.conf import settings

__all__ = ["socket_path"]

#: The system allows some 108 bytes.
_LONGEST = 100


def socket_path() -> Path:
    """Where the executor listens: a socket only its owner may open.

    Addresses of sockets are short; where the folder's is too long it lies in the system's own
    folder for such things, in one that nobody else may enter.
    """
    path = Path(settings.VAR) / "run" / f"executor-{settings.DATABASES['default']['NAME']}.sock"
    if len(str(path).encode()) > _LONGEST:
        name = hashlib.sha256(str(path).encode()).hexdigest()[:16]
        path = Path(tempfile.gettempdir()) / f"routrel-{os.getuid()}" / f"{name}.sock"
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    if path.parent.stat().st_uid != os.getuid():
        raise SystemExit(f"{path.parent} belongs to somebody else; remove it")
    return path
