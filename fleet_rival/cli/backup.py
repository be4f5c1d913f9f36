"""`./fleet backup` and `./fleet restore`: all data in one file, checked by loading it, and back again.

A backup is one consistent state even while people work: the dump reads within one transaction. It counts as made only
when it was loaded into an empty database beside the real one and every table was found there with its rows.
"""

import argparse
import getpass
import hashlib
import json
import os
import re
import subprocess
import sys
import tempfile
import time
import zipfile
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import fleet_rival
from fleet_rival.cli.console import Failure, say, step
from fleet_rival.cli.mariadb import MariaDB, database_of
from fleet_rival.cli.processes import recorded
from fleet_rival.telemetry.store import store, telemetry_place

__all__ = ["Schedule", "add_arguments", "back_up", "restore", "run"]

_FORMAT = "fleet-rival/backup"
_LIVE, _CHECKED, _BEFORE = "fleet", "fleet_incoming", "fleet_before"
"""Databases: the one in use, the one into which a backup is loaded first, and what was there before the last restore."""
_NAME = "fleet-rival-{:%Y-%m-%d-%H%M%S}.backup.zip"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    if parser.prog.endswith("restore"):
        parser.add_argument("file", nargs="?", type=Path, help="a file that ./fleet backup wrote")
        parser.add_argument("--before", action="store_true", help="put back what was there before the last restore")
        return
    parser.add_argument("--to", type=Path, help="file or folder to write to (default: var/backups)")
    parser.add_argument("--schedule", choices=["daily", "weekly", "off"], help="make backups by itself while the application runs")
    parser.add_argument("--at", metavar="HH:MM", default="03:30", help="for --schedule: when, in this machine's time (default 03:30)")
    parser.add_argument("--keep", type=int, default=14, help="for --schedule: how many of them to keep (default 14)")
    parser.add_argument("--scheduled", action="store_true", help=argparse.SUPPRESS)


def run(arguments: argparse.Namespace) -> int:
    var = Path(os.environ["FLEET_HOME"]) / "var"
    os.environ["FLEET_TELEMETRY"] = telemetry_place(var)
    if arguments.command == "restore":
        if bool(arguments.file) == arguments.before:
            raise Failure("say which backup: ./fleet restore FILE, or --before for what was there before the last restore.")
        if recorded(var)[1]:
            raise Failure("Fleet Rival is running. Stop it first (./fleet stop), then restore.")
        with database_of(var) as database:
            if arguments.before:
                _swap(database, _BEFORE)
                say("What was there before the last restore is back; a second --before turns it round again.")
            else:
                restore(database, arguments.file)
                say(f"{arguments.file.name} is restored. ./fleet restore --before would put back what was there.")
        return 0
    if arguments.schedule:
        return _set_schedule(var, arguments)
    folder = arguments.to or var / "backups"
    target = folder if folder.suffix == ".zip" else folder / _NAME.format(datetime.now().astimezone())
    with database_of(var) as database:
        rows = back_up(database, target)
    say(f"Written and checked: {target} ({target.stat().st_size / 1e6:.1f} MB, {rows:,} rows)")
    if arguments.scheduled:
        Settings.read(var).throw_away(var)
    return 0


