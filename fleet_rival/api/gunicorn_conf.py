"""How the server runs: one process with threads on loopback, nothing loaded before the fork."""

import os

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
