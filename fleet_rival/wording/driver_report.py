"""A driver's report: what stands in it, in words, for paper and for a chat."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from fleet_rival.core.times import format_time

__all__ = [
    "ALSO_WORDS",
    "MOST_LINES",
    "DriverReport",
    "also_words",
    "costly_parts",
    "group_words",
    "ladder_rows",
    "report_lines",
]

MOST_LINES: Final = 15
ALSO_WORDS: Final = {
    "tow": "tow laps",
    "cold": "cold laps",
    "practice_only": "laps driven to learn or to try",
    "hand_timed": "times taken by hand",
}
"""What counts along, though it doesn't by default."""


@dataclass(frozen=True, slots=True)
class DriverReport:
    """What a report is made of.

    Attributes:
        driver, place, car: names.
        names: name of each segment's corner by code.
        figures: the driver in the combination's figures: `figures`, `ladder`, `segments`, `missing`.
        pace: the driver's pace: as its view gets it.
        also: after `ALSO_WORDS`: what counts along.
    """

    driver: str
    place: str
    car: str
    names: Mapping[str, str | None]
    figures: Mapping[str, Any]
    pace: Mapping[str, Any]
    also: Sequence[str] = ()


def report_lines(report: DriverReport) -> list[str]:
    """The report as at most 15 lines of plain text, for a chat."""
    pace, figures = report.pace, report.figures["figures"]
    laps, alike, ideal = figures["laps"], figures["consistency"], figures["ideal"]
    lines = [f"{report.driver}: {report.place}, {report.car} ({group_words(figures['group'])})", pace["surer"]]
    if report.also:
        lines.append(also_words(report.also))
    lines.append(
        f"Best lap {_time(figures['best_us'])}; {laps['clean']} of {laps['eligible']} laps that could be were clean."
    )
    if ideal["linked_qualifying_us"] is not None:
        paper = f"; on paper {_time(ideal['segment_us'])}" if ideal["segment_us"] is not None else ""
        lines.append(
            f"Ideal: {_time(ideal['linked_qualifying_us'])} for qualifying, {_time(ideal['linked_race_us'])} lap after "
            f"lap{paper}."
        )
    if alike["adjusted_sd_us"] is not None:
        within = (
            f", {alike['within_half_pct'] * 100:.0f} % within 0.5 %" if alike["within_half_pct"] is not None else ""
        )
        lines.append(f"Median {_time(alike['median_us'])}, spread {alike['spread_pct']:.2f} %{within}.")
    lines += pace["share_words"][:1]
    lines += pace["falloff_words"][:2]
    lines += [line for line in (_likely(pace),) if line]
    lines.append(pace["learning"]["words"])
    costly = costly_parts(report)[:3]
    if costly:
        lines.append(
            "Most time goes at " + ", ".join(f"{name} ({loss / 1_000_000:.2f} s a lap)" for name, loss in costly) + "."
        )
    if shown := pace["lap_to_show"]:
        lines.append(
            f"Lap to show: session {shown['session']}, run {shown['run']}, lap {shown['lap']} "
            f"({_time(shown['time_us'])})."
        )
    lines += [f"Option {option['where']}: for the race {option['race']}" for option in pace["options"][:2]]
    return lines[:MOST_LINES]


def _likely(pace: Mapping[str, Any]) -> str | None:
    best_of = next(
        (item for item in pace["figures"]["best_of"] or () if item["laps"] == 3 and item["p50_us"] is not None), None
    )
    if best_of is None:
        return None
    odds = next((item["share"] for item in pace["odds"] or () if item["laps"] == 3), None)
    target = f"; odds of the target of {_time(pace['target_us'])}: {odds * 100:.0f} %" if odds is not None else ""
    return f"Best of three laps, as often as not: {_time(best_of['p50_us'])}{target}."


def costly_parts(report: DriverReport) -> list[tuple[str, int]]:
    """Segments by mean loss against the driver's own reference, the dearest first."""
    known = [(code, part["mean_loss_us"]) for code, part in report.figures["segments"].items() if part["mean_loss_us"]]
    return [
        (f"{code} {name}" if (name := report.names.get(code)) else code, loss)
        for code, loss in sorted(known, key=lambda item: -item[1])
    ]


def ladder_rows(report: DriverReport) -> list[tuple[str, str, str, str]]:
    """Title, time, step and words of each rung."""
    return [
        (
            rung["title"],
            _time(rung["time_us"]),
            "" if rung["step_us"] is None else f"{rung['step_us'] / 1_000_000:+.3f}".replace("-", "−"),
            rung["step_words"],
        )
        for rung in report.figures["ladder"]
    ]


def group_words(group: Mapping[str, Any]) -> str:
    """Race or practice, weather and tyres of a group of laps."""
    compound = f"{group['compound']} tyres" if group["compound"] else None
    return ", ".join(filter(None, ("race" if group["race"] else "practice", group["wetness"], compound)))


def also_words(also: Sequence[str]) -> str:
    """What counts along in these figures."""
    return f"Counted along here: {', '.join(ALSO_WORDS[name] for name in also)}."


def _time(value_us: int | None) -> str:
    return "–" if value_us is None else format_time(value_us)
