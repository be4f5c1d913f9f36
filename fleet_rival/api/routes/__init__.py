"""The routes, by step of the work: read the request, call one service, write the answer. Importing them hangs them on `api`."""

from fleet_rival.api.routes import drive, find, history, live, people, sign_in, week

__all__ = ["drive", "find", "history", "live", "people", "sign_in", "week"]
