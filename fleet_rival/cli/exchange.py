"""`./fleet export` and `./fleet import`: a whole team's data as an exchange package, out and in again."""

import argparse
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.runtime.console import Failure, say
from fleet_rival.runtime.mariadb import database_of

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    if parser.prog.endswith("import"):
        parser.add_argument("file", type=Path, help="an exchange package")
        return
    parser.add_argument("--to", type=Path, help="file or folder to write to (default: var/packages)")
    parser.add_argument("--team", help="which team, where there are several")
    parser.add_argument(
        "--week",
        action="append",
        metavar="SERIES:NUMBER",
        help="only what belongs to this week; may be given several times",
    )
    parser.add_argument("--telemetry", action="store_true", help="traces too, of which the files are large")


def run(arguments: argparse.Namespace) -> int:
    with _sessions() as sessions:
        return _bring(sessions, arguments.file) if arguments.command == "import" else _export(sessions, arguments)


@contextmanager
def _sessions() -> Iterator[sessionmaker[Session]]:
    from fleet_rival.db.migrate import upgrade
    from fleet_rival.db.session import make_engine, make_sessions
    from fleet_rival.telemetry.store import telemetry_place

    var = Path(os.environ["FLEET_HOME"]) / "var"
    os.environ["FLEET_TELEMETRY"] = telemetry_place(var)
    with database_of(var) as database:
        upgrade(database.url)
        engine = make_engine(database.url)
        try:
            yield make_sessions(engine)
        finally:
            engine.dispose()


def _export(sessions: sessionmaker[Session], arguments: argparse.Namespace) -> int:
    from fleet_rival.services.exchange.export import export_team, package_name

    actor, name = _team(sessions, arguments.team)
    weeks = None if not arguments.week else [_week(sessions, actor, text) for text in arguments.week]
    place = arguments.to or Path(os.environ["FLEET_HOME"]) / "var" / "packages"
    if place.is_dir() or not place.suffix:
        place.mkdir(parents=True, exist_ok=True)
        place = place / package_name(name, now())
    unfinished = place.with_name(place.name + ".unfinished")
    try:
        with unfinished.open("wb") as file:
            told = export_team(sessions, actor, file, weeks, telemetry=arguments.telemetry)
        unfinished.replace(place)
    finally:
        unfinished.unlink(missing_ok=True)
    say(f"{name}: {told:,} rows, {place.stat().st_size / 1e6:.1f} MB in {place}")
    return 0


def _team(sessions: sessionmaker[Session], name: str | None) -> tuple[Any, str]:
    """Somebody who may take a team's data along, and the team's name."""
    from fleet_rival.db.tables import Membership, Team
    from fleet_rival.services.shared.base import Actor

    with sessions() as session:
        teams = list(session.scalars(select(Team).order_by(Team.id)))
        chosen = [team for team in teams if name is None or team.name == name]
        if len(chosen) != 1:
            there = ", ".join(team.name for team in teams) or "none"
            raise Failure(f"say which team with --team; there are: {there}.")
        manager = session.scalars(
            select(Membership).where(Membership.team_id == chosen[0].id).order_by(Membership.id).limit(1)
        ).first()
        return Actor(chosen[0].id, manager.person_id if manager else 0, "manager"), chosen[0].name


def _week(sessions: sessionmaker[Session], actor: Any, text: str) -> Any:
    from fleet_rival.services.week.rows import load_weeks

    series, _, number = text.rpartition(":")
    with sessions() as session:
        for item in load_weeks(session, actor):
            if item.facts.series == series and str(item.facts.week) == number:
                return item.row.public_id
    raise Failure(f'there is no week {text}: write the series and the number, e.g. "Harbour Spark Cup:3".')


def _bring(sessions: sessionmaker[Session], file: Path) -> int:
    from fleet_rival.services.exchange.bring import bring_team
    from fleet_rival.services.exchange.let_in import let_in
    from fleet_rival.services.shared.errors import ServiceError

    try:
        with file.open("rb") as package:
            brought = bring_team(sessions, package)
    except OSError as error:
        raise Failure(f"{file} can't be read: {error.strerror or error}.") from error
    except ServiceError as error:
        raise Failure(str(error)) from error
    say(f"{brought.name} came in with {brought.rows:,} rows.")
    # Packages hold no way in: whoever runs the installation hands these on.
    for way in let_in(sessions, brought.members, brought.newcomers):
        say(
            f"  {way.name}, {way.role}, signs in as {way.sign_in_name} with {way.password}, to be changed under "
            "Account."
        )
    return 0
