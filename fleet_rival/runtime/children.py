"""The application's own processes: the web server and the worker, as children of whoever starts them."""

import os
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from fleet_rival.runtime.console import Failure
from fleet_rival.runtime.processes import Started, begin_part, end_part

__all__ = ["Places", "Server", "Worker"]

_WORKER_LOOKS_WITHIN_S = 60.0


class Places(NamedTuple):
    """What the processes must know: where data, messages and traces are, and the installation's secret."""

    database_url: str
    redis_url: str
    secret: str
    telemetry: str
    """Where traces are kept, as fsspec writes it."""
    var: str = ""
    """Where this installation keeps what is its own."""

    @property
    def environment(self) -> dict[str, str]:
        return {
            "FLEET_DATABASE_URL": self.database_url,
            "FLEET_REDIS_URL": self.redis_url,
            "FLEET_SECRET": self.secret,
            "FLEET_TELEMETRY": self.telemetry,
            **({"FLEET_VAR": self.var} if self.var else {}),
            # Memory that large files needed goes back to the system: threads share two pools of it, Arrow has none of
            # its own.
            "MALLOC_ARENA_MAX": "2",
            "ARROW_DEFAULT_MEMORY_POOL": "system",
        }


class _Child:
    """A Python process with its output in a log."""

    def __init__(self, name: str, arguments: Sequence[str], environment: Mapping[str, str], log: Path) -> None:
        self.log = log
        self._name = name
        self._arguments = arguments
        self._environment = {**os.environ, **environment}
        self.start()

    def start(self) -> None:
        """Start it, or start it again, once what is left of it is gone. From the main thread: the child ends with
        the thread that began it.
        """
        self.log.parent.mkdir(parents=True, exist_ok=True)
        with self.log.open("ab") as output:
            self._process = begin_part([sys.executable, "-m", *self._arguments], output, self._environment)
        self.started = Started.of(self._name, self._process.pid)

    @property
    def running(self) -> bool:
        return self._process.poll() is None

    def stop(self) -> None:
        end_part(self._process, 15)


class Server(_Child):
    """The web server."""

    def answers(self) -> bool:
        """Whether it reacts; that it says that the database is away is an answer too."""
        try:
            with urllib.request.urlopen(f"{self.address}/api/health", timeout=10):  # noqa: S310  loopback, our own
                return True
        except urllib.error.HTTPError:
            return True
        except OSError:
            return False

    def __init__(self, port: int, places: Places, log: Path, application: str | None = None) -> None:
        self.address = f"http://127.0.0.1:{port}"
        arguments = ["fleet_rival.api", *([application] if application else [])]
        super().__init__("server", arguments, {**places.environment, "FLEET_PORT": str(port)}, log)

    def wait(self) -> None:
        """Until it answers.

        Raises:
            Failure: it ends, or doesn't answer within a minute.
        """
        end = time.monotonic() + 60
        while time.monotonic() < end:
            if not self.running:
                raise Failure(f"the web server ended at once. (Details: {self.log})")
            try:
                with urllib.request.urlopen(f"{self.address}/api/health", timeout=2) as answer:  # noqa: S310  loopback, our own
                    if answer.status == 200:
                        return
            except OSError:
                time.sleep(0.1)
        raise Failure(f"the web server doesn't answer after 60 s. (Details: {self.log})")


class Worker(_Child):
    """The worker that does background jobs."""

    def answers(self) -> bool:
        """Whether it has looked for work lately: it touches a file each time."""
        try:
            age = time.time() - self._sign.stat().st_mtime
        except FileNotFoundError:
            age = time.time() - self._began
        return age < _WORKER_LOOKS_WITHIN_S

    def __init__(self, places: Places, log: Path) -> None:
        self._sign = log.with_name("worker.alive")
        self._sign.unlink(missing_ok=True)
        self._began = time.time()
        # Threads: no fork after libraries have begun threads of their own.
        quiet = ["--without-gossip", "--without-mingle", "--without-heartbeat", "--loglevel", "WARNING"]
        arguments = [
            "celery",
            "--app",
            "fleet_rival.jobs.worker",
            "worker",
            "--pool",
            "threads",
            "--concurrency",
            "2",
            *quiet,
        ]
        super().__init__("worker", arguments, {**places.environment, "FLEET_SIGN": str(self._sign)}, log)
