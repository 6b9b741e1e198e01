"""Debian packages, the virtualenv and the web app: made once, and again when a lock changes."""

from __future__ import annotations

import hashlib
import os
import shutil
import sys
from collections.abc import Iterable
from pathlib import Path

from launch.console import ROOT, LaunchError, require_space, run

__all__ = ["PYTHON", "build_web_app", "debian_packages", "python_packages", "web_packages"]

VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"


def debian_packages(wanted: dict[str, str]) -> None:
    """Install Debian packages; `wanted` is package -> a program or file that shows it is there."""
    missing = [package for package, sign in wanted.items() if not _present(sign)]
    if not missing:
        return
    if shutil.which("apt-get") is None:
        raise LaunchError(
            f"{', '.join(missing)} missing, and this is not a Debian system",
            "install them with your system's packages and run the same command again",
        )
    if os.geteuid() and shutil.which("sudo") is None:
        raise LaunchError(
            f"{', '.join(missing)} missing, and neither root nor sudo is at hand",
            f"as root: apt-get install {' '.join(missing)}",
        )
    sudo = ["sudo"] if os.geteuid() else []
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    apt = [*sudo, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "-q"]
    run([*apt, "update"], "reading Debian's package lists", env=environment)
    run([*apt, "install", "-y", "--no-install-recommends", *missing], "installing Debian packages",
        env=environment)  # fmt: skip


def _present(sign: str) -> bool:
    return Path(sign).exists() if sign.startswith("/") else shutil.which(sign) is not None


def python_packages(lock: str) -> None:
    """A virtualenv with exactly the locked packages of requirements/LOCK."""
    if sys.version_info < (3, 11):  # noqa: UP036 - whatever python3 is on the PATH runs this
        raise LaunchError(
            f"this is Python {sys.version.split()[0]}; Routrel needs 3.11 or newer",
            "install it and put it first on the PATH as python3",
        )
    lock_file = ROOT / "requirements" / lock
    stamp = VENV / f".{lock}.installed"
    wanted = _digest(
        [lock_file, *([ROOT / "requirements" / "app.txt"] if lock != "app.txt" else [])]
    )
    if _stamped(stamp, wanted) and PYTHON.exists():
        return
    require_space(ROOT, 2)
    try:
        import ensurepip  # noqa: F401
    except ImportError:
        debian_packages({f"python3.{sys.version_info.minor}-venv": "/nonexistent"})
    if not (VENV / "bin" / "pip").exists():
        run([sys.executable, "-m", "venv", "--clear", str(VENV)], "making the virtualenv")
    run([str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check",
         "--no-input", "--root-user-action=ignore", "-r", str(lock_file)],
        "installing Python packages")  # fmt: skip
    stamp.write_text(wanted)


def web_packages() -> None:
    """web/node_modules, exactly as package-lock.json says."""
    wanted = _digest([WEB / "package-lock.json", WEB / "package.json"])
    stamp = WEB / "node_modules" / ".installed"
    if _stamped(stamp, wanted):
        return
    if shutil.which("npm") is None:
        raise LaunchError("npm is missing", "install Node.js 20 with npm and try again")
    require_space(ROOT, 1)
    run(["npm", "ci", "--no-audit", "--no-fund"], "installing web packages", cwd=WEB)
    stamp.write_text(wanted)


def build_web_app() -> None:
    """web/dist, made again when a source file changed."""
    sources = [path for path in sorted((WEB / "src").rglob("*")) if path.is_file()]
    settings = [
        WEB / name
        for name in (
            "package-lock.json",
            "index.html",
            "vite.config.ts",
            "compressed.ts",
        )
    ]
    shown = [ROOT / "docs" / name for name in ("device-file.md", "device-template.yaml")]
    wanted = _digest([*sources, *settings, *shown])
    stamp = WEB / "dist" / ".built"
    if _stamped(stamp, wanted):
        return
    run(["npm", "run", "-s", "build"], "building the web app", cwd=WEB)
    stamp.write_text(wanted)


def _digest(paths: Iterable[Path]) -> str:
    digest = hashlib.sha256()
    for path in paths:
        digest.update(path.relative_to(ROOT).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def _stamped(stamp: Path, wanted: str) -> bool:
    return stamp.exists() and stamp.read_text() == wanted
