"""What is said to somebody who has sat at the wheel for long, or whose laps tell that it is enough: friendly, about
laps, not about people.
"""

from typing import Final

from fleet_rival.core.pace.stop import Stop

__all__ = ["better_words", "limit_words", "stop_words"]

_BROKEN_OFF: Final = "A run that is broken off is no failure."


def limit_words(minutes: float, limit: float, pause: float) -> str:
    """Who is beyond the seat limit."""
    return (
        f"{minutes:.0f} minutes at the wheel; the limit is {limit:.0f}. Finish the lap, get up, and take {pause:.0f} "
        "minutes."
    )


def stop_words(stop: Stop) -> str:
    """What the laps tell, in one sentence."""
    if stop.kind == "nothing_more":
        gained = max(0.0, 100 * (stop.slower or 0.0))
        return f"The last {stop.laps} laps brought {gained:.2f} %: more of the same brings next to nothing now."
    parts = []
    if stop.slower is not None and stop.slower > 0:
        parts.append(f"{100 * stop.slower:.1f} % slower than before")
    if stop.slips:
        parts.append(f"{'a slip' if stop.slips == 1 else f'{stop.slips} slips'} in {stop.laps} laps")
    return f"The last laps look like tiredness: {' and '.join(parts) or 'slower than before'}."


def better_words(next_block: str | None, *, tired: bool) -> str:
    """The better use of the time that is left."""
    if tired:
        after = f" Then: {next_block}." if next_block else ""
        return f"Better now: a break, and a look at the laps with somebody.{after} {_BROKEN_OFF}"
    return (
        f"Better now: {next_block}."
        if next_block
        else "Better now: look at where the time is lost, and work on one corner."
    )
