"""What somebody would try who wishes the installation ill, on this machine's loopback alone and bounded: what was
tried, and what fell short.
"""

import json
import os
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import Any, Final

from fleet_rival.api.access import CSRF_HEADER
from fleet_rival.bench.attack_files import LAP_FILES
from fleet_rival.bench.feed import feed_line, feed_place, laps_there, send_batch
from fleet_rival.bench.load import Asking, cookie_of, made_layout
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.people.team import add_person, give_password
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations

__all__ = ["Tried", "attack_table", "bench_attack"]

_SOCKETS: Final = 200
_PEOPLE: Final = 30
_SLOWEST_S: Final = 2.0
_MOST_MEMORY: Final = 600_000_000
_PASSWORD: Final = "quartz lantern otter seven"  # noqa: S105  of a team that ends with the run
Tried = tuple[str, str, bool]
"""What was tried, what came of it, and whether that is as it should be."""


class _Stranger:
    """Sends what it likes."""

    def __init__(self, whole: Trial, cookie: str = "") -> None:
        self._address = whole.address.removeprefix("http://")
        self.head = {"Cookie": cookie} if cookie else {}
        if cookie:
            self.head["X-Fleet-Rival-Token"] = json.loads(self.send("GET", "/api/me")[1])["csrf_token"]

    def send(self, method: str, path: str, body: bytes | None = None, **head: str) -> tuple[int, bytes]:
        """Status and body; 0 where the connection broke."""
        connection = HTTPConnection(self._address, timeout=120)
        try:
            connection.request(
                method, path, body, {**self.head, **{name.replace("_", "-"): value for name, value in head.items()}}
            )
            answer = connection.getresponse()
            return answer.status, answer.read()
        except (OSError, HTTPException):
            return 0, b""
        finally:
            connection.close()

    def send_json(self, path: str, value: Any) -> tuple[int, bytes]:
        return self.send("POST", path, json.dumps(value).encode(), Content_Type="application/json")

    def send_file(self, path: str, name: str, content: bytes) -> tuple[int, bytes]:
        part = f'--edge\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
        return self.send(
            "POST", path, part + content + b"\r\n--edge--\r\n", Content_Type="multipart/form-data; boundary=edge"
        )


@contextmanager
def _others(whole: Trial, cookie: str, people: int = 3) -> Iterator[list[float]]:
    """People who go on working meanwhile; how long each of their answers took, in seconds."""
    took: list[float] = []
    over = threading.Event()

    def work() -> None:
        asking = Asking(whole.address, cookie)
        while not over.is_set():
            begin = time.perf_counter()
            asking.get("/api/combinations")
            took.append(time.perf_counter() - begin)
            time.sleep(0.2)
        asking.close()

    threads = [threading.Thread(target=work) for _ in range(people)]
    for thread in threads:
        thread.start()
    try:
        yield took
    finally:
        over.set()
        for thread in threads:
            thread.join()


def bench_attack(whole: Trial, actor: Actor) -> list[Tried]:
    """All of it, one after the other."""
    give_password(whole.sessions, actor.person_id, "attacked", _PASSWORD)
    cookie = cookie_of(whole.sessions, actor)
    parts: list[Callable[[Trial, Actor, str], Iterator[Tried]]] = [
        _slow_senders,
        _files,
        _oddities,
        _dates,
        _guesses,
        _strangers,
        _feed,
    ]
    return [row for part in parts for row in part(whole, actor, cookie)]


