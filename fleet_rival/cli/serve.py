"""`./fleet demo` and `./fleet start`: database, messages, worker and server; what ends by itself is started again."""

import argparse
import logging
import os
import shutil
import signal
import threading
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from types import FrameType

from fleet_rival.cli import backup
from fleet_rival.cli.children import Places, Server, Worker
from fleet_rival.cli.console import Failure, say, step
from fleet_rival.cli.mariadb import MariaDB
from fleet_rival.cli.processes import Part, Started, port_is_free, record, recorded
from fleet_rival.cli.redis_server import Redis
from fleet_rival.cli.secret import kept_secret
from fleet_rival.telemetry.store import telemetry_place

__all__ = ["add_arguments", "run"]

PORT = 8350
_LEAST_FREE = 300_000_000
"""Bytes on the disk below which the database isn't started: it would stop in the middle of an import."""
_RESTARTS, _WITHIN_SECONDS = 4, 60.0
"""A part that ends by itself more often than this isn't started again: something is wrong that a start doesn't mend."""


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
    os.environ["FLEET_TELEMETRY"] = telemetry_place(var)
    database, messages = MariaDB(var / "mariadb"), Redis(var / "redis")
    server: Server | None = None
    worker: Worker | None = None
    try:
        with step("Database"):
            database.start()
        with step("Messages"):
            messages.start()
        said = _prepare_data(database.url, var, demo=arguments.command == "demo")
        if asked_to_end.is_set():
            return 130
        places = Places(database.url, messages.url, kept_secret(var / "secret.txt"), telemetry_place(var))
        with step("Server and worker"):
            worker = Worker(places, var / "log" / "worker.log")
            server = Server(arguments.port, places, var / "log" / "server.log")
            server.wait()
        parts: dict[str, Part] = {"web server": server, "worker": worker, "message server": messages, "database": database}
        lines = [f"\nFleet Rival is ready: {server.address}", *said(server.address), "Ctrl-C here, or ./fleet stop in another window, ends it."]
        _stay(parts, var, server.address, lines, asked_to_end, backup.Schedule(var))
        say("\nStopping ...")
    finally:
        for child in (server, worker):
            if child:
                child.stop()
        messages.stop()
        database.stop()
    say("Stopped.")
    return 0


def _stay(parts: dict[str, Part], var: Path, address: str, lines: list[str], asked_to_end: threading.Event, schedule: backup.Schedule) -> None:
    """Until somebody wants it to end; a part that ended by itself is started again.

    Args:
        lines: said once `./fleet stop` would find what runs.

    Raises:
        Failure: a part ends again and again.
    """
    ended: deque[float] = deque(maxlen=_RESTARTS)
    while True:
        running = [Started.of("fleet", os.getpid()), *(part.started for part in parts.values() if part.started)]
        with record(var, address, running):
            for line in lines:
                say(line)
            lines = []
            while not asked_to_end.wait(0.5) and all(part.running for part in parts.values()):
                schedule.look()
        if asked_to_end.is_set():
            return
        for name, part in parts.items():
            if part.running:
                continue
            if len(ended) == _RESTARTS and time.monotonic() - ended[0] < _WITHIN_SECONDS:
                raise Failure(f"the {name} ends again and again; everything else is being stopped. Look into {var / 'log'} and start again.")
            ended.append(time.monotonic())
            say(f"The {name} ended by itself; starting it again.")
            part.start()


def _prepare_data(url: str, var: Path, *, demo: bool) -> Callable[[str], list[str]]:
    """Bring the tables up to date and see to the first people.

    Returns:
        What to tell the person at the terminal, once the address is known.
    """
    from fleet_rival.db.migrate import upgrade
    from fleet_rival.db.session import make_engine, make_sessions
    from fleet_rival.services.team import first_link

    logging.getLogger("alembic").setLevel(logging.WARNING)
    with step("Tables"):
        upgrade(url)
    engine = make_engine(url)
    sessions = make_sessions(engine)
    try:
        if demo:
            from fleet_rival.cli.demo_data import load_demo

            with step("Demo data"):
                accounts = load_demo(sessions, var / "demo")
            width = max(len(account.sign_in_name) for account in accounts)
            lines = [
                f"  {account.sign_in_name:<{width}}  {account.password or '(password changed)'}   {account.name}, {account.role}"
                for account in accounts
            ]
            return lambda address: ["Sign in as one of the demo's people:", *lines]
        link = first_link(sessions)
        return lambda address: [f"Nobody can sign in yet. Open this link to begin; it works once: {address}/welcome#{link}"] if link else []
    finally:
        engine.dispose()
