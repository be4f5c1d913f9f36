"""The demo's data: made once by the simulator as files, then put in the way a user would."""

import fcntl
import hashlib
import json
import os
import secrets
import shutil
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import date
from pathlib import Path
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, sessionmaker

import fleet_rival
from fleet_rival.clock import now
from fleet_rival.db.tables import Driver, Membership, Person, Team
from fleet_rival.demo.book import load_book
from fleet_rival.demo.log import load_lessons
from fleet_rival.demo.plan import load_plan
from fleet_rival.demo.races import load_races
from fleet_rival.demo.runs import load_runs
from fleet_rival.demo.setups import load_setups
from fleet_rival.demo.week import load_week, season_week
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.season_export import write_season
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.trial import remove_team
from fleet_rival.services.board import board
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.traces import imports, uploads
from fleet_rival.services.find import figures
from fleet_rival.services.people import rigs
from fleet_rival.services.people.sign_in import password_fits
from fleet_rival.services.people.team import add_person, give_password, make_team, person_called
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from fleet_rival.simulator.league import SEED, SERIES, League, league
from fleet_rival.simulator.people import COACH, MANAGER, TEAM

__all__ = ["Account", "load_demo", "rig_token", "scenario"]

_WORDS = (
    *(
        "amber",
        "anvil",
        "barley",
        "beacon",
        "birch",
        "bramble",
        "candle",
        "cedar",
        "chalk",
        "cinder",
        "clover",
        "copper",
        "coral",
    ),
    *(
        "cotton",
        "ember",
        "fennel",
        "ferry",
        "fiddle",
        "flint",
        "garnet",
        "hazel",
        "heron",
        "indigo",
        "juniper",
        "kettle",
        "lantern",
    ),
    *(
        "linen",
        "maple",
        "marble",
        "meadow",
        "nettle",
        "nutmeg",
        "orchard",
        "pebble",
        "plover",
        "quartz",
        "saddle",
        "saffron",
    ),
    *("thimble", "thistle", "timber", "velvet", "walnut", "willow"),
)
_SIGN_IN = (
    ("maren", MANAGER, "manager", None),
    ("idrik", COACH, "coach", None),
    ("ysolde", "Ysolde Farrand", "driver", "Ysolde Farrand"),
)


@dataclass(frozen=True)
class Account:
    """A person of the demo who can sign in."""

    sign_in_name: str
    password: str | None
    """None where it was changed since."""
    name: str
    role: str


def load_demo(sessions: sessionmaker[Session], folder: Path, today: date | None = None) -> list[Account]:
    """Put the demo into a team that has no combination yet, and let its people sign in.

    Args:
        folder: where the scenario's files are kept for the next time, and the accounts.
        today: the day on which the running week is running.
    """
    manager = person_called(sessions, MANAGER) or make_team(sessions, TEAM, MANAGER)
    fresh = not combinations.combinations(sessions, manager)
    if fresh:
        _mark_half(sessions, manager, folder)
        place = scenario(folder, today or now().astimezone().date())
        loaded = [_load(sessions, manager, practice) for practice in sorted(place.glob("*.laps.csv"))]
        # Whoever opens a running week's combination first finds its figures computed.
        for combination_id in loaded[-len(SERIES) :]:
            figures.summary(sessions, manager, combination_id)
        for path in sorted(place.glob("*.later.track.json")):
            tracks.add_track(sessions, manager, path.read_bytes())
        load_week(sessions, manager, place)
    accounts = _accounts(sessions, manager, folder)
    if fresh:
        by_role = {account.role: person_called(sessions, account.name) for account in accounts}
        coach, driver = by_role["coach"] or manager, by_role["driver"] or manager
        load_book(sessions, manager, coach, driver)
        load_setups(sessions, coach)
        load_runs(sessions, coach, driver)
        load_races(sessions, coach, driver, now())
        load_plan(sessions, coach, now())
        load_lessons(sessions, coach, driver)
        # Whoever opens the board first finds everybody's standing computed.
        board(sessions, manager, None, ZoneInfo("UTC"), now)
        _half(folder).unlink(missing_ok=True)
    return accounts


def _half(folder: Path) -> Path:
    return folder / "being-loaded.txt"


def _mark_half(sessions: sessionmaker[Session], manager: Actor, folder: Path) -> None:
    """Note on the disk that the demo is being loaded, before anything of it is there."""
    folder.mkdir(parents=True, exist_ok=True)
    with sessions() as session, _half(folder).open("w") as file:
        file.write(str(session.get_one(Team, manager.team_id).public_id))
        file.flush()
        os.fsync(file.fileno())


def take_out_half(sessions: sessionmaker[Session], folder: Path) -> bool:
    """Take a demo out whose loading was broken off: it is there whole or not at all. Nobody could work with it:
    nothing runs meanwhile.

    Returns:
        Whether there was one.
    """
    try:
        team_id = UUID(_half(folder).read_text())
    except (OSError, ValueError):
        return False
    with sessions() as session:
        key = session.scalar(select(Team.id).where(Team.public_id == team_id))
    if key is not None:
        with sessions() as session:
            members = set(session.scalars(select(Membership.person_id).where(Membership.team_id == key)))
            elsewhere = set(session.scalars(select(Membership.person_id).where(Membership.team_id != key)))
        remove_team(sessions, key)
        with sessions.begin() as session:
            session.execute(delete(Person).where(Person.id.in_(members - elsewhere)))
    _half(folder).unlink(missing_ok=True)
    return key is not None


