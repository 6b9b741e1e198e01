"""The common part of ./start and ./test: everything installed, the database running."""

from __future__ import annotations

import fcntl
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from launch.console import ROOT, LaunchError, run, step
from launch.database import Cluster, private_file
from launch.packages import (
    PYTHON,
    build_web_app,
    debian_packages,
    python_packages,
    web_packages,
)

__all__ = ["VAR", "database", "demo_password_file", "install", "manage", "one_at_a_time"]

VAR = Path(os.environ.get("ROUTREL_VAR", ROOT / "var"))
POSTGRESQL = {"postgresql": "/usr/lib/postgresql"}
BROWSER = {"chromium": "chromium", "chromium-driver": "chromedriver"}
LABS = {"iproute2": "ip", "nftables": "nft"}


@contextmanager
def one_at_a_time() -> Iterator[None]:
    """Two set-ups of one checkout would spoil each other's work.

    Raises:
        LaunchError: another one is at it.
    """
    VAR.mkdir(exist_ok=True)
    with (VAR / "setup.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise LaunchError(
                "another ./start or ./test is setting up this checkout", "wait until it is done"
            ) from error
        yield


def install(*, lock: str, browser: bool, labs: bool = False, web: bool = True) -> None:
    """Packages and the built web app; quick when nothing changed."""
    with step("Debian packages"):
        debian_packages(POSTGRESQL | (BROWSER if browser else {}) | (LABS if labs else {}))
    with step("Python packages"):
        python_packages(lock)
    if web:
        with step("Web packages"):
            web_packages()
        with step("Web app"):
            build_web_app()


def database() -> tuple[Cluster, bool]:
    """The running cluster, and whether it ran before. The server's key is made along."""
    with step("Database"):
        if not (VAR / "secrets" / "django-key").exists():
            private_file(VAR / "secrets" / "django-key", secrets.token_urlsafe(48))
        cluster = Cluster(VAR)
        was_running = cluster.running()
        cluster.prepare()
    return cluster, was_running


def demo_password_file() -> Path:
    """The demo users' password, made up once for this installation."""
    path = VAR / "secrets" / "demo-password"
    if not path.exists():
        private_file(path, f"marram-{secrets.token_hex(4)}")
    return path


def manage(*arguments: str, env: dict[str, str] | None = None) -> str:
    """Run one of Django's commands."""
    return run(
        [str(PYTHON), str(ROOT / "server" / "manage.py"), *arguments],
        f"manage.py {arguments[0]}",
        env={**os.environ, **(env or {})},
    )
