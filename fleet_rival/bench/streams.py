"""Whether browsers that only listen make ordinary requests slower."""

import threading
import time
from contextlib import suppress
from http.client import HTTPConnection
from socket import SHUT_RDWR

from fleet_rival.bench.load import Asking, add_practice, cookie_of, made_laps, made_layout
from fleet_rival.bench.measure import Row, ratio, repeat_in_turn, seconds
from fleet_rival.runtime.children import Server
from fleet_rival.runtime.processes import free_port
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor

__all__ = ["bench_streams"]

_BROWSERS = 50


class _Listening:
    """A browser with an open stream, as one tab of it holds it."""

    def __init__(self, address: str, cookie: str) -> None:
        self.beats = 0
        self.broken = False
        self._connection = HTTPConnection(address.removeprefix("http://"), timeout=60)
        self._connection.request("GET", "/api/events/stream?after=0", headers={"Cookie": cookie})
        self._socket = self._connection.sock
        self._answer = self._connection.getresponse()
        assert self._answer.status == 200, self._answer.status
        self._thread = threading.Thread(target=self._listen, daemon=True)
        self._thread.start()

    def _listen(self) -> None:
        try:
            while line := self._answer.readline():
                self.beats += line.startswith(b": beat")
        except (OSError, ValueError, AttributeError):
            pass  # closed at the end, or broken off
        self.broken = True

    def close(self) -> None:
        """Hang up first: a reader that waits would hold the closing up."""
        with suppress(OSError):
            self._socket.shutdown(SHUT_RDWR)
        self._thread.join(5)
        self._connection.close()


def bench_streams(whole: Trial, actor: Actor, minutes: float) -> list[Row]:
    """Two servers on the same data, one with fifty open streams: the same request to both in turn, after the streams
    idled.

    Raises:
        AssertionError: a stream broke off, or didn't beat.
    """
    layout = made_layout(11, "Heard")
    combination = add_practice(whole.sessions, actor, layout, "Heard", made_laps(layout, 8, 75, 4))
    path = f"/api/combinations/{combination.id}/analysis"
    quiet = Server(free_port(), whole.places, whole.folder / "quiet.log")
    listening: list[_Listening] = []
    try:
        quiet.wait()
        cookie = cookie_of(whole.sessions, actor)
        for number in range(_BROWSERS):
            person = add_person(whole.sessions, actor, f"Listener {number + 1:02d}", "coach")
            listening.append(_Listening(whole.address, cookie_of(whole.sessions, person)))
        with_streams, without = Asking(whole.address, cookie), Asking(quiet.address, cookie)
        time.sleep(minutes * 60)
        busy, idle = repeat_in_turn(lambda: with_streams.get(path), lambda: without.get(path), 600)
        broken, beats = sum(one.broken for one in listening), min(one.beats for one in listening)
        assert not broken and beats >= minutes * 60 // 20 - 1, (broken, beats)
    finally:
        for one in listening:
            one.close()
        quiet.stop()
    return [
        (
            (
                f"that request with {_BROWSERS} browsers listening, after {minutes:g} idle minutes (none broke off; "
                f"each heard ≥ {beats} beats)"
            ),
            seconds(busy),
            f"a server on the same data that nobody listens to: {seconds(idle)}",
            ratio(busy, idle, "1.1"),
        )
    ]
