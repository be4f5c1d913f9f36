"""How the server runs: one process with threads on loopback, nothing loaded before the fork."""

import importlib
import os
import threading

bind = f"127.0.0.1:{os.environ.get('FLEET_PORT', '8350')}"
workers = 1
worker_class = "gthread"
threads = 8
timeout = 120
graceful_timeout = 10
preload_app = False
wsgi_app = "fleet_rival.api:create_app()"
accesslog = None
errorlog = "-"
control_socket_disable = True


def post_worker_init(worker: object) -> None:
    """Load the statistics library before the first analysis needs it, but not while the first pages are being asked for."""
    timer = threading.Timer(8, importlib.import_module, ["scipy.stats"])
    timer.daemon = True
    timer.start()
