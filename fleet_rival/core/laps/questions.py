"""What only people can know of a lap: asked, never guessed in silence. Until somebody answers, the marks wait."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import sqrt
from statistics import median as middle

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap, asks
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD
from fleet_rival.core.times import MICROSECONDS

__all__ = ["Question", "questions"]


@dataclass(frozen=True, slots=True)
class Question:
    """One question about one lap."""

    kind: str
    index: int
    """Of the lap in the list that was judged."""
    corner: str | None = None
    """Where the time was lost, or where the contact was."""
    loss_us: int | None = None
    """Of `incident`: lost in that part. Of `damage`: lost a lap since."""
    laps: int = 1
    """Of `damage`: laps to the end of the run that would be driven with it."""


def questions(laps: Sequence[JudgedLap], settings: Settings) -> tuple[Question, ...]:
    """All open questions about one driver's laps, in the order of the laps.

    - `tow`: faster than the combination's solo floor.
    - `damage`: after a reported contact, the rest of the run (two flying laps at least) is slower by `ask_damage_pct`
      or more than it was before, and by more than the run scatters.
    - `incident`: a lap is spoiled and one single part took nearly all of it, `ask_incident_s` times the root of the lap
      in minutes or more.

    Args:
        laps: as `judge` returns them.

    >>> from fleet_rival.core.example import TRACK, lap
    >>> from fleet_rival.core.laps.marks import judge
    >>> laps = [lap(number, 4.0 * (number == 7)) for number in range(2, 15)]
    >>> [(item.kind, item.corner) for item in questions(judge(TRACK, laps, Settings()), Settings())]
    [('incident', 'T2')]
    """
    usual = _usual_times(laps)
    out: list[Question] = []
    for index, item in enumerate(laps):
        if asks(item.lap, settings):
            out.append(Question("tow", index))
        if (found := _suspected(index, item, usual, settings)) is not None:
            out.append(found)
        if (
            any(incident.what == "contact" for incident in item.lap.incidents)
            and "damage" not in item.lap.said
            and (found := _damage(index, laps, settings))
        ):
            out.append(found)
    return tuple(out)


def _parts(lap: Lap) -> Mapping[str, int]:
    return lap.segments or lap.sectors


def _usual_times(laps: Sequence[JudgedLap]) -> dict[tuple[object, str], float]:
    """The median time of each part on clean laps, by group."""
    times: dict[tuple[object, str], list[int]] = defaultdict(list)
    for item in laps:
        if item.clean:
            for code, time in _parts(item.lap).items():
                times[item.group, code].append(time)
    return {key: float(middle(values)) for key, values in times.items()}


def _suspected(
    index: int, item: JudgedLap, usual: Mapping[tuple[object, str], float], settings: Settings
) -> Question | None:
    """A lap that lost nearly everything in one part, of which nobody said what happened."""
    if "spoiled" not in item.marks or {"incident", "spoiled"} & item.lap.said.keys():
        return None
    losses = {
        code: time - usual[item.group, code] for code, time in _parts(item.lap).items() if (item.group, code) in usual
    }
    if len(losses) < 2:
        return None
    worst = max(losses, key=lambda code: losses[code])
    lost = sum(loss for loss in losses.values() if loss > 0)
    least = settings.ask_incident_s * MICROSECONDS * sqrt(item.lap.time_us / MICROSECONDS / 60)
    if losses[worst] < least or losses[worst] < 0.7 * lost or any(corner == worst for corner, _ in item.lap.mistakes):
        return None
    return Question("incident", index, worst, round(losses[worst]))


def _damage(index: int, laps: Sequence[JudgedLap], settings: Settings) -> Question | None:
    """Whether the rest of the run is slower since a contact."""
    hit = laps[index]
    before: list[int] = []
    after: list[int] = []
    for at, item in enumerate(laps):
        if (item.lap.session, item.lap.run) != (hit.lap.session, hit.lap.run) or not item.flying or at == index:
            continue
        if item.marks.keys() & {"practice_only", "yellow", "pit", "in_part", "cold", "cool", "carried", "incident"}:
            continue
        (before if at < index else after).append(item.lap.time_us)
    if len(before) < 2 or len(after) < 2:
        return None
    was, now = float(middle(before)), float(middle(after))
    scatter = MAD_TO_SD * float(middle([abs(time - was) for time in before]))
    loss = now - was
    if loss <= max(was * settings.ask_damage_pct / 100, 2 * scatter):
        return None
    corner = next(incident.corner for incident in hit.lap.incidents if incident.what == "contact")
    rest = sum(
        1
        for at, item in enumerate(laps)
        if at > index and (item.lap.session, item.lap.run) == (hit.lap.session, hit.lap.run) and item.flying
    )
    return Question("damage", index, corner, round(loss), rest)
