"""A race afterwards in plain sentences: what was expected, what came, and what there is to be learned from it."""

from collections.abc import Sequence
from typing import Final

from fleet_rival.core.corners.season import SeasonMistake
from fleet_rival.core.race.afterwards import Calibration, Compared, CornerPressure, Repeated
from fleet_rival.core.times import format_time
from fleet_rival.core.units import measure
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = [
    "FIGURE_WORDS",
    "calibration_words",
    "compared_words",
    "consumption_lesson",
    "corner_words",
    "falloff_lesson",
    "incident_lesson",
    "mistakes_words",
    "pace_lesson",
    "season_words",
]

FIGURE_WORDS: Final = {
    "qualifying_us": "qualifying lap",
    "race_lap_us": "mean lap of the race",
    "falloff_us": "falloff a lap",
    "fuel_l": "fuel a lap",
    "energy_kwh": "energy a lap",
    "slips": "laps with a slip",
    "strikes": "strikes",
}


def _value(figure: str, value: float) -> str:
    if figure in ("qualifying_us", "race_lap_us"):
        return format_time(round(value))
    if figure == "falloff_us":
        return f"{value / 1e6:.3f} s".replace("-", "−")
    if figure in ("fuel_l", "energy_kwh"):
        return measure("volume", value, 2) if figure == "fuel_l" else f"{value:.2f} kWh"
    return f"{value:.0f}" if value == round(value) else f"{value:.1f}"


def compared_words(item: Compared) -> str:
    """A figure before and after, in one sentence."""
    what, before = FIGURE_WORDS[item.figure], item.expected
    head = f"{what[:1].upper()}{what[1:]}: {_value(item.figure, item.happened)}"
    around = f"{_value(item.figure, before.low)} to {_value(item.figure, before.high)}"
    if item.inside:
        return f"{head}, as expected ({around})."
    side = "more than" if item.happened > before.high else "less than"
    if item.figure.endswith("lap_us") or item.figure == "qualifying_us":
        side = "slower than" if item.happened > before.high else "faster than"
    return f"{head}, {side} expected ({around})."


def corner_words(item: CornerPressure, name: str | None) -> str:
    """A corner in practice and in the race."""
    where = f"{item.corner} {name}" if name else item.corner
    told = (
        f"{item.race_slips} of {item.race_passes} passes in the race, {item.practice_slips} of {item.practice_passes} "
        "in practice"
    )
    if not item.told:
        return f"{where}: {told}, which may be chance."
    return f"{where} went wrong {'more' if item.more else 'less'} often in the race: {told}."


def calibration_words(item: Calibration) -> str:
    """How good what was expected of one figure was."""
    what = FIGURE_WORDS[item.figure]
    races = "race" if item.races == 1 else "races"
    told = (
        f"{what[:1].upper()}{what[1:]}: {item.inside} of {item.races} {races} came within what practice foretold; "
        f"{item.due:.1f} should have."
    )
    if item.odd:
        told += " The intervals are too narrow." if item.inside < item.due else " The intervals are too wide."
    if item.off is not None and abs(item.shift) >= 5e-5:
        more = "more" if item.off > 0 else "less"
        told += (
            f" On average it was {abs(100 * item.off):.2f} % {more}; {abs(100 * item.shift):.2f} % {more} is taken "
            "into account."
        )
    return told


def consumption_lesson(item: Compared) -> str:
    """What a race teaches of consumption."""
    off = 100 * (item.happened / item.expected.value - 1)
    return (
        f"A lap of the race uses {_value(item.figure, item.happened)}, {abs(off):.0f} % "
        f"{'more' if off > 0 else 'less'} than practice tells"
    )


def falloff_lesson(item: Compared) -> str:
    """What a race teaches of the tyres."""
    return (
        f"Tyres fall off {_value(item.figure, item.happened)} a lap in the race; practice told "
        f"{_value(item.figure, item.expected.value)}"
    )


def pace_lesson(item: Compared) -> str:
    """What a race teaches of pace."""
    slower = (item.happened - item.expected.value) / 1e6
    what = "The lap of qualifying" if item.figure == "qualifying_us" else "A lap of the race"
    return f"{what} is {abs(slower):.2f} s {'slower' if slower > 0 else 'faster'} than practice tells"


def incident_lesson(again: Repeated, name: str | None) -> str:
    """What incidents of several starts teach."""
    where = f"{again.corner} {name}" if name else again.corner
    word, first = MISTAKE_WORDS[again.what], " on the first lap" if again.at_start else ""
    return f"{word[:1].upper()}{word[1:]} at {where}{first} in {len(again.laps)} of {again.of} starts"


def season_words(series: str, weeks: Sequence[tuple[float | None, float | None, float | None]]) -> str:
    """A driver's weeks of a series in one sentence, which speaks of laps.

    Args:
        weeks: spread in per cent, clean rate and gap in per cent of each, in order; None: not known.
    """
    told = []
    for place, (what, digits, by) in enumerate(
        (("spread", 2, 1.0), ("clean rate", 0, 100.0), ("gap to the target", 2, 1.0))
    ):
        known = [by * value for week in weeks if (value := week[place]) is not None]
        if len(known) > 1:
            told.append(f"{what} {known[0]:.{digits}f} → {known[-1]:.{digits}f} %".replace("-", "−"))
    return f"{series}, {len(weeks)} weeks: {', '.join(told) or 'too few clean laps tell'}."


def mistakes_words(mistakes: Sequence[SeasonMistake]) -> list[str]:
    """What was closed and what came again; what has no known cause is neither."""
    out = []
    for state, words in (("closed", "Closed"), ("returned", "Came again")):
        if named := [MISTAKE_WORDS[item.kind] for item in mistakes if item.state == state and item.kind != "other"]:
            out.append(f"{words}: {', '.join(named)}.")
    return out
