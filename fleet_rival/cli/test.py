"""`./fleet test`: format and lint, types, import rules, then the tests."""

import argparse
import os
import shutil
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from fleet_rival.runtime.console import say

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
    "browser": ["tests/browser", *(f"--ignore={path}" for path in _WHOLE)],
    "services": ["tests/services"],
    "commands": ["tests/cli"],
    "whole application": [*_WHOLE],
    "core": ["fleet_rival/core", "tests/core"],
    "API and database": ["tests/api", "tests/db"],
    "formats, simulator and words": ["fleet_rival/formats", "tests/formats", "tests/simulator", "tests/wording"],
}
"""What takes long comes first, and beside what computes what waits, so that no core is idle at the end."""
_LANES = 3
"""More than there are cores on a small machine: much of the time is spent waiting."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--only", choices=["checks", *dict.fromkeys(_called(name) for name in TESTS)], help="one part alone")
    parser.add_argument("rest", nargs="*", help="handed to pytest, after --")


def run(arguments: argparse.Namespace) -> int:
    """Run everything, side by side where that saves waiting; what failed is shown, and named at the end."""
    home = Path(os.environ["FLEET_HOME"])
    started = time.monotonic()
    commands: dict[str, list[str]] = {}
    for name, folders in TESTS.items():
        if arguments.only in (None, _called(name)):
            there = [folder for folder in folders if folder.startswith("--") or (home / folder).exists()]
            commands[name] = [sys.executable, "-m", "pytest", *there, *arguments.rest]
    checks = CHECKS if arguments.only in (None, "checks") else {}
    failed = _side_by_side({**checks, **commands}, home)
    say(f"\n{'Failed: ' + ', '.join(failed) if failed else 'All passed'} ({time.monotonic() - started:.0f} s)")
    return 1 if failed else 0


def _called(name: str) -> str:
    return name.replace(",", " ").split()[0].lower()


def _side_by_side(commands: dict[str, list[str]], home: Path) -> list[str]:
    """Run commands, a few at a time.

    Returns:
        Names of what failed.
    """
    with ThreadPoolExecutor(_LANES) as pool:
        passed = pool.map(lambda name: _succeeds(name, commands[name], home, verbose=name in TESTS), commands)
        return [name for name, well in zip(commands, passed, strict=True) if not well]


def _succeeds(name: str, command: list[str], home: Path, *, verbose: bool) -> bool:
    started = time.monotonic()
    program = shutil.which(command[0]) or command[0]
    done = subprocess.run([program, *command[1:]], cwd=home, check=False, capture_output=True, text=True)
    told = (done.stdout + done.stderr).strip()
    # In one piece, so that lanes don't mix.
    shown = f"\n{told}" if told and (verbose or done.returncode) else ""
    say(f"-- {name}{shown}\n   {'passed' if not done.returncode else 'FAILED'} ({time.monotonic() - started:.0f} s)")
    return done.returncode == 0
