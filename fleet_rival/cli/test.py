"""`./fleet test`: format and lint, types, import rules, then the tests."""

import argparse
import os
import shutil
import subprocess
import sys
import time
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
TESTS: dict[str, list[str]] = {
    "core and formats": ["fleet_rival/core", "fleet_rival/formats", "tests/core", "tests/formats", "tests/simulator", "tests/wording"],
    "services and API": ["tests/cli", "tests/db", "tests/services", "tests/api"],
    "browser": ["tests/browser"],
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--only", choices=["checks", *(name.split()[0] for name in TESTS)], help="one part alone")
    parser.add_argument("rest", nargs="*", help="handed to pytest, after --")


def run(arguments: argparse.Namespace) -> int:
    """Run everything; the first failure of each part is shown, and the parts that failed are named at the end."""
    home = Path(os.environ["FLEET_HOME"])
    failed: list[str] = []
    started = time.monotonic()
    if arguments.only in (None, "checks"):
        for name, command in CHECKS.items():
            if not _succeeds(name, command, home, quiet=True):
                failed.append(name)
    for name, folders in TESTS.items():
        if arguments.only in (None, name.split()[0]):
            there = [folder for folder in folders if (home / folder).exists()]
            if not _succeeds(name, [sys.executable, "-m", "pytest", *there, *arguments.rest], home, quiet=False):
                failed.append(name)
    say(f"\n{'Failed: ' + ', '.join(failed) if failed else 'All passed'} ({time.monotonic() - started:.0f} s)")
    return 1 if failed else 0


def _succeeds(name: str, command: list[str], home: Path, *, quiet: bool) -> bool:
    started = time.monotonic()
    say(f"-- {name}")
    program = shutil.which(command[0]) or command[0]
    done = subprocess.run([program, *command[1:]], cwd=home, check=False, capture_output=quiet, text=True)
    if quiet and done.returncode:
        say((done.stdout + done.stderr).strip())
    say(f"   {'passed' if not done.returncode else 'FAILED'} ({time.monotonic() - started:.0f} s)")
    return done.returncode == 0
