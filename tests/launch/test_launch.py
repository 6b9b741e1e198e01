"""What ./start and ./test rely on: clear sentences, private secrets, work done once."""

from __future__ import annotations

import os
import signal
import socket
import stat
import subprocess
import sys
import time
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "tools"))

from launch import console, packages, setup  # noqa: E402
from launch.console import LaunchError  # noqa: E402
from launch.database import free_name, free_port, private_file  # noqa: E402
from launch.processes import Processes  # noqa: E402

FAILURES = [
    ("echo npm error code ENOTFOUND; exit 1", "the package registry cannot be reached"),
    ("echo 'Temporary failure resolving x'; exit 100", "the package registry cannot be reached"),
    ("echo 'write failed: No space left on device'; exit 1", "the disk is full"),
    ("echo odd; exit 3", "failed with exit code 3"),
]


@pytest.mark.parametrize(("script", "part"), FAILURES, ids=[f[1] for f in FAILURES])
def test_a_failed_step_says_what_is_wrong(script, part):
    """The known causes are told by name, each with something to do and the log."""
    with pytest.raises(LaunchError) as caught:
        console.run(["sh", "-c", script], "doing it")
    assert part in caught.value.message
    assert caught.value.advice
    assert caught.value.detail


def test_a_missing_program_is_named():
    with pytest.raises(LaunchError, match="no-such-program is not installed"):
        console.run(["no-such-program"], "doing it")


def test_a_full_disk_is_told_before_anything_begins(tmp_path):
    with pytest.raises(LaunchError, match="are free on the disk"):
        console.require_space(tmp_path, 10**9)


def test_a_long_log_keeps_both_ends():
    log = console.shortened("\n".join(str(n) for n in range(1000)), lines=10)
    assert log.splitlines()[0] == "0"
    assert log.splitlines()[-1] == "999"
    assert "990 lines left out" in log


def test_secrets_are_private(tmp_path):
    """0600 in a 0700 folder, whatever the umask, and replaced whole."""
    path = tmp_path / "secrets" / "key"
    old = os.umask(0)
    try:
        private_file(path, "one")
        private_file(path, "two")
    finally:
        os.umask(old)
    assert path.read_text() == "two"
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert stat.S_IMODE(path.parent.stat().st_mode) == 0o700
    assert list(path.parent.iterdir()) == [path]


