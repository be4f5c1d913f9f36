"""What the command line says while it works: steps with progress, and failures of one clear line.

Everything goes to standard error, so that `./fleet analyse` keeps standard output for its report.
"""

import re
import subprocess
import sys
import threading
import time
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType


class Failure(Exception):
    """Something that stops the command. The message is one line and says what to do."""


def say(text: str) -> None:
    """Print one line for the person at the terminal."""
    print(text, file=sys.stderr, flush=True)


class step:
    """A step that may take long: says its name, then how long it has been running, then that it is done.

    On a terminal the line is redrawn each second; elsewhere a line is added every ten seconds.
    """

    def __init__(self, name: str) -> None:
        self.name = name
        self._end = threading.Event()
        self._started = time.monotonic()
        self._detail = ""
        self._ticker = threading.Thread(target=self._tick, daemon=True)

    def detail(self, text: str) -> None:
        """Say how far the step has come; shown behind its name."""
        self._detail = text

    def __enter__(self) -> "step":
        if not sys.stderr.isatty():
            say(f"  {self.name} ...")
        self._ticker.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._end.set()
        self._ticker.join()
        seconds = time.monotonic() - self._started
        start = "\r\x1b[K" if sys.stderr.isatty() else ""
        say(f"{start}  {self.name}: {'done' if kind is None else 'failed'} ({seconds:.0f} s)")

    def _tick(self) -> None:
        terminal = sys.stderr.isatty()
        while not self._end.wait(1 if terminal else 10):
            seconds = time.monotonic() - self._started
            if terminal:
                print(f"\r\x1b[K  {self.name} ... {seconds:.0f} s {self._detail}", end="", file=sys.stderr, flush=True)
            else:
                say(f"  {self.name} ... {seconds:.0f} s {self._detail}")


_CAUSES = (
    (r"No space left on device|ENOSPC", "the disk is full: free some space (about 3 GB are needed) and run this again"),
    (
        r"Could not get lock|dpkg frontend lock",
        "another package installation is running: wait for it to end and run this again",
    ),
    (
        (
            r"Temporary failure (in name resolution|resolving)|Could not resolve|ENOTFOUND|EAI_AGAIN|dns error|Network "
            r"is unreachable|Failed to fetch"
        ),
        "the package registry can't be reached: check the network (or the proxy settings) and run this again",
    ),
    (
        r"Permission denied|EACCES|are you root",
        "no rights to write there: run it as the owner of this folder, or as root for Debian packages",
    ),
)


def run(
    command: Sequence[str], log: Path, what: str, cwd: Path | None = None, env: dict[str, str] | None = None
) -> None:
    """Run a set-up command with its output in `log`.

    Raises:
        Failure: the command can't be found or ends with an error; the line names the likely cause and the log.
    """
    log.parent.mkdir(parents=True, exist_ok=True)
    with log.open("w", encoding="utf-8") as output:
        try:
            done = subprocess.run(
                command,
                stdout=output,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                cwd=cwd,
                env=env,
                check=False,
            )
        except OSError as error:
            raise Failure(f"{what} failed: {command[0]} can't be started ({error.strerror or error}).") from error
    if done.returncode:
        text = log.read_text(encoding="utf-8", errors="replace")
        for pattern, cause in _CAUSES:
            if re.search(pattern, text):
                raise Failure(f"{what} failed: {cause}. (Details: {log})")
        lines = [line.strip() for line in text.splitlines() if line.strip()]
        telling = (
            [line for line in lines if re.search(r"\b(FATAL|ERROR|ERR!|error:)", line)] or lines[-1:] or ["no output"]
        )
        raise Failure(f"{what} failed: {telling[0]} (Details: {log})")