def back_up(database: MariaDB, target: Path) -> int:
    """Write one consistent state of all data into a file, and check it by loading it.

    Returns:
        How many rows it holds.

    Raises:
        Failure: it can't be written, or what was loaded isn't what was written.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent) as folder:
        dump = Path(folder) / "data.sql"
        with step("Writing"), dump.open("wb") as output:
            options = ["--single-transaction", "--skip-lock-tables", "--hex-blob", "--no-tablespaces", "--skip-dump-date", "--skip-comments"]
            _client("mariadb-dump", database, [*options, _LIVE], stdout=output)
        with step("Checking: loading it beside the real data"):
            try:
                tables = _load(database, dump)
                revision = _ask(database, f"SELECT version_num FROM {_CHECKED}.alembic_version")[0][0]
                # Data of an older version know no traces.
                named = _ask(database, f"SELECT sha256 FROM {_CHECKED}.trace_file") if "trace_file" in tables else []
                digests = sorted({str(row[0]) for row in named})
            finally:
                _ask(database, f"DROP DATABASE IF EXISTS {_CHECKED}")
        manifest = {
            "format": _FORMAT,
            "version": 1,
            "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
            "made_by": fleet_rival.__version__,
            "tables_of": revision,
            "sha256": _sha256(dump),
            "tables": tables,
            "traces": digests,
        }
        unfinished = Path(folder) / "unfinished.zip"
        with step("Packing"), zipfile.ZipFile(unfinished, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as package:
            package.write(dump, "data.sql")
            _pack_traces(package, digests)
            package.writestr("manifest.json", json.dumps(manifest, indent=1))
        unfinished.chmod(0o600)
        unfinished.replace(target)
    return sum(table["rows"] for table in tables.values())


def _pack_traces(package: zipfile.ZipFile, digests: list[str]) -> None:
    """Put in the files of traces that the data name; they are packed already.

    Raises:
        Failure: one isn't there, or isn't what its name says.
    """
    for digest in digests:
        found = hashlib.sha256()
        try:
            with store().open_traces(digest) as source, package.open(zipfile.ZipInfo(f"traces/{digest}"), "w", force_zip64=True) as target:
                while piece := source.read(1 << 20):
                    found.update(piece)
                    target.write(piece)
        except OSError as error:
            raise Failure(f"the file of traces {digest[:12]}… can't be read: {error.strerror or error}.") from error
        if found.hexdigest() != digest:
            raise Failure(f"the file of traces {digest[:12]}… is damaged: its content isn't what was written.")


def _unpack_traces(file: Path, manifest: dict[str, Any]) -> None:
    """Put files of traces back that aren't there. They are named by what they hold, so that none takes another's place.

    Raises:
        Failure: the backup lacks one, or it is damaged.
    """
    there = set(store().traces())
    with zipfile.ZipFile(file) as package:
        for digest in manifest.get("traces", ()):
            if digest in there:
                continue
            try:
                with store().new_traces() as target, package.open(f"traces/{digest}") as source:
                    while piece := source.read(1 << 20):
                        target.write(piece)
            except (KeyError, OSError, zipfile.BadZipFile) as error:
                raise Failure(f"{file.name} lacks the file of traces {digest[:12]}… ({error}). Nothing was changed.") from error
            if target.digest != digest:
                store().remove_traces(target.digest)
                raise Failure(f"{file.name} is damaged: the file of traces {digest[:12]}… isn't what was written. Nothing was changed.")


def restore(database: MariaDB, file: Path) -> None:
    """Put a backup in place of what is there; that is kept beside until the next restore.

    Raises:
        Failure: the file isn't a whole backup, or comes from a newer version. Nothing has changed then.
    """
    from fleet_rival.db.migrate import known_revisions, upgrade

    with tempfile.TemporaryDirectory(dir=database.folder) as folder:
        dump = Path(folder) / "data.sql"
        with step("Reading"):
            manifest = _unpack(file, dump)
        if manifest["tables_of"] not in known_revisions(database.url):
            raise Failure(f"{file.name} was made by a newer version ({manifest['made_by']}). Fetch that version, then restore.")
        with step("Checking: loading it beside the real data"):
            tables = _load(database, dump)
            if tables != manifest["tables"]:
                _ask(database, f"DROP DATABASE IF EXISTS {_CHECKED}")
                wrong = ", ".join(
                    sorted(name for name in tables.keys() | manifest["tables"].keys() if tables.get(name) != manifest["tables"].get(name))
                )
                raise Failure(f"{file.name} doesn't hold what it should (tables: {wrong}). Nothing was changed.")
    with step("Traces"):
        _unpack_traces(file, manifest)
    with step("Putting it in place"):
        _swap(database, _CHECKED)
        upgrade(database.url)


def _unpack(file: Path, dump: Path) -> dict[str, Any]:
    try:
        with zipfile.ZipFile(file) as package:
            manifest: dict[str, Any] = json.loads(package.read("manifest.json"))
            if manifest.get("format") != _FORMAT or manifest.get("version") != 1:
                raise Failure(f"{file.name} isn't a backup that this version can read.")
            with package.open("data.sql") as source, dump.open("wb") as target:
                while piece := source.read(1 << 20):
                    target.write(piece)
    except (OSError, KeyError, ValueError, zipfile.BadZipFile) as error:
        raise Failure(f"{file} can't be read as a backup ({error}). Nothing was changed.") from error
    if _sha256(dump) != manifest["sha256"]:
        raise Failure(f"{file.name} is damaged: its content isn't what was written. Nothing was changed.")
    return manifest


def _load(database: MariaDB, dump: Path) -> dict[str, dict[str, int]]:
    """Load a dump into a database of its own, and say what is in it: rows and checksum of each table."""
    _ask(database, f"DROP DATABASE IF EXISTS {_CHECKED}")
    _ask(database, f"CREATE DATABASE {_CHECKED} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    with dump.open("rb") as source:
        _client("mariadb", database, [_CHECKED], stdin=source)
    return {
        name: {
            "rows": int(_ask(database, f"SELECT COUNT(*) FROM {_CHECKED}.`{name}`")[0][0]),
            "checksum": int(_ask(database, f"CHECKSUM TABLE {_CHECKED}.`{name}`")[0][1]),
        }
        for name in _tables(database, _CHECKED)
    }


def _swap(database: MariaDB, source: str) -> None:
    """Put the tables of another database in place of those in use, in one step; those in use go to `fleet_before`."""
    new, old = _tables(database, source), _tables(database, _LIVE)
    if not new:
        raise Failure("there is nothing to put back: no backup was restored here yet.")
    aside = f"{_BEFORE}_next"
    _ask(database, f"DROP DATABASE IF EXISTS {aside}")
    _ask(database, f"CREATE DATABASE {aside} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    moves = [f"{_LIVE}.`{name}` TO {aside}.`{name}`" for name in old] + [f"{source}.`{name}` TO {_LIVE}.`{name}`" for name in new]
    _ask(database, f"RENAME TABLE {', '.join(moves)}")
    _ask(database, f"DROP DATABASE IF EXISTS {source}")
    _ask(database, f"DROP DATABASE IF EXISTS {_BEFORE}")
    _ask(database, f"CREATE DATABASE {_BEFORE} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    if old:
        _ask(database, f"RENAME TABLE {', '.join(f'{aside}.`{name}` TO {_BEFORE}.`{name}`' for name in old)}")
    _ask(database, f"DROP DATABASE {aside}")


def _tables(database: MariaDB, schema: str) -> list[str]:
    rows = _ask(database, f"SELECT table_name FROM information_schema.tables WHERE table_schema = '{schema}' ORDER BY table_name")
    return [row[0] for row in rows]


def _ask(database: MariaDB, statement: str) -> list[Any]:
    """A statement as the database's owner: the application's own account may not make databases."""
    import mariadb

    connection = mariadb.connect(unix_socket=database.socket, user=getpass.getuser(), autocommit=True)
    try:
        cursor = connection.cursor()
        cursor.execute(statement)
        return list(cursor.fetchall()) if cursor.description else []
    except mariadb.Error as error:
        raise Failure(f"the database refused: {error}.") from error
    finally:
        connection.close()


def _client(program: str, database: MariaDB, arguments: list[str], **streams: Any) -> None:
    command = [program, "--no-defaults", f"--socket={database.socket}", f"--user={getpass.getuser()}", "--default-character-set=utf8mb4"]
    try:
        done = subprocess.run([*command, *arguments], stderr=subprocess.PIPE, text=True, check=False, **streams)
    except OSError as error:
        raise Failure(f"{program} can't be run: {error.strerror or error}.") from error
    if done.returncode:
        raise Failure(f"{program} failed: {(done.stderr or 'no reason given').strip().splitlines()[-1]}")


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


@dataclass(frozen=True)
class Settings:
    """When backups are made by themselves, and how many are kept."""

    every: str = "off"
    at: str = "03:30"
    keep: int = 14

    @classmethod
    def read(cls, var: Path) -> "Settings":
        try:
            return cls(**json.loads((var / "backups" / "schedule.json").read_text()))
        except (OSError, ValueError, TypeError):
            return cls()

    def last_due(self, moment: datetime) -> datetime | None:
        """The last moment at or before this one at which a backup was due."""
        if self.every == "off":
            return None
        hour, minute = map(int, self.at.split(":"))
        due = moment.replace(hour=hour, minute=minute, second=0, microsecond=0)
        if self.every == "weekly":
            due -= timedelta(days=due.weekday())
        step = timedelta(days=7 if self.every == "weekly" else 1)
        return due if due <= moment else due - step

    def throw_away(self, var: Path) -> None:
        """Keep the newest ones."""
        for old in sorted((var / "backups").glob("*.backup.zip"))[: -max(self.keep, 1)]:
            old.unlink()


def _set_schedule(var: Path, arguments: argparse.Namespace) -> int:
    if not re.fullmatch(r"([01]\d|2[0-3]):[0-5]\d", arguments.at):
        raise Failure(f"{arguments.at} isn't a time of day such as 03:30.")
    if arguments.keep < 1:
        raise Failure("keep at least one backup.")
    settings = Settings(arguments.schedule, arguments.at, arguments.keep)
    place = var / "backups" / "schedule.json"
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(json.dumps(asdict(settings)))
    when = f"Backups are made {settings.every} at {settings.at}; {settings.keep} are kept."
    when = "No backups are made by themselves." if settings.every == "off" else when
    say(f"{when} It holds from now on, also for what runs already.")
    return 0


class Schedule:
    """Makes the backups that are due, beside the running application."""

    def __init__(self, var: Path) -> None:
        self._var = var
        self._next_look = 0.0
        self._process: subprocess.Popen[bytes] | None = None

    def look(self) -> None:
        """Start a backup if one is due; asked every half second, looks every half minute."""
        if time.monotonic() < self._next_look or (self._process and self._process.poll() is None):
            return
        self._next_look = time.monotonic() + 30
        due = Settings.read(self._var).last_due(datetime.now().astimezone())
        made = sorted((self._var / "backups").glob("*.backup.zip"))
        newest = datetime.fromtimestamp(made[-1].stat().st_mtime).astimezone() if made else None
        set_at = self._var / "backups" / "schedule.json"
        since = newest or (datetime.fromtimestamp(set_at.stat().st_mtime).astimezone() if set_at.exists() else None)
        if due is not None and since is not None and since < due:
            log = (self._var / "log" / "backup.log").open("ab")
            with log:
                command = [sys.executable, "-m", "fleet_rival.cli", "backup", "--scheduled"]
                self._process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=log, stderr=log)
