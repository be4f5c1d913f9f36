"""The web server: one process on loopback that takes requests from the line by itself and hands them to threads once
they are whole.

So nobody who sends slowly, or stops in the middle, holds a thread; and nobody is waited for without end.
"""

import _thread
import importlib
import os
import signal
import threading
import time
from types import FrameType
from typing import Any, Final

from waitress.channel import HTTPChannel
from waitress.server import BaseWSGIServer, create_server

from fleet_rival.api.streams import PLACES
from fleet_rival.collector import settle
from fleet_rival.confined import warm
from fleet_rival.logs import configure
from fleet_rival.services.drive.files import MAX_BYTES

__all__ = ["PatientServer", "serve"]

_THREADS: Final = PLACES + 8
"""Each open stream of events holds one; eight are left for ordinary requests."""
_HEADERS_WITHIN_S: Final = 15.0
_BODY_WITHIN_S: Final = 30.0
_LEAST_RATE: Final = 20_000
"""Bytes a second, on the whole, at which a body must come beyond that."""
_MOST_UNFINISHED: Final = 1_000_000_000
"""Bytes of all bodies that are still coming: they lie on the disk, and whose they are isn't known yet."""
_IDLE_S: Final = 60
_CONNECTIONS: Final = 2000
_DRAIN_S: Final = 10.0


class _Channel(HTTPChannel):  # type: ignore[misc]
    """A connection that knows since when its request has been coming."""

    began: float | None = None

    def received(self, data: bytes) -> bool:
        if self.began is None:
            self.began = time.monotonic()
        taken: bool = super().received(data)
        if self.request is None:
            self.began = None
        return taken

    def coming(self) -> int:
        """Bytes of a body that isn't whole."""
        request = self.request
        return int(request.body_bytes_received) if request is not None and request.headers_finished else 0

    def is_slow(self, moment: float) -> bool:
        """Whether its request takes longer than anybody's line does."""
        if self.began is None or self.request is None:
            return False
        took = moment - self.began
        if not self.request.headers_finished:
            return took > _HEADERS_WITHIN_S
        return took > _BODY_WITHIN_S + self.coming() / _LEAST_RATE


class PatientServer:
    """A server that isn't held up by those who send slowly.

    Args:
        application: WSGI.
        port: on 127.0.0.1.
    """

    def __init__(self, application: Any, port: int, threads: int = _THREADS) -> None:
        self.server: BaseWSGIServer = create_server(
            application,
            host="127.0.0.1",
            port=port,
            threads=threads,
            ident=None,
            expose_tracebacks=False,
            connection_limit=_CONNECTIONS,
            asyncore_use_poll=True,
            cleanup_interval=2,
            channel_timeout=_IDLE_S,
            max_request_header_size=32_768,
            max_request_body_size=MAX_BYTES + 200_000,
            backlog=1024,
        )
        self.server.channel_class = _Channel
        kept = self.server.maintenance

        def maintenance(now: float) -> None:
            kept(now)
            self._end_slow()

        self.server.maintenance = maintenance

    def _end_slow(self) -> None:
        moment = time.monotonic()
        channels = [item for item in self.server.active_channels.values() if isinstance(item, _Channel)]
        for item in channels:
            if item.is_slow(moment):
                item.will_close = True
        coming = sorted(
            (item for item in channels if item.coming() and not item.will_close), key=lambda item: item.began or moment
        )
        held = sum(item.coming() for item in coming)
        for item in coming:
            if held <= _MOST_UNFINISHED:
                break
            held -= item.coming()
            item.will_close = True

    def run(self) -> None:
        """Until `drain` is over."""
        self.server.run()

    def drain(self) -> None:
        """Take nothing new, let what is being done be finished for a while, then end `run`."""
        self.server.accepting = False

        def wait() -> None:
            dispatcher = self.server.task_dispatcher
            end = time.monotonic() + _DRAIN_S
            while time.monotonic() < end and (dispatcher.active_count or dispatcher.queue):
                time.sleep(0.05)
            time.sleep(0.1)  # what was answered last is on its way
            _thread.interrupt_main()

        threading.Thread(target=wait, daemon=True).start()


def serve(factory: str = "fleet_rival.api:create_app") -> None:
    """Make the application and serve it on the port that `FLEET_PORT` names, until SIGTERM."""
    configure()
    module, _, name = factory.removesuffix("()").partition(":")
    application = getattr(importlib.import_module(module), name)()
    server = PatientServer(application, int(os.environ.get("FLEET_PORT", "8350")))
    streams = application.extensions["streams"]

    def end(number: int, frame: FrameType | None) -> None:
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        streams.close()
        server.drain()

    signal.signal(signal.SIGTERM, end)
    # Not while the first pages are being asked for.
    timer = threading.Timer(8, _settle)
    timer.daemon = True
    timer.start()
    server.run()


def _settle() -> None:
    """Load what the first analysis and the first file need; from then on, what is loaded stays."""
    for name in ("scipy.special", "scipy.optimize"):
        importlib.import_module(name)
    warm()
    settle()
