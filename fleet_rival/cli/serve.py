"""`./fleet demo` and `./fleet start`: database, migrations, data, server; and their orderly end."""

import argparse
import logging
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path
from types import FrameType

from fleet_rival.cli.console import Failure, say, step
from fleet_rival.cli.mariadb import MariaDB
from fleet_rival.cli.processes import Started, die_with_parent, port_is_free, record, recorded

__all__ = ["Server", "add_arguments", "run"]

PORT = 8350
_LEAST_FREE = 300_000_000
"""Bytes on the disk below which the database isn't started: it would stop in the middle of an import."""


class Server:
    """The web server as a child process."""

    def __init__(self, port: int, database_url: str, log: Path, application: str | None = None) -> None:
        self.address = f"http://127.0.0.1:{port}"
        self._log = log
        self._port = port
        environment = {**os.environ, "FLEET_DATABASE_URL": database_url, "FLEET_PORT": str(port)}
        log.parent.mkdir(parents=True, exist_ok=True)
        with log.open("ab") as output:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "gunicorn", "-c", "python:fleet_rival.api.gunicorn_conf", *([application] if application else [])],
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=output,
                stderr=output,
                start_new_session=True,
                preexec_fn=die_with_parent,  # noqa: PLW1509  no thread of ours runs yet
            )
        self.started = Started.of("server", self._process.pid)

    def wait(self) -> None:
        """Until it answers.

        Raises:
            Failure: it ends, or doesn't answer within a minute.
        """
        end = time.monotonic() + 60
        while time.monotonic() < end:
            if not self.running:
                raise Failure(f"the web server ended at once. (Details: {self._log})")
            try:
                with urllib.request.urlopen(f"{self.address}/api/health", timeout=2) as answer:  # noqa: S310  loopback, our own
                    if answer.status == 200:
                        return
            except OSError:
                time.sleep(0.1)
        raise Failure(f"the web server doesn't answer after 60 s. (Details: {self._log})")

    @property
    def running(self) -> bool:
        return self._process.poll() is None

    def stop(self) -> None:
        if self.running:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(15)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--port", type=int, default=PORT, help=f"port of the application on 127.0.0.1 (default {PORT})")


def run(arguments: argparse.Namespace) -> int:
    """Start everything, say where it is, and stay until Ctrl-C or `./fleet stop`."""
    home = Path(os.environ["FLEET_HOME"])
    var = home / "var"
    address, alive = recorded(var)
    if alive and alive[0].name == "fleet":
        say(f"Fleet Rival is running already: {address}   (./fleet stop ends it)")
        return 0
    for left in alive:
        left.signal(signal.SIGTERM)
    if not port_is_free(arguments.port):
        raise Failure(f"port {arguments.port} is in use by another program. Choose another: ./fleet {arguments.command} --port {arguments.port + 1}")
    free = shutil.disk_usage(var).free
    if free < _LEAST_FREE:
        raise Failure(f"only {free / 1e6:.0f} MB are free on the disk of {var}. Free some space and run this again.")
    asked_to_end = threading.Event()

    def end(number: int, frame: FrameType | None) -> None:
        asked_to_end.set()

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    database = MariaDB(var / "mariadb")
    server: Server | None = None
    try:
        with step("Database"):
            database.start()
        _prepare_data(database.url, demo=arguments.command == "demo")
        if asked_to_end.is_set():
            return 130
        with step("Server"):
            server = Server(arguments.port, database.url, var / "log" / "server.log")
            server.wait()
        assert database.started is not None
        with record(var, server.address, [Started.of("fleet", os.getpid()), server.started, database.started]):
            say(f"\nFleet Rival is ready: {server.address}\nCtrl-C here, or ./fleet stop in another window, ends it.")
            while not asked_to_end.wait(0.5):
                for name, runs in (("web server", server.running), ("database", database.running)):
                    if not runs:
                        raise Failure(f"the {name} ended by itself; everything else is being stopped. Look into {var / 'log'} and start again.")
        say("\nStopping ...")
    finally:
        if server:
            server.stop()
        database.stop()
    say("Stopped.")
    return 0


def _prepare_data(url: str, *, demo: bool) -> None:
    from fleet_rival.cli.demo_data import load_demo
    from fleet_rival.db.migrate import upgrade
    from fleet_rival.db.session import make_engine, make_sessions
    from fleet_rival.services.team import first_actor

    logging.getLogger("alembic").setLevel(logging.WARNING)
    with step("Tables"):
        upgrade(url)
    engine = make_engine(url)
    sessions = make_sessions(engine)
    if demo:
        with step("Demo data"):
            load_demo(sessions)
    else:
        first_actor(sessions)
    engine.dispose()
