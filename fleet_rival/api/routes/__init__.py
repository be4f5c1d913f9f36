"""The routes, by step of the work: read the request, call one service, write the answer. Importing them hangs them on `api`."""

from fleet_rival.api.routes import board, drive, find, fix, garage, history, live, people, plan, race, runs, season, sign_in, telemetry, track, week

__all__ = [
    "board",
    "drive",
    "find",
    "fix",
    "garage",
    "history",
    "live",
    "people",
    "plan",
    "race",
    "runs",
    "season",
    "sign_in",
    "telemetry",
    "track",
    "week",
]
