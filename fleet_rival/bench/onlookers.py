"""Browsers that look on at the live page, in a process of their own: what they read must not hold up what is
measured beside them.
"""

import json
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from http.client import HTTPConnection, HTTPException
from multiprocessing import get_context
from multiprocessing.connection import Connection
from socket import SHUT_RDWR
from typing import Any, Final

from fleet_rival.bench.load import Asking

__all__ = ["Onlookers"]

_PAGE_WAITS_S: Final = 0.25
_HUNG_UP: Final = (OSError, ValueError, AttributeError, HTTPException)

Seen = dict[tuple[str, int], float]
"""Driver and lap to when it was first seen, on the clock of `time.perf_counter`, which all processes of a machine
share.
"""


class Onlookers:
    """Some browsers on the live page."""

    def __init__(self, address: str, cookies: Sequence[str]) -> None:
        context = get_context("spawn")
        self._here, there = context.Pipe()
        self._process: Any = context.Process(target=_look_on, args=(address, tuple(cookies), there), daemon=True)
        self._process.start()
        there.close()
        self._here.recv()

    def leave(self) -> list[Seen]:
        """Hang up, so that their places are free for others.

        Returns:
            What each of them saw.
        """
        self._here.send("leave")
        seen: list[Seen] = self._here.recv()
        self._process.join()
        return seen


def _look_on(address: str, cookies: Sequence[str], told: "Connection[Any, Any]") -> None:
    onlookers = [_Onlooker(address, cookie) for cookie in cookies]
    told.send("there")
    told.recv()
    for one in onlookers:
        one.close()
    told.send([one.seen for one in onlookers])


class _Onlooker(threading.Thread):
    """A browser on the live page: hears that something came, asks for the page, notes when which lap was first seen."""

    def __init__(self, address: str, cookie: str) -> None:
        super().__init__(daemon=True)
        self.seen: Seen = {}
        self._asking = Asking(address, cookie)
        self._stream = HTTPConnection(address.removeprefix("http://"), timeout=120)
        self._stream.request("GET", "/api/events/stream?after=0", headers={"Cookie": cookie})
        self._socket = self._stream.sock
        self._answer = self._stream.getresponse()
        assert self._answer.status == 200
        self._heard = threading.Event()
        threading.Thread(target=self._listen, daemon=True).start()
        self.start()

    def _listen(self) -> None:
        with suppress(*_HUNG_UP):
            while line := self._answer.readline():
                if line.startswith(b"data:") and b"laps.deliver" in line:
                    self._heard.set()

    def run(self) -> None:
        with suppress(*_HUNG_UP):
            while self._heard.wait(30):
                # As the page does: what comes within a moment is asked for once.
                time.sleep(_PAGE_WAITS_S)
                self._heard.clear()
                told = json.loads(self._asking.get("/api/live"))
                moment = time.perf_counter()
                for run in told["runs"]:
                    for lap in run["laps"]:
                        self.seen.setdefault((run["driver"], lap["number"]), moment)

    def close(self) -> None:
        """Hang up, so that the place is free for others."""
        with suppress(OSError):
            self._socket.shutdown(SHUT_RDWR)
        self._stream.close()
