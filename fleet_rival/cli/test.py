"""`./fleet test`: format and lint, types, import rules, then the tests."""

import argparse
import os
import shutil
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from fleet_rival.cli.console import say

__all__ = ["add_arguments", "run"]

_PYTHON = str(Path(sys.executable).parent)
CHECKS: dict[str, list[str]] = {
    "format": [f"{_PYTHON}/ruff", "format", "--check", "."],
    "lint": [f"{_PYTHON}/ruff", "check", "."],
    "types": [f"{_PYTHON}/mypy"],
    "import rules": [f"{_PYTHON}/lint-imports"],
    "interface lint": ["npm", "--prefix", "frontend", "run", "--silent", "lint"],
    "interface types": ["npm", "--prefix", "frontend", "run", "--silent", "types"],
}
_WHOLE = [f"tests/browser/test_{name}.py" for name in ("journeys", "people", "shell")]
TESTS: dict[str, list[str]] = {
    "core and formats": ["fleet_rival/core", "fleet_rival/formats", "tests/core", "tests/formats", "tests/simulator", "tests/wording"],
    "services and API": ["tests/db", "tests/services", "tests/api"],
    "commands": ["tests/cli"],
    "browser": ["tests/browser", *(f"--ignore={path}" for path in _WHOLE)],
    "browser, whole application": [*_WHOLE],
}
_SIDE_BY_SIDE = (("browser", "commands"), ("core and formats", "browser, whole application"), ("services and API",))
"""Tests that wait for pages or for servers to come and go beside those that compute: no core is idle."""
_LANES = 3
"""More than there are cores on a small machine: much of the time is spent waiting."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--only", choices=["checks", *dict.fromkeys(_called(name) for name in TESTS)], help="one part alone")
    parser.add_argument("rest", nargs="*", help="handed to pytest, after --")


def run(arguments: argparse.Namespace) -> int:
    """Run everything, side by side where that saves waiting; what failed is shown, and named at the end."""
    home = Path(os.environ["FLEET_HOME"])
    started = time.monotonic()
    failed: list[str] = []
    if arguments.only in (None, "checks"):
        failed += _side_by_side([{name: command} for name, command in CHECKS.items()], home, verbose=False)
    tests = {name: folders for name, folders in TESTS.items() if arguments.only in (None, _called(name))}
    commands = {
        name: [
            sys.executable,
            "-m",
            "pytest",
            *(folder for folder in folders if folder.startswith("--") or (home / folder).exists()),
            *arguments.rest,
        ]
        for name, folders in tests.items()
    }
    lanes = [{name: commands[name] for name in lane if name in commands} for lane in _SIDE_BY_SIDE]
    failed += _side_by_side(lanes, home, verbose=True)
    say(f"\n{'Failed: ' + ', '.join(failed) if failed else 'All passed'} ({time.monotonic() - started:.0f} s)")
    return 1 if failed else 0


def _called(name: str) -> str:
    return name.replace(",", " ").split()[0]


def _side_by_side(lanes: list[dict[str, list[str]]], home: Path, *, verbose: bool) -> list[str]:
    """Run lanes of commands, a few at a time; each lane's own one after the other.

    Returns:
        Names of what failed.
    """

    def lane_through(lane: dict[str, list[str]]) -> list[str]:
        return [name for name, command in lane.items() if not _succeeds(name, command, home, verbose)]

    with ThreadPoolExecutor(_LANES) as pool:
        return [name for failed in pool.map(lane_through, lanes) for name in failed]


def _succeeds(name: str, command: list[str], home: Path, verbose: bool) -> bool:
    started = time.monotonic()
    program = shutil.which(command[0]) or command[0]
    done = subprocess.run([program, *command[1:]], cwd=home, check=False, capture_output=True, text=True)
    told = (done.stdout + done.stderr).strip()
    # In one piece, so that lanes don't mix.
    shown = f"\n{told}" if told and (verbose or done.returncode) else ""
    say(f"-- {name}{shown}\n   {'passed' if not done.returncode else 'FAILED'} ({time.monotonic() - started:.0f} s)")
    return done.returncode == 0
