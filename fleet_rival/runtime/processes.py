"""Which processes this project started: a record on disk, and how to end exactly those. Standard library alone."""

import ctypes
import json
import os
import signal
import socket
import subprocess
import time
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from fleet_rival.runtime.console import say

__all__ = [
    "Started",
    "begin_part",
    "end_part",
    "forget",
    "free_port",
    "port_is_free",
    "record",
    "recorded",
    "stop",
    "wait_for_end",
]

_PR_SET_PDEATHSIG = 1


@dataclass(frozen=True)
class Started:
    """A process, told apart from a later one with the same number by the moment it began."""

    name: str
    pid: int
    began: str

    @classmethod
    def of(cls, name: str, pid: int) -> "Started":
        return cls(name, pid, _began(pid) or "")

    @property
    def alive(self) -> bool:
        return bool(self.began) and _began(self.pid) == self.began

    def signal(self, number: int) -> None:
        if self.alive:
            with suppress(ProcessLookupError):
                os.kill(self.pid, number)


def _began(pid: int) -> str | None:
    """Start time of a living process in clock ticks since the machine started; None for one that ended."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return None
    return None if fields[0] in "ZX" else fields[19]


def _place(var: Path) -> Path:
    return var / "running.json"


def record(var: Path, address: str, started: list[Started]) -> None:
    """Keep on disk what runs. Where there is no room for it, what was kept before stays: a part that was started
    since ends with the first one.
    """
    text = json.dumps({"address": address, "processes": [vars(process) for process in started]})
    place = _place(var)
    unfinished = place.with_suffix(".new")
    with suppress(OSError):
        unfinished.write_text(text)
        unfinished.replace(place)


def forget(var: Path) -> None:
    """Nothing runs any more."""
    with suppress(OSError):
        _place(var).unlink(missing_ok=True)


def recorded(var: Path) -> tuple[str, list[Started]]:
    """The address and the processes of the record that are still alive, the supervisor first."""
    try:
        data = json.loads(_place(var).read_text())
        processes = [Started(**process) for process in data["processes"]]
    except (OSError, ValueError, KeyError, TypeError):
        return "", []
    return str(data.get("address", "")), [process for process in processes if process.alive]


def stop(var: Path) -> int:
    """End what `demo` or `start` began, and nothing else."""
    _, alive = recorded(var)
    if not alive:
        forget(var)
        say("Nothing of Fleet Rival is running here.")
        return 0
    # The supervisor ends its children in the right order; what is left of an earlier crash is ended directly.
    alive[0].signal(signal.SIGTERM)
    if not wait_for_end(alive, 30):
        for process in alive:
            process.signal(signal.SIGTERM)
        if not wait_for_end(alive, 20):
            left = ", ".join(f"{process.name} ({process.pid})" for process in alive if process.alive)
            say(f"fleet: still running after 50 s: {left}. Look into var/log, then end them by hand.")
            return 1
    forget(var)
    say("Stopped.")
    return 0


def wait_for_end(processes: list[Started], seconds: float) -> bool:
    end = time.monotonic() + seconds
    while any(process.alive for process in processes):
        if time.monotonic() > end:
            return False
        time.sleep(0.05)
    return True


def _die_with_parent() -> None:
    """For a child between fork and exec: be told to end when the parent ends, however it ends."""
    with suppress(OSError):
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def begin_part(
    command: Sequence[str], output: int | IO[bytes], environment: Mapping[str, str] | None = None
) -> subprocess.Popen[bytes]:
    """Start a part of the application: it ends with the thread that began it, and no key pressed here reaches it."""
    return subprocess.Popen(
        command,
        env=environment,
        stdin=subprocess.DEVNULL,
        stdout=output,
        stderr=output,
        start_new_session=True,
        preexec_fn=_die_with_parent,  # noqa: PLW1509  it only asks the kernel
    )


def end_part(process: subprocess.Popen[bytes] | None, patience: float) -> None:
    """Ask a part to end, and end it where it hasn't after so many seconds."""
    if process is None or process.poll() is not None:
        return
    process.send_signal(signal.SIGTERM)
    try:
        process.wait(patience)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def port_is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def free_port() -> int:
    """A port on loopback that nobody uses now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
