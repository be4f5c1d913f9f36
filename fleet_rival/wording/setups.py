"""What runs with a setup told."""

__all__ = ["run_told"]


def run_told(session: str, run: int | None, note: str | None) -> str:
    """
    >>> run_told("3", 2, None)
    'Session 3, run 2: handling noted on its sheet'
    """
    return f"Session {session}, run {run}: {note or 'handling noted on its sheet'}"
