"""What a service can answer instead of a result. Messages are sentences for people."""

__all__ = ["Conflict", "NotThere", "Refused", "ServiceError"]


class ServiceError(Exception):
    """Base of all; the message is one sentence or two."""


class NotThere(ServiceError):
    """The thing doesn't exist in this team."""


class Refused(ServiceError):
    """The input can't be used."""


class Conflict(ServiceError):
    """Something else stands in the way: it exists already, or it changed meanwhile."""