def scenario(folder: Path, today: date, make: Callable[[date], League] = league) -> Path:
    """The folder with the scenario's files in the open formats; made where it isn't there, older ones are thrown away.

    Args:
        make: the simulator, which takes its time.
    """
    digest = hashlib.sha256(f"{SEED} {today}".encode())
    for source in sorted(Path(fleet_rival.__file__).parent.glob("simulator/*.py")):
        digest.update(source.read_bytes())
    place = folder / f"scenario-{digest.hexdigest()[:16]}"
    folder.mkdir(parents=True, exist_ok=True)
    # Of two who want it at once, one makes it.
    with (folder / "scenario.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not place.exists():
            _make(folder, place, make(today))
    return place


def _make(folder: Path, place: Path, made: League) -> None:
    for old in folder.glob("scenario-*"):
        shutil.rmtree(old)
    unfinished = folder / "unfinished"
    shutil.rmtree(unfinished, ignore_errors=True)
    unfinished.mkdir(parents=True)
    _write(made, unfinished)
    unfinished.rename(place)


def rig_token(folder: Path) -> str | None:
    """The token of the demo's stand-in rig."""
    place = folder / "rig-token.txt"
    return place.read_text() if place.exists() else None


def _write(made: League, folder: Path) -> None:
    for number, practice in enumerate(made.practices, 1):
        stem = f"{number:02d}-{practice.track.name}-{practice.track.layout}-{practice.car}".lower().replace(" ", "-")
        (folder / f"{stem}.track.json").write_bytes(write_track(practice.track))
        (folder / f"{stem}.laps.csv").write_bytes(
            write_laps([replace(lap, car=practice.car) for lap in practice.laps], practice.track)
        )
        if practice.traces:
            with (
                (folder / f"{stem}.telemetry.parquet").open("wb") as file,
                TelemetryWriter(file, tuple(practice.traces[0].channels)) as writer,
            ):
                for trace in practice.traces:
                    writer.add(trace)
    for later in made.tracks:
        (folder / f"{later.name}-{later.layout}.later.track.json".lower().replace(" ", "-")).write_bytes(
            write_track(later)
        )
    for series in {item.series.name: item.series for item in made.weeks}.values():
        weeks = [season_week(item) for item in made.weeks if item.series == series]
        (folder / f"{series.name.lower().replace(' ', '-')}.season.csv").write_bytes(write_season(weeks))
    (folder / "drivers.json").write_text(json.dumps([asdict(item) for item in made.free_time], indent=1))


def _load(sessions: sessionmaker[Session], manager: Actor, laps: Path) -> UUID:
    content = laps.read_bytes()
    layout = tracks.add_track(
        sessions, manager, laps.with_name(laps.name.replace(".laps.csv", ".track.json")).read_bytes()
    )
    car = content.split(b"\n", 2)[1].split(b",")[1].decode()
    combination = combinations.add_combination(sessions, manager, layout.id, car)
    file_id = files.upload(sessions, manager, combination.id, laps.name[3:], content)
    importing.confirm(sessions, manager, file_id, importing.Wishes(combination.revision))
    traces = laps.with_name(laps.name.replace(".laps.csv", ".telemetry.parquet"))
    if traces.exists():
        with traces.open("rb") as file:
            coming = uploads.begin_upload(sessions, manager, combination.id, traces.name[3:], traces.stat().st_size)
            uploads.add_piece(sessions, manager, coming.id, 0, file.read)
        imports.import_upload(sessions, manager, coming.id)
    return combination.id


def _accounts(sessions: sessionmaker[Session], manager: Actor, folder: Path) -> list[Account]:
    """The demo's people who can sign in; their passwords are made by chance for each installation."""
    place = folder / "accounts.json"
    try:
        known = {item["sign_in_name"]: item["password"] for item in json.loads(place.read_text()) if item["password"]}
    except (OSError, ValueError, KeyError):
        known = {}
    accounts = []
    for sign_in_name, name, role, driver in _SIGN_IN:
        with sessions() as session:
            driver_id = (
                session.scalar(select(Driver.id).where(Driver.team_id == manager.team_id, Driver.name == driver))
                if driver
                else None
            )
        person = person_called(sessions, name) or add_person(sessions, manager, name, role, driver_id)
        with sessions() as session:
            ready = session.get_one(Person, person.person_id).password_hash is not None
            fits = ready and sign_in_name in known and password_fits(session, person.person_id, known[sign_in_name])
        if not ready:
            known[sign_in_name] = "-".join(secrets.choice(_WORDS) for _ in range(4))
            give_password(sessions, person.person_id, sign_in_name, known[sign_in_name])
        # One that somebody changed since is theirs, and nobody else's to print or to set.
        accounts.append(Account(sign_in_name, known[sign_in_name] if fits or not ready else None, name, role))
    folder.mkdir(parents=True, exist_ok=True)
    _write_secret(place, json.dumps([asdict(account) for account in accounts], indent=1))
    if not rigs.rigs(sessions, manager):
        _write_secret(folder / "rig-token.txt", rigs.make_rig_token(sessions, manager, "Stand-in rig")[1])
    return accounts


def _write_secret(place: Path, text: str) -> None:
    with os.fdopen(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(text)
