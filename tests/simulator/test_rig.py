"""A stand-in rig against a server that is full, falls over, or says no: what isn't acknowledged is sent again until
it is.
"""

import gzip
import json
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import pytest

from fleet_rival.simulator.rig import DeliveryFailed, Rig, Wishes
from tests.conftest import DATA

BRIEF = {
    "driver": "Ysolde Farrand",
    "car": "Cinder Truck",
    "track": json.loads((DATA / "oval-102" / "oval-a-102.track.json").read_bytes()),
    "conditions": {},
    "declared": None,
}
Answer = tuple[int, dict[str, Any]]


@dataclass
class Server:
    """Answers as it is told, one after the other; then takes everything."""

    script: list[Answer]
    address: str = ""
    taken: dict[str, dict[str, Any]] = field(default_factory=dict)
    requests: int = 0

    def answer(self, lines: list[dict[str, Any]]) -> Answer:
        self.requests += 1
        status, said = self.script.pop(0) if self.script else (200, {})
        if status == 200:
            self.taken |= {line["key"]: line for line in lines}
        return status, {"taken": len(lines), "again": 0, "refused": [], **said}


@contextmanager
def serving(*script: Answer, brief: Answer = (200, BRIEF)) -> Iterator[Server]:
    server = Server(list(script))

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self._say(*brief)

        def do_POST(self) -> None:
            body = gzip.decompress(self.rfile.read(int(self.headers["Content-Length"])))
            assert self.headers["Authorization"] == "Bearer own token"
            self._say(*server.answer([json.loads(line) for line in body.splitlines()]))

        def _say(self, status: int, said: dict[str, Any]) -> None:
            body = json.dumps(said).encode()
            self.send_response(status)
            if status == 429:
                self.send_header("Retry-After", "7")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *args: Any) -> None:
            pass

    http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    server.address = f"http://127.0.0.1:{http.server_port}"
    threading.Thread(target=http.serve_forever, daemon=True).start()
    try:
        yield server
    finally:
        http.shutdown()
        http.server_close()


def drive(server: Server, **wishes: Any) -> tuple[list[Any], list[float]]:
    slept: list[float] = []
    rig = Rig(server.address, "own token", slept.append)
    return list(rig.drive("Ysolde Farrand", Wishes(laps=2, rate_hz=10.0, **wishes))), slept


def test_each_lap_is_there_once_when_all_is_well() -> None:
    with serving() as server:
        driven, slept = drive(server, speed=2.0)
    laps = {line["lap"]["lap"]: line for line in server.taken.values() if line["kind"] == "lap"}
    assert {number: line["lap"]["time_us"] for number, line in laps.items()} == {
        item.item.lap.number: item.item.lap.time_us for item in driven
    }
    assert [item.item.lap.kind for item in driven] == ["out", "flying", "flying", "in"] and driven[-1].waiting == 0
    assert slept == pytest.approx([item.item.lap.time_us / 2e6 for item in driven]), (
        "in the time that the laps take, at twice the speed"
    )
    # Its samples come to the lap's own length, in pieces that say how many there are.
    samples = [line for line in server.taken.values() if line["kind"] == "samples" and line["lap"] == 2]
    assert len(samples) == samples[0]["parts"] and sum(
        len(line["channels"]["time_s"]) for line in samples
    ) == pytest.approx(laps[2]["lap"]["time_us"] / 1e5, abs=2)


def test_a_server_that_is_full_or_fails_gets_it_again_and_the_rig_waits_as_told() -> None:
    with serving((429, {}), (500, {}), (503, {})) as server:
        driven, slept = drive(server)
    times = [item.item.lap.time_us / 1e6 for item in driven]
    waits = [pause for pause in slept if pause not in times]
    assert waits == [7.0, 1.0] and {line["lap"]["lap"] for line in server.taken.values() if line["kind"] == "lap"} == {
        1,
        2,
        3,
        4,
    }
    assert [item.waiting > 0 for item in driven] == [True, True, True, False]


def test_a_line_that_breaks_costs_time_and_no_lap() -> None:
    with serving() as steady:
        drive(steady)
    with serving() as flaky:
        drive(flaky, flaky=True)
    assert {(line["kind"], line["run"] if "run" in line else line["lap"]["lap"]) for line in flaky.taken.values()} == {
        (line["kind"], line["run"] if "run" in line else line["lap"]["lap"]) for line in steady.taken.values()
    }
    assert len(flaky.taken) == len(steady.taken) and flaky.requests > 0


@pytest.mark.parametrize(
    ("script", "brief", "words"),
    [
        ([(422, {"detail": "Send less at once."})], (200, BRIEF), "Send less at once"),
        (
            [(200, {"refused": [{"line": 1, "reason": "lap.time_us: too long"}]})],
            (200, BRIEF),
            "a line was refused: lap.time_us: too long",
        ),
        ([], (404, {"detail": "The team has no driver called Ysolde Farrand."}), "no driver called"),
        ([], (401, {}), "the server answered with 401"),
        ([(500, {})] * 70, (200, BRIEF), "could not be delivered"),
    ],
)
def test_what_will_never_be_taken_ends_the_run_with_the_reason(script: list[Answer], brief: Answer, words: str) -> None:
    with serving(*script, brief=brief) as server, pytest.raises(DeliveryFailed, match=words):
        drive(server)


def test_nobody_there_is_said() -> None:
    with serving() as server:
        pass
    with pytest.raises(DeliveryFailed, match="doesn't answer"):
        drive(server)
