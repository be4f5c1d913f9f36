"""`./fleet backup` and `./fleet restore`: all data in one file, checked by loading it, and back again."""

import argparse
import os
import re
from pathlib import Path

from fleet_rival.clock import now
from fleet_rival.runtime.backups import BEFORE, alone, back_up, restore, swap
from fleet_rival.runtime.console import Failure, say
from fleet_rival.runtime.lock import is_taken, only_one
from fleet_rival.runtime.mariadb import database_of
from fleet_rival.runtime.processes import recorded
from fleet_rival.runtime.schedule import NAME, SCHEDULED, Settings
from fleet_rival.services.shared.last_backup import note_ended
from fleet_rival.telemetry.store import telemetry_place

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    if parser.prog.endswith("restore"):
        parser.add_argument("file", nargs="?", type=Path, help="a file that ./fleet backup wrote")
        parser.add_argument("--before", action="store_true", help="put back what was there before the last restore")
        return
    parser.add_argument("--to", type=Path, help="file or folder to write to (default: var/backups)")
    parser.add_argument(
        "--schedule", choices=["daily", "weekly", "off"], help="make backups by itself while the application runs"
    )
    parser.add_argument(
        "--at", metavar="HH:MM", default="03:30", help="for --schedule: when, in this machine's time (default 03:30)"
    )
    parser.add_argument(
        "--keep", type=int, default=14, help="for --schedule: how many of those made by themselves to keep (default 14)"
    )
    parser.add_argument("--scheduled", action="store_true", help=argparse.SUPPRESS)


def run(arguments: argparse.Namespace) -> int:
    var = Path(os.environ["FLEET_HOME"]) / "var"
    os.environ["FLEET_TELEMETRY"] = telemetry_place(var)
    if arguments.command == "restore":
        return _restore(var, arguments)
    if arguments.schedule:
        return _set_schedule(var, arguments)
    if not arguments.scheduled:
        target, rows = _make(var, arguments)
        say(f"Written and checked: {target} ({target.stat().st_size / 1e6:.1f} MB, {rows:,} rows)")
        return 0
    try:
        _make(var, arguments)
        Settings.read(var).throw_away(var)
    except (Failure, OSError) as error:
        note_ended(var, str(error), now())
        raise Failure(f"the scheduled backup failed: {error}") from error
    note_ended(var, None, now())
    return 0


def _make(var: Path, arguments: argparse.Namespace) -> tuple[Path, int]:
    with alone(var), database_of(var) as database:
        name = (SCHEDULED if arguments.scheduled else NAME).format(now().astimezone())
        folder = arguments.to or var / "backups"
        target = folder if folder.suffix == ".zip" else folder / name
        return target, back_up(database, target)


def _restore(var: Path, arguments: argparse.Namespace) -> int:
    if bool(arguments.file) == arguments.before:
        raise Failure("say which backup: ./fleet restore FILE, or --before for what was there before the last restore.")
    if recorded(var)[1] or is_taken(var):
        raise Failure("Fleet Rival is running, or starting. Stop it first (./fleet stop), then restore.")
    with only_one(var, "restore"), alone(var), database_of(var) as database:
        if arguments.before:
            swap(database, BEFORE)
            say("What was there before the last restore is back; a second --before turns it round again.")
        else:
            restore(database, arguments.file)
            say(f"{arguments.file.name} is restored. ./fleet restore --before would put back what was there.")
    return 0


def _set_schedule(var: Path, arguments: argparse.Namespace) -> int:
    if not re.fullmatch(r"([01]\d|2[0-3]):[0-5]\d", arguments.at):
        raise Failure(f"{arguments.at} isn't a time of day such as 03:30.")
    if arguments.keep < 1:
        raise Failure("keep at least one backup.")
    settings = Settings(arguments.schedule, arguments.at, arguments.keep)
    settings.write(var)
    when = (
        f"Backups are made {settings.every} at {settings.at}; {settings.keep} of them are kept, and all that were made "
        "by hand."
    )
    when = "No backups are made by themselves." if settings.every == "off" else when
    say(f"{when} It holds from now on, also for what runs already.")
    return 0
