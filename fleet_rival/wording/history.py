"""Why something that was changed can't be taken back as it stands."""

__all__ = ["last_of", "not_turned"]


def not_turned(summary: str, why: str) -> str:
    """
    Args:
        summary: of the change, as the history tells it.

    >>> not_turned("Changed the target", "it was changed since")
    "“Changed the target” can't be turned round: it was changed since."
    """
    return f"“{summary}” can't be turned round: {why}."


def last_of(name: str, summary: str) -> str:
    """Whose change stands in the way, to go behind it.

    >>> last_of("Maren Holloway", "Changed the target")
    ' Maren Holloway did the last: Changed the target. Take that back first, or change it by hand.'
    """
    return f" {name} did the last: {summary}. Take that back first, or change it by hand."
