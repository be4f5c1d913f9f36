"""The routes, by step of the work: read the request, call one service, write the answer. Importing them hangs them
on `api`.
"""

from fleet_rival.api.routes import find, fix, log, plan, race, track
from fleet_rival.api.routes.drive import files, live, runs, telemetry
from fleet_rival.api.routes.people import members, sign_in
from fleet_rival.api.routes.shared import exchange, history
from fleet_rival.api.routes.week import board, combinations, garage, season

__all__ = [
    "board",
    "combinations",
    "exchange",
    "files",
    "find",
    "fix",
    "garage",
    "history",
    "live",
    "log",
    "members",
    "plan",
    "race",
    "runs",
    "season",
    "sign_in",
    "telemetry",
    "track",
]
