"""The ladder from the best lap to the ideals, in words."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.analysis import GroupAnalysis
from fleet_rival.core.ideals import Ideal, PartTime, TeamIdeal
from fleet_rival.core.times import format_time
from fleet_rival.core.track import Track

__all__ = ["Rung", "RungPart", "ladder"]

_TITLES: Final = {
    "best": ("Best lap", "The fastest lap that counts as one."),
    "unbroken": (
        "Unbroken circuit",
        "A full circuit driven without a break, wherever it starts: proof, not arithmetic.",
    ),
    "sector": ("Sector ideal", "The best sectors added up."),
    "linked_race": ("Linked ideal, race", "Laps joined only where they fit, and the end allows the next start."),
    "linked_qualifying": ("Linked ideal, qualifying", "Laps joined only where they fit; the lap may end anyhow."),
    "segment": ("Segment ideal", "The best segments added up, whether or not they fit together."),
    "team": ("Team ideal", "Each segment's best from anybody in the team, in the same car and conditions."),
}


@dataclass(frozen=True, slots=True)
class RungPart:
    """A part of a rung and the lap that it came from."""

    code: str
    time_us: int
    driver: str | None
    """Named on the team's rung alone."""
    session: str
    run: int
    lap: int


@dataclass(frozen=True, slots=True)
class Rung:
    """One rung: a time, how far it lies below the rung above, what that step means, and where it came from."""

    name: str
    title: str
    meaning: str
    time_us: int | None
    step_us: int | None
    step_words: str
    parts: tuple[RungPart, ...]


def ladder(track: Track, group: GroupAnalysis, team: TeamIdeal | None) -> list[Rung]:
    """The rungs of one driver in one group, from the best lap down.

    Args:
        team: the team ideal of the same group; None where the driver's group is another one.
    """
    names = ["best", "unbroken", "sector", "linked_race", "linked_qualifying", "segment", *(["team"] if team else [])]
    rungs: list[Rung] = []
    above: int | None = None
    for name in names:
        time, parts, reason = _rung(name, group, team)
        step = time - above if time is not None and above is not None else None
        words = _step_words(name, step, group, track, parts) if time is not None else f"Can't be told: {reason}."
        rungs.append(Rung(name, *_TITLES[name], time, step, words, tuple(parts)))
        above = time if time is not None else above
    return rungs


def _rung(name: str, group: GroupAnalysis, team: TeamIdeal | None) -> tuple[int | None, Sequence[RungPart], str]:
    if name == "best":
        best = group.best
        if best is None:
            return None, (), "no lap that may be the best one"
        return best.time_us, [RungPart("lap", best.time_us, None, best.session, best.run or 0, best.number)], ""
    if name == "team":
        assert team is not None
        parts = [
            RungPart(part.code, part.time_us, part.lap.driver, part.lap.session, part.lap.run or 0, part.lap.number)
            for part in team.parts
        ]
        time = team.segment_us if team.segment_us is not None else team.sector_us
        return time, parts, "no part times from everybody needed"
    ideals: Mapping[str, Ideal] = group.ideals.values
    if name not in ideals:
        return None, (), group.ideals.reasons.get(name, "not known")
    return ideals[name].time_us, [_part(part) for part in ideals[name].parts], ""


def _part(part: PartTime) -> RungPart:
    return RungPart(part.code, part.time_us, None, part.lap.session, part.lap.run or 0, part.lap.number)


def _step_words(name: str, step: int | None, group: GroupAnalysis, track: Track, parts: Sequence[RungPart]) -> str:
    if name == "best":
        return f"Out of {group.counts['flying']} flying laps."
    if step is None:
        return ""
    seconds = f"{format_time(abs(step))} s"
    laps = len({(part.driver, part.session, part.run, part.lap) for part in parts})
    if name == "unbroken":
        if step > 0:
            return f"{seconds} above the best lap, parts of which don't count."
        return (
            "The best lap itself."
            if step == 0
            else f"{seconds} that were driven already, only from {parts[0].code} across the line."
        )
    if name == "sector":
        return "Nothing to gain by joining sectors." if step >= 0 else f"{seconds} by joining sectors of {laps} laps."
    if name == "linked_race":
        if step > 0:
            return (
                f"{seconds} above: what is joined at sector lines can't all be had, or the best lap could not be "
                "repeated at once."
            )
        return (
            "No step: the laps that fit are the same."
            if step == 0
            else f"{seconds} by joining {laps} laps where they fit."
        )
    if name == "linked_qualifying":
        return (
            "No step: the end costs the next start nothing."
            if step == 0
            else f"{seconds} by an end that the next lap would pay for."
        )
    if name == "segment":
        return _paper_words(step, seconds, track, parts)
    owners = len({part.driver for part in parts})
    return "The driver owns every best part." if step == 0 else f"{seconds} that {owners} drivers show to be possible."


def _paper_words(step: int, seconds: str, track: Track, parts: Sequence[RungPart]) -> str:
    """Why the segment ideal is only on paper: which linked corners it takes from different laps."""
    if step == 0:
        return "Nothing is only on paper: the best segments fit together."
    lap_of = {part.code: (part.session, part.run, part.lap) for part in parts}
    codes = [corner.code for corner in track.corners]
    split = [
        f"{corner.code} and {codes[(index + 1) % len(codes)]}"
        for index, corner in enumerate(track.corners)
        if corner.linked_to_next and lap_of.get(corner.code) != lap_of.get(codes[(index + 1) % len(codes)])
    ]
    if not split:
        return f"{seconds} on paper only."
    return f"{seconds} on paper only: {', '.join(split)} can't both be had."