def test_taken_ports_and_names_are_passed_over(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert free_port(port) > port
    (tmp_path / "postgres.old-1").mkdir()
    assert free_name(tmp_path / "postgres").name == "postgres.old-2"


def test_a_step_is_repeated_only_when_its_sources_change(tmp_path, monkeypatch):
    """The web app is built once, again after an edit, and again after a broken build."""
    builds: list[list[str]] = []
    web = tmp_path / "web"
    (web / "src").mkdir(parents=True)
    (web / "dist").mkdir()
    made = ("package-lock.json", "index.html", "vite.config.ts", "compressed.ts")
    for name in ("src/a.ts", *made):
        (web / name).write_text("1")
    docs = tmp_path / "docs"
    docs.mkdir()
    for name in ("device-file.md", "device-template.yaml"):
        (docs / name).write_text("1")
    monkeypatch.setattr(packages, "ROOT", tmp_path)
    monkeypatch.setattr(packages, "WEB", web)
    monkeypatch.setattr(packages, "run", lambda command, *a, **k: builds.append(command))
    packages.build_web_app()
    packages.build_web_app()
    assert len(builds) == 1
    (web / "src" / "a.ts").write_text("2")
    packages.build_web_app()
    assert len(builds) == 2
    (web / "src" / "b.ts").write_text("3")

    def broken(*arguments: object, **more: object) -> None:
        raise LaunchError("building failed", "mend it")

    monkeypatch.setattr(packages, "run", broken)
    with pytest.raises(LaunchError):
        packages.build_web_app()
    monkeypatch.setattr(packages, "run", lambda command, *a, **k: builds.append(command))
    packages.build_web_app()
    assert len(builds) == 3
    (docs / "device-file.md").write_text("2")  # the page shows it
    packages.build_web_app()
    assert len(builds) == 4


def test_two_set_ups_exclude_each_other(tmp_path, monkeypatch):
    monkeypatch.setattr(setup, "VAR", tmp_path)
    with (
        setup.one_at_a_time(),
        pytest.raises(LaunchError, match="is setting up this checkout"),
        setup.one_at_a_time(),
    ):
        pass
    with setup.one_at_a_time():
        pass


def test_stopping_ends_what_the_processes_started(tmp_path):
    """A child's own child goes too, and one that ignores the request is ended all the same."""
    note = tmp_path / "pid"
    processes = Processes()
    processes.start(
        "stubborn", ["sh", "-c", f"trap '' TERM; sleep 60 & echo $! > {note}; wait; wait"]
    )
    until = time.monotonic() + 5
    while not (note.exists() and note.read_text().strip()) and time.monotonic() < until:
        time.sleep(0.02)
    child = int(note.read_text())
    processes.stop()
    assert processes.ended() == "stubborn"
    until = time.monotonic() + 10
    while _runs(child) and time.monotonic() < until:  # a signal takes its time to arrive
        time.sleep(0.02)
    assert not _runs(child)


def test_what_ends_is_started_again_until_that_does_not_help(tmp_path):
    """Each time it is told; what ends again and again is given up, with where to read why."""
    told = []
    processes = Processes(logs=tmp_path)
    processes.start("web server", ["sh", "-c", "echo began; exec sleep 60"])
    first = processes.children["web server"].process.pid
    os.kill(first, signal.SIGKILL)
    processes.children["web server"].process.wait()
    processes.revive(told.append)
    assert processes.children["web server"].process.pid != first
    assert told == ["The web server was ended by signal 9; it is started again."]
    processes.stop()
    processes.start("executor", ["sh", "-c", "echo why; exit 3"])
    del processes.children["web server"]
    with pytest.raises(LaunchError, match="the executor ends again and again") as caught:
        revived_for_ever(processes)
    assert "executor.log" in caught.value.advice
    assert "why\n" in (tmp_path / "executor.log").read_text()


def revived_for_ever(processes: Processes) -> None:
    while True:
        for child in processes.children.values():
            child.process.wait()
        processes.revive(lambda line: None)


def test_children_end_with_their_parent(tmp_path):
    """Killed without warning, it still leaves none behind."""
    code = (
        "import sys, time; sys.path.insert(0, 'tools')\n"
        "from launch.processes import Processes\n"
        "p = Processes(); p.start('web server', ['sleep', '60'])\n"
        "print(p.children['web server'].process.pid, flush=True); time.sleep(60)"
    )
    parent = subprocess.Popen(
        [sys.executable, "-c", code], cwd=ROOT, stdout=subprocess.PIPE, text=True
    )
    child = int(parent.stdout.readline())
    assert _runs(child)
    parent.kill()
    parent.wait()
    until = time.monotonic() + 10
    while _runs(child) and time.monotonic() < until:
        time.sleep(0.02)
    assert not _runs(child)


def _runs(pid: int) -> bool:
    """Whether a process is there and not merely waiting to be collected."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except FileNotFoundError:
        return False


def test_waiting_for_a_dead_process_does_not_wait(tmp_path):
    processes = Processes()
    processes.start("web server", ["false"])
    with pytest.raises(LaunchError, match="the web server ended at once"):
        processes.wait_until_answers("http://127.0.0.1:9/", seconds=30)


@pytest.mark.parametrize(
    ("arguments", "part"),
    [
        (["start", "--port", "99999"], "99999 is not a port"),
        (["test", "enginee"], "no such part: enginee"),
    ],
)
def test_wrong_options_are_refused_at_once(arguments, part):
    done = subprocess.run(
        [f"./{arguments[0]}", *arguments[1:]],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode != 0
    assert part in done.stderr


def test_a_taken_port_is_told_with_another_to_try():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = subprocess.run(
            ["./start", "--port", str(port)], cwd=ROOT, capture_output=True, text=True, check=False
        )
    assert done.returncode == 1
    assert f"port {port} is taken by process {os.getpid()}: " in done.stderr
    assert "./start --port" in done.stderr
