"""A private Redis for messages: own folder, port and password, on loopback. It keeps nothing on the disk."""

import contextlib
import os
import subprocess
import time
from pathlib import Path

import redis

from fleet_rival.runtime.console import Failure
from fleet_rival.runtime.processes import Started, begin_part, end_part, free_port, port_is_free
from fleet_rival.runtime.secret import kept_secret

__all__ = ["Redis"]

PREFERRED_PORT = 33171
_CONFIGURATION = """bind 127.0.0.1
protected-mode yes
port {port}
dir {folder}
requirepass {password}
save ""
appendonly no
daemonize no
maxmemory 64mb
maxmemory-policy noeviction
logfile {folder}/redis.log
"""


class Redis:
    """One instance in one folder.

    Args:
        folder: where it lives; made at the first start.
        port: the port, or None for a preferred one that is free.
    """

    def __init__(self, folder: Path, port: int | None = None) -> None:
        self.folder = folder
        self.port = port or (PREFERRED_PORT if port_is_free(PREFERRED_PORT) else free_port())
        self.started: Started | None = None
        self._process: subprocess.Popen[bytes] | None = None

    @property
    def url(self) -> str:
        return f"redis://:{kept_secret(self.folder / 'password.txt')}@127.0.0.1:{self.port}/0"

    def start(self) -> None:
        """Start it and wait until it answers.

        Raises:
            Failure: it can't be started.
        """
        password = kept_secret(self.folder / "password.txt")
        place = self.folder / "redis.conf"
        # The file holds the password.
        with os.fdopen(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(_CONFIGURATION.format(port=self.port, folder=self.folder, password=password))
        try:
            self._process = begin_part(["redis-server", str(place)], subprocess.DEVNULL)
        except OSError as error:
            raise Failure(f"the message server can't be started: {error.strerror or error}.") from error
        self.started = Started.of("messages", self._process.pid)
        end = time.monotonic() + 30
        while time.monotonic() < end:
            if not self.running:
                raise Failure(f"the message server ended at once. (Details: {self.folder / 'redis.log'})")
            with contextlib.suppress(redis.RedisError), redis.Redis.from_url(self.url, socket_timeout=1) as probe:
                probe.ping()
                return
            time.sleep(0.05)
        raise Failure(f"the message server doesn't answer after 30 s. (Details: {self.folder / 'redis.log'})")

    @property
    def running(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def answers(self) -> bool:
        """Whether it answers a question."""
        try:
            with redis.Redis.from_url(self.url, socket_timeout=5, socket_connect_timeout=5) as probe:
                return bool(probe.ping())
        except redis.RedisError:
            return False

    def stop(self) -> None:
        end_part(self._process, 10)
