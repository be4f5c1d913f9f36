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
    """Load the statistics library beside the first requests instead of in the middle of one."""
    threading.Thread(target=importlib.import_module, args=["scipy.stats"], daemon=True).start()
