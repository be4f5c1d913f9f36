"""`./fleet team`: another team in this installation, or another manager for one that is there."""

import argparse
import os
from pathlib import Path

from fleet_rival.runtime.console import Failure, say
from fleet_rival.runtime.mariadb import database_of
from fleet_rival.runtime.processes import recorded

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", help='of the team, e.g. "Farhaven Racing"')


def run(arguments: argparse.Namespace) -> int:
    from fleet_rival.db.migrate import upgrade
    from fleet_rival.db.session import make_engine, make_sessions
    from fleet_rival.services.people.team import team_link

    name = " ".join(arguments.name.split())
    if not 1 <= len(name) <= 120:
        raise Failure("give the team a name of 1 to 120 characters.")
    var = Path(os.environ["FLEET_HOME"]) / "var"
    with database_of(var) as database:
        upgrade(database.url)
        engine = make_engine(database.url)
        try:
            token = team_link(make_sessions(engine), name)
        finally:
            engine.dispose()
    say(
        f"A manager of {name} comes in by this link. It works once, for a week: "
        f"{recorded(var)[0] or ''}/welcome#{token}"
    )
    return 0
