"""Connections that send slowly, half or nothing, and read nothing, stop nobody."""

from __future__ import annotations

import socket
import time

import requests

from tests.faults.site import LiveSite
from tests.faults.test_kills import BASE, KIOSK

HALF = b"GET /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nX-"
HALF_BODY = b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 60000\r\n\r\n{"


def closed(connection: socket.socket, seconds: float) -> bool:
    """Whether the server ends the connection within that time."""
    connection.settimeout(seconds)
    try:
        while connection.recv(4096):
            pass
    except TimeoutError:
        return False
    except ConnectionResetError:
        pass
    return True


def test_half_requests_hold_nobody_up(site: LiveSite) -> None:
    """A thousand of them, more than are served at a time: others are answered all the while."""
    person = site.person()
    open_ones = []
    for number in range(1000):
        connection = site.connect()
        connection.sendall((b"", HALF, HALF_BODY)[number % 3])
        open_ones.append(connection)
        if number % 100 == 99:
            assert requests.get(f"{site.url}/api/session", timeout=10).status_code == 200
            assert person.get(f"{BASE}/flow", params=KIOSK, timeout=20).status_code == 200
    for connection in open_ones:
        connection.close()


def test_whoever_sends_too_slowly_is_let_go(site: LiveSite) -> None:
    """A byte of the headers a second is too slow, and so is nothing at all."""
    silent, slow = site.connect(), site.connect()
    slow.sendall(HALF)
    until = time.monotonic() + 14
    while time.monotonic() < until:
        try:
            slow.sendall(b"a")
        except OSError:
            break
        time.sleep(1)
    assert closed(slow, 3)
    assert closed(silent, 3)


def test_keep_alive_loses_no_answer(site: LiveSite) -> None:
    """Many requests on one connection, with pauses: each is answered."""
    with requests.Session() as session:
        for number in range(300):
            assert session.get(f"{site.url}/api/session", timeout=10).status_code == 200
            if number % 50 == 0:
                time.sleep(1.2)


def test_bodies_are_bounded_by_who_sends_them(site: LiveSite) -> None:
    """64 KiB without login, 1 MiB for a question, far more for an upload; a made-up session is none."""
    person = site.person()
    cases = [
        (requests.post(f"{site.url}/api/session", data=b"x" * 70_000, timeout=30), 413),
        (requests.post(f"{site.url}{BASE}/imports", data=b"x" * 70_000, timeout=30,
                       cookies={"sessionid": "a" * 40}), 413),
        (person.post(f"{BASE}/remedies", data=b"x" * 1_100_000), 413),
        (person.post(f"{BASE}/imports", files=[("files", ("a.yaml", b"x" * 1_100_000))]), 202),
    ]  # fmt: skip
    assert [answer.status_code for answer, _ in cases] == [status for _, status in cases]
    assert cases[0][0].json()["code"] == "too_large"
    head = b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 99999999999\r\n\r\n"
    with site.connect() as connection:
        connection.sendall(head)
        assert connection.recv(100).startswith(b"HTTP/1.1 413")


def test_a_client_that_goes_away_ends_its_question(site: LiveSite) -> None:
    """Ten people's worth of the longest question, abandoned: the next one is answered soon."""
    person = site.person()
    token = "; ".join(f"{key}={value}" for key, value in person.cookies.items())
    ask = (
        f"GET {BASE}/flow?from=kiosks&to=10.80.0.0/16&as=tcp+443 HTTP/1.1\r\n"
        f"Host: 127.0.0.1\r\nCookie: {token}\r\n\r\n"
    ).encode()
    for _ in range(8):
        with site.connect() as connection:
            connection.sendall(ask)
            time.sleep(0.2)
    assert person.get(f"{BASE}/flow", params=KIOSK, timeout=30).status_code == 200


def test_many_questions_of_one_leave_threads_for_the_others(site: LiveSite) -> None:
    """Two hundred long ones at a time: some are refused, and others are answered all the while."""
    greedy, other = site.person("vita"), site.person("nora")
    token = "; ".join(f"{key}={value}" for key, value in greedy.cookies.items())
    asking = []
    for number in range(200):
        connection = site.connect()
        path = f"{BASE}/flow?from=kiosks&to=10.80.0.0/16&as=tcp+{number + 1}"
        connection.sendall(
            f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {token}\r\n\r\n".encode()
        )
        asking.append(connection)
    for _ in range(3):
        assert other.get("/api/networks", timeout=10).status_code == 200
        assert other.get(f"{BASE}/flow", params=KIOSK, timeout=30).status_code == 200
    refused = greedy.get(f"{BASE}/flow", params={**KIOSK, "as": "tcp 7"}, timeout=30)
    assert (refused.status_code, refused.json()["code"]) == (429, "too_many_questions")
    for connection in asking:
        connection.close()
