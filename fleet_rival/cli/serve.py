"""`./fleet demo` and `./fleet start`: database, messages, worker and server; what ends by itself is started again."""

import argparse
import logging
import os
import shutil
import signal
import threading
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType

from fleet_rival.runtime.children import Places, Server, Worker
from fleet_rival.runtime.console import Failure, say, step
from fleet_rival.runtime.lock import Taken, only_one, secure
from fleet_rival.runtime.mariadb import MariaDB
from fleet_rival.runtime.processes import Started, forget, port_is_free, record, recorded, wait_for_end
from fleet_rival.runtime.redis_server import Redis
from fleet_rival.runtime.schedule import Schedule
from fleet_rival.runtime.secret import kept_secret
from fleet_rival.runtime.supervisor import Part, Supervisor
from fleet_rival.telemetry.store import telemetry_place

__all__ = ["add_arguments", "run"]

PORT = 8350
_LEAST_FREE = 300_000_000
"""Bytes on the disk below which the database isn't started: it would stop in the middle of an import."""
_STARTS_WITHIN_S = 600.0


class _Ended(BaseException):
    """Somebody wants it to end while it is still starting."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--port", type=int, default=PORT, help=f"port of the application on 127.0.0.1 (default {PORT})")


def run(arguments: argparse.Namespace) -> int:
    """Start everything, say where it is, and stay until Ctrl-C or `./fleet stop`."""
    var = Path(os.environ["FLEET_HOME"]) / "var"
    try:
        with only_one(var, arguments.command):
            return _run(arguments, var)
    except Taken as taken:
        if taken.doing in ("demo", "start"):
            return _tell_where(var, taken)
        raise


def _tell_where(var: Path, taken: Taken) -> int:
    """It runs already, or somebody is starting it: wait until that is done, and say where it is."""
    address, alive = recorded(var)
    if not address:
        say(f"Fleet Rival is being started here already (process {taken.process}); waiting until it is ready.")
    end = time.monotonic() + _STARTS_WITHIN_S
    while not address and Started.of("", taken.process).alive and time.monotonic() < end:
        time.sleep(0.3)
        address, alive = recorded(var)
    if not address or not alive:
        raise Failure("the other start ended before it was ready. Run this again.")
    say(f"Fleet Rival is running already: {address}   (./fleet stop ends it)")
    return 0


def _run(arguments: argparse.Namespace, var: Path) -> int:
    secure(var)
    _take_over(arguments, var)
    asked_to_end, ready = threading.Event(), threading.Event()

    def end(number: int, frame: FrameType | None) -> None:
        asked_to_end.set()
        if not ready.is_set():
            ready.set()  # once is enough
            raise _Ended

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    place = telemetry_place(var)
    os.environ["FLEET_TELEMETRY"], os.environ["FLEET_VAR"] = place, str(var)
    database, messages = MariaDB(var / "mariadb"), Redis(var / "redis")
    server: Server | None = None
    worker: Worker | None = None
    try:
        with step("Database"):
            database.start()
        with step("Messages"):
            messages.start()
        said = _prepare_data(database.url, var, demo=arguments.command == "demo")
        places = Places(database.url, messages.url, kept_secret(var / "secret.txt"), place, str(var))
        with step("Server and worker"):
            worker = Worker(places, var / "log" / "worker.log")
            server = Server(arguments.port, places, var / "log" / "server.log")
            server.wait()
        ready.set()
        # What the others need comes first.
        parts: dict[str, Part] = {
            "database": database,
            "message server": messages,
            "worker": worker,
            "web server": server,
        }
        lines = [
            f"\nFleet Rival is ready: {server.address}",
            *said(server.address),
            "Ctrl-C here, or ./fleet stop in another window, ends it.",
        ]
        _stay(parts, var, server.address, lines, asked_to_end, Schedule(var))
        say("\nStopping ...")
    except _Ended:
        say("\nStopped while it was being started.")
        return 130
    finally:
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        for child in (server, worker):
            if child:
                child.stop()
        messages.stop()
        database.stop()
        forget(var)
    say("Stopped.")
    return 0


def _take_over(arguments: argparse.Namespace, var: Path) -> None:
    """Have the folder for oneself, and see that there are a port and room.

    Raises:
        Failure: the port is taken, or the disk is full.
    """
    # Whoever held the folder before is gone; what is left of it ends before anything new begins.
    _, left = recorded(var)
    for process in left:
        process.signal(signal.SIGTERM)
    wait_for_end(left, 30)
    record(var, "", [Started.of("fleet", os.getpid())])
    if not port_is_free(arguments.port):
        forget(var)
        raise Failure(
            f"port {arguments.port} is in use by another program. Choose another: ./fleet {arguments.command} --port "
            f"{arguments.port + 1}"
        )
    free = shutil.disk_usage(var).free
    if free < _LEAST_FREE:
        forget(var)
        raise Failure(f"only {free / 1e6:.0f} MB are free on the disk of {var}. Free some space and run this again.")


def _stay(
    parts: dict[str, Part], var: Path, address: str, lines: list[str], asked_to_end: threading.Event, schedule: Schedule
) -> None:
    """Until somebody wants it to end; a part that ended by itself is started again.

    Args:
        lines: said once `./fleet stop` would find what runs.
    """
    supervisor = Supervisor(parts)
    supervisor.begin()
    changed = True
    while not asked_to_end.is_set():
        if changed:
            record(
                var,
                address,
                [Started.of("fleet", os.getpid()), *(part.started for part in parts.values() if part.started)],
            )
            for line in lines:
                say(line)
            lines = []
        asked_to_end.wait(0.5)
        changed = not asked_to_end.is_set() and supervisor.look()
        try:
            schedule.look()
        except OSError as error:
            say(f"A backup that is due can't be begun: {error.strerror or error}. Trying again by itself.")
    supervisor.end()


def _prepare_data(url: str, var: Path, *, demo: bool) -> Callable[[str], list[str]]:
    """Bring the tables up to date and see to the first people.

    Returns:
        What to tell the person at the terminal, once the address is known.
    """
    from fleet_rival.db.migrate import upgrade
    from fleet_rival.db.session import make_engine, make_sessions
    from fleet_rival.demo.load import load_demo, take_out_half
    from fleet_rival.services.people.team import first_link

    logging.getLogger("alembic").setLevel(logging.WARNING)
    with step("Tables"):
        upgrade(url)
    # Before anybody is let in: the demo's loader looks at what it made by name.
    engine = make_engine(url, exempt=lambda: True)
    sessions = make_sessions(engine)
    try:
        if take_out_half(sessions, var / "demo"):
            say("  A demo whose loading was broken off is taken out.")
        if demo:
            with step("Demo data"):
                accounts = load_demo(sessions, var / "demo")
            width = max(len(account.sign_in_name) for account in accounts)
            lines = [
                (
                    f"  {account.sign_in_name:<{width}}  {account.password or '(password changed)'}   {account.name}, "
                    f"{account.role}"
                )
                for account in accounts
            ]
            return lambda address: ["Sign in as one of the demo's people:", *lines]
        link = first_link(sessions)
        return lambda address: (
            [f"Nobody can sign in yet. Open this link to begin; it works once: {address}/welcome#{link}"]
            if link
            else []
        )
    finally:
        engine.dispose()
