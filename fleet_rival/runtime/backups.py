"""All data in one file, checked by loading it, and back again.

A backup is one consistent state even while people work: the dump reads within one transaction. It counts as made only
when it was loaded into an empty database beside the real one and every table was found there with its rows.
"""

import contextlib
import fcntl
import getpass
import hashlib
import json
import secrets
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

import fleet_rival
from fleet_rival.clock import now
from fleet_rival.runtime.console import Failure, say, step
from fleet_rival.runtime.mariadb import MariaDB
from fleet_rival.telemetry.store import store

__all__ = ["BEFORE", "alone", "back_up", "restore", "swap"]

_FORMAT: Final = "fleet-rival/backup"
_LIVE, _CHECKED, _BEFORE = "fleet", "fleet_incoming", "fleet_before"
"""Databases: the one in use, what those begin with into which a backup is loaded first, and what was there before
the last restore.
"""
BEFORE: Final = _BEFORE
_UNFINISHED: Final = "unfinished-"
"""What folders begin with in which a backup is made or read."""


@contextlib.contextmanager
def alone(var: Path) -> Iterator[None]:
    """One backup or restore at a time; the next waits."""
    var.mkdir(exist_ok=True)
    with (var / "backup.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            say("Another backup or restore is at work here; waiting for it to end.")
            fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def back_up(database: MariaDB, target: Path) -> int:
    """Write one consistent state of all data into a file, and check it by loading it.

    Returns:
        How many rows it holds.

    Raises:
        Failure: it can't be written, or what was loaded isn't what was written.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    _see_to_room(database, target.parent)
    beside = _beside(database)
    with tempfile.TemporaryDirectory(dir=target.parent, prefix=_UNFINISHED) as folder:
        dump = Path(folder) / "data.sql"
        with step("Writing"), dump.open("wb") as output:
            options = [
                "--single-transaction",
                "--skip-lock-tables",
                "--hex-blob",
                "--no-tablespaces",
                "--skip-dump-date",
                "--skip-comments",
            ]
            _client("mariadb-dump", database, [*options, _LIVE], stdout=output)
        with step("Checking: loading it beside the real data"):
            try:
                tables = _load(database, dump, beside)
                revision = _ask(database, f"SELECT version_num FROM {beside}.alembic_version")[0][0]
                # Data of an older version know no traces.
                named = _ask(database, f"SELECT sha256 FROM {beside}.trace_file") if "trace_file" in tables else []
                digests = sorted({str(row[0]) for row in named})
            finally:
                _drop(database, beside)
        manifest = {
            "format": _FORMAT,
            "version": 1,
            "made_at": now().isoformat(timespec="seconds"),
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
            with (
                store().open_traces(digest) as source,
                package.open(zipfile.ZipInfo(f"traces/{digest}"), "w", force_zip64=True) as target,
            ):
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
                raise Failure(
                    f"{file.name} lacks the file of traces {digest[:12]}… ({error}). Nothing was changed."
                ) from error
            if target.digest != digest:
                store().remove_traces(target.digest)
                raise Failure(
                    f"{file.name} is damaged: the file of traces {digest[:12]}… isn't what was written. Nothing was "
                    "changed."
                )


def restore(database: MariaDB, file: Path) -> None:
    """Put a backup in place of what is there; that is kept beside until the next restore.

    Raises:
        Failure: the file isn't a whole backup, or comes from a newer version. Nothing has changed then.
    """
    from fleet_rival.db.migrate import known_revisions, upgrade

    beside = _beside(database)
    with tempfile.TemporaryDirectory(dir=database.folder, prefix=_UNFINISHED) as folder:
        dump = Path(folder) / "data.sql"
        with step("Reading"):
            manifest = _unpack(file, dump)
        if manifest["tables_of"] not in known_revisions(database.url):
            raise Failure(
                f"{file.name} was made by a newer version ({manifest['made_by']}). Fetch that version, then restore."
            )
        with step("Checking: loading it beside the real data"):
            tables = _load(database, dump, beside)
            if tables != manifest["tables"]:
                _drop(database, beside)
                wrong = ", ".join(
                    sorted(
                        name
                        for name in tables.keys() | manifest["tables"].keys()
                        if tables.get(name) != manifest["tables"].get(name)
                    )
                )
                raise Failure(f"{file.name} doesn't hold what it should (tables: {wrong}). Nothing was changed.")
    with step("Traces"):
        _unpack_traces(file, manifest)
    with step("Putting it in place"):
        swap(database, beside)
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


def _load(database: MariaDB, dump: Path, beside: str) -> dict[str, dict[str, int]]:
    """Load a dump into a database of its own, and say what is in it: rows and checksum of each table."""
    _ask(database, f"CREATE DATABASE {beside} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    with dump.open("rb") as source:
        _client("mariadb", database, [beside], stdin=source)
    return {
        name: {
            "rows": int(_ask(database, f"SELECT COUNT(*) FROM {beside}.`{name}`")[0][0]),
            "checksum": int(_ask(database, f"CHECKSUM TABLE {beside}.`{name}`")[0][1]),
        }
        for name in _tables(database, beside)
    }


def _beside(database: MariaDB) -> str:
    """A name for a database beside the real one that nobody had before; what earlier ones left that were broken off
    is cleared away.
    """
    for (name,) in _ask(
        database, f"SELECT schema_name FROM information_schema.schemata WHERE schema_name LIKE '{_CHECKED}%'"
    ):
        # What can't be cleared away takes room and stands in nobody's way.
        with contextlib.suppress(Failure):
            _drop(database, str(name))
    for folder in [
        *database.folder.glob(f"{_UNFINISHED}*"),
        *(database.folder.parent / "backups").glob(f"{_UNFINISHED}*"),
    ]:
        shutil.rmtree(folder, ignore_errors=True)
    return f"{_CHECKED}_{secrets.token_hex(6)}"


def _drop(database: MariaDB, name: str) -> None:
    """Take a database out, also one whose making was killed in the middle: files that belong to no table keep the
    server from it.
    """
    try:
        _ask(database, f"DROP DATABASE IF EXISTS {name}")
    except Failure:
        if _tables(database, name):
            raise
        folder = database.folder / "data" / name
        for left in folder.glob("*"):
            left.unlink(missing_ok=True)
        _ask(database, f"DROP DATABASE IF EXISTS {name}")


def _see_to_room(database: MariaDB, folder: Path) -> None:
    """
    Raises:
        Failure: the disk hasn't room for a backup and for loading it once.
    """
    data = sum(path.stat().st_size for path in (database.folder / "data" / _LIVE).glob("*"))
    needed, free = 2 * data + 50_000_000, shutil.disk_usage(folder).free
    if free < needed:
        raise Failure(
            f"a backup needs about {needed / 1e6:,.0f} MB of room and {free / 1e6:,.0f} MB are free. Free some, or use "
            "--to."
        )


def swap(database: MariaDB, source: str) -> None:
    """Put the tables of another database in place of those in use, in one step; those in use go to `fleet_before`."""
    new, old = _tables(database, source), _tables(database, _LIVE)
    if not new:
        raise Failure("there is nothing to put back: no backup was restored here yet.")
    aside = f"{_BEFORE}_next"
    _drop(database, aside)
    _ask(database, f"CREATE DATABASE {aside} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    moves = [f"{_LIVE}.`{name}` TO {aside}.`{name}`" for name in old] + [
        f"{source}.`{name}` TO {_LIVE}.`{name}`" for name in new
    ]
    _ask(database, f"RENAME TABLE {', '.join(moves)}")
    _drop(database, source)
    _drop(database, _BEFORE)
    _ask(database, f"CREATE DATABASE {_BEFORE} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    if old:
        _ask(database, f"RENAME TABLE {', '.join(f'{aside}.`{name}` TO {_BEFORE}.`{name}`' for name in old)}")
    _drop(database, aside)


def _tables(database: MariaDB, schema: str) -> list[str]:
    rows = _ask(
        database,
        f"SELECT table_name FROM information_schema.tables WHERE table_schema = '{schema}' ORDER BY table_name",
    )
    return [row[0] for row in rows]


def _ask(database: MariaDB, statement: str) -> list[Any]:
    """A statement as the database's owner: the application's own account may not make databases."""
    import mariadb

    try:
        connection = mariadb.connect(
            unix_socket=database.socket, user=getpass.getuser(), autocommit=True, connect_timeout=10
        )
    except mariadb.Error as error:
        raise Failure(f"the database can't be reached: {error}.") from error
    try:
        cursor = connection.cursor()
        cursor.execute(statement)
        return list(cursor.fetchall()) if cursor.description else []
    except mariadb.Error as error:
        raise Failure(f"the database refused, or ended meanwhile: {error}.") from error
    finally:
        with contextlib.suppress(mariadb.Error):
            connection.close()


def _client(program: str, database: MariaDB, arguments: list[str], **streams: Any) -> None:
    command = [
        program,
        "--no-defaults",
        f"--socket={database.socket}",
        f"--user={getpass.getuser()}",
        "--default-character-set=utf8mb4",
    ]
    try:
        done = subprocess.run([*command, *arguments], stderr=subprocess.PIPE, text=True, check=False, **streams)
    except OSError as error:
        raise Failure(f"{program} can't be run: {error.strerror or error}.") from error
    if done.returncode:
        raise Failure(f"{program} failed: {(done.stderr or 'no reason given').strip().splitlines()[-1]}")


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
