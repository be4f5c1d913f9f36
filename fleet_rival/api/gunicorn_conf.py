"""How the server runs: one process with threads on loopback, nothing loaded before the fork."""

import importlib
import os
import signal
import threading
from types import FrameType
from typing import Any

from fleet_rival.api.streams import PLACES
from fleet_rival.collector import settle
from fleet_rival.logs import configure

bind = f"127.0.0.1:{os.environ.get('FLEET_PORT', '8350')}"
workers = 1
worker_class = "gthread"
# Each open stream of events holds a thread; eight are left for ordinary requests.
threads = PLACES + 8
timeout = 120
graceful_timeout = 10
preload_app = False
wsgi_app = "fleet_rival.api:create_app()"
accesslog = None
errorlog = "-"
control_socket_disable = True


def post_worker_init(worker: Any) -> None:
    """Set up the log, let streams end with the server, and load what the first analysis needs."""
    configure()
    streams = worker.wsgi.extensions["streams"] if hasattr(worker.wsgi, "extensions") else None
    before = signal.getsignal(signal.SIGTERM)

    def end(number: int, frame: FrameType | None) -> None:
        if streams is not None:
            streams.close()
        if callable(before):
            before(number, frame)

    signal.signal(signal.SIGTERM, end)
    # Not while the first pages are being asked for.
    timer = threading.Timer(8, _settle)
    timer.daemon = True
    timer.start()


def _settle() -> None:
    """Load what the first analysis needs; from then on, what is loaded stays."""
    for name in ("scipy.special", "scipy.optimize"):
        importlib.import_module(name)
    settle()