def _slow_senders(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    port = int(whole.address.rsplit(":", 1)[1])
    halves = (
        b"GET /api/me HTTP/1.1\r\nHost: 127.0.0.1\r\nX-",
        b"POST /api/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 5000\r\n\r\n{",
    )
    held = []
    for number in range(_SOCKETS):
        one = socket.create_connection(("127.0.0.1", port), timeout=5)
        one.sendall(halves[number % 2])
        held.append(one)
    with _others(whole, cookie, _PEOPLE) as took:
        time.sleep(10)
    for one in held:
        one.close()
    worst = max(took)
    yield (
        f"{_SOCKETS} half-sent requests while {_PEOPLE} people work",
        f"slowest of {len(took):,} answers {worst:.2f} s",
        worst < _SLOWEST_S,
    )


def _files(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    stranger = _Stranger(whole, cookie)
    layout_id = tracks.add_track(whole.sessions, actor, write_track(made_layout(4, "Attacked"))).id
    combination = combinations.add_combination(whole.sessions, actor, layout_id, "Car").id
    for name, make in LAP_FILES.items():
        content = make()
        before = _server(whole)
        with _others(whole, cookie) as took:
            begin = time.perf_counter()
            status, _ = stranger.send_file(f"/api/combinations/{combination}/lap-files", name, content)
            lasted = time.perf_counter() - begin
            time.sleep(0.3)
        grown = _peak(whole) - before[1]
        fine = (
            status != 0
            and status < 500
            and _server(whole)[0] == before[0]
            and grown < _MOST_MEMORY
            and max(took) < _SLOWEST_S
        )
        yield (
            f"`{name}`, {len(content) / 1000:,.0f} kB",
            (
                f"{status} after {lasted:.1f} s; the server grew by {grown / 1e6:.0f} MB; others waited "
                f"{max(took):.2f} s at most"
            ),
            fine,
        )


def _server(whole: Trial) -> tuple[int, int]:
    """The server's process, and its memory now; its peak begins anew."""
    assert whole.server.started is not None
    pid = whole.server.started.pid
    Path(f"/proc/{pid}/clear_refs").write_text("5")
    return pid, _status(pid, "VmRSS")


def _peak(whole: Trial) -> int:
    assert whole.server.started is not None
    return _status(whole.server.started.pid, "VmHWM")


def _status(pid: int, name: str) -> int:
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return next(int(line.split()[1]) * 1024 for line in lines if line.startswith(name))


def _oddities(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    nobody, somebody = _Stranger(whole), _Stranger(whole, cookie)
    deep = b"[" * 100_000
    tries = {
        "JSON nested 100,000 deep, by nobody": nobody.send(
            "POST", "/api/sign-in", deep, Content_Type="application/json"
        ),
        "JSON nested 1,500 deep": somebody.send(
            "POST", "/api/combinations", b'{"car":' * 1500, Content_Type="application/json"
        ),
        "`Origin: http://[foo]`": somebody.send("POST", "/api/sign-out-everywhere", b"{}", Origin="http://[foo]"),
        "a token of other letters": somebody.send("POST", "/api/board/visit", b"{}", **{CSRF_HEADER: "\u00e9\u00fc"}),
        "a body of 200 MB as JSON": somebody.send(
            "POST", "/api/combinations", b" " * 200_000_000, Content_Type="application/json"
        ),
    }
    for name, (status, _) in tries.items():
        # A body that is far too large may be cut off rather than read to its end.
        yield name, f"{status or 'cut off'}", 400 <= status < 500 or (status == 0 and "200 MB" in name)


def _dates(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    somebody = _Stranger(whole, cookie)
    for path in ("board", "plan", "readiness"):
        told = [somebody.send("GET", f"/api/{path}?day={day}")[0] for day in ("0001-01-01", "9999-12-31", "2031-02-30")]
        yield (
            f"`/api/{path}` of the first and last day there is, and of none",
            ", ".join(map(str, told)),
            all(400 <= one < 500 for one in told),
        )


def _guesses(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    stranger = _Stranger(whole)
    told = [
        stranger.send_json("/api/sign-in", {"name": "attacked", "password": f"wrong wrong wrong {number}"})[0]
        for number in range(12)
    ]
    yield (
        "12 wrong passwords for one name",
        f"{len(told) - told.count(429)} refused, {told.count(429)} told to wait",
        429 in told and 200 not in told,
    )
    other = add_person(whole.sessions, actor, "Somebody Else", "coach")
    give_password(whole.sessions, other.person_id, "somebody-else", _PASSWORD)
    status, _ = stranger.send_json("/api/sign-in", {"name": "somebody-else", "password": _PASSWORD})
    yield "the right password of somebody else, from the same address", f"{status}", status == 200
    again, _ = _Stranger(whole, cookie).send("GET", "/api/me")
    yield "who was signed in under that name", f"goes on ({again})", again == 200


def _strangers(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    stranger = _Stranger(whole)
    with _others(whole, cookie) as took:
        begin = time.perf_counter()
        body = {"token": "x" * 43, "sign_in_name": "nobody", "password": "a long enough password"}
        told = [stranger.send_json("/api/welcome/accept", body)[0] for _ in range(60)]
        lasted = time.perf_counter() - begin
    fine = all(400 <= one < 500 for one in told) and max(took) < _SLOWEST_S
    yield (
        "60 invitations made up",
        f"{len(told)} refused in {lasted:.1f} s; others waited {max(took):.2f} s at most",
        fine,
    )


def _feed(whole: Trial, actor: Actor, cookie: str) -> Iterator[Tried]:
    load, names = feed_place(whole, actor, "attack", 1)
    bad = feed_line(load, names[0], 1)
    bad["lap"]["started_at"] = "0001-01-01T00:00:00+14:00"
    stranger = _Stranger(whole)
    lines = "\n".join(json.dumps(line) for line in (bad, {"kind": "lap", "key": "x"}))
    status, told = stranger.send("POST", "/api/rig/feed", lines.encode(), Authorization=f"Bearer {load.token}")
    refused = len(json.loads(told).get("refused", [])) if status == 200 else 0
    connection = HTTPConnection(whole.address.removeprefix("http://"), timeout=30)
    send_batch(connection, load, [feed_line(load, names[0], number) for number in (2, 3)])
    connection.close()
    end = time.monotonic() + 30
    while not (there := laps_there(whole.sessions, actor, load.session)) and time.monotonic() < end:
        time.sleep(0.2)
    came = sum(map(len, there.values()))
    yield (
        "two lines of a feed that can't be, then two that can",
        f"{refused} refused with a reason; {came} of 2 laps are there",
        refused == 2 and came == 2,
    )


def attack_table(rows: list[Tried]) -> str:
    """What was tried, for the document."""
    short = sum(not fine for _, _, fine in rows)
    lines = [
        "| tried | what came of it | |",
        "|---|---|---|",
        *(f"| {what} | {came} | {'held' if fine else '**fell short**'} |" for what, came, fine in rows),
    ]
    return "\n".join([f"{len(rows)} tries, {short} fell short ({os.cpu_count()} cores).", "", *lines, ""])
