"""What a service can answer instead of a result. Messages are sentences for people."""

from typing import Any

__all__ = ["Conflict", "NoRoom", "NotThere", "Outdated", "Refused", "ServiceError", "TooMany"]


class ServiceError(Exception):
    """Base of all; the message is one sentence or two."""


class NotThere(ServiceError):
    """The thing doesn't exist in this team."""


class Refused(ServiceError):
    """The input can't be used."""


class Conflict(ServiceError):
    """Something else stands in the way: it exists already, or it changed meanwhile."""


class Outdated(Conflict):
    """The row has another version than the one that the person looked at."""

    current: Any = None
    """How it is now, where whoever answers has put it."""


class NoRoom(ServiceError):
    """The disk, or a team's or person's share of it, is used up."""


class TooMany(ServiceError):
    """Tried too often; `wait_seconds` says when again."""

    def __init__(self, message: str, wait_seconds: int) -> None:
        super().__init__(message)
        self.wait_seconds = wait_seconds
