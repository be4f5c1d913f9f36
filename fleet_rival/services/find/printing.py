"""A driver's report on paper: two pages, the same numbers as on the screen."""

from collections.abc import Iterable, Mapping
from datetime import date
from pathlib import Path
from typing import Any, Final
from uuid import UUID

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.times import format_time
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.services.find.sharing import driver_report_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.wording.driver_report import DriverReport, also_words, group_words, ladder_rows
from fleet_rival.wording.pace import SHARE_MEANING

__all__ = ["MOST_PAGES", "driver_pdf", "pages_of"]

MOST_PAGES: Final = 2
_SIZES_PT: Final = (9.2, 8.4, 7.6, 6.8)
"""Type sizes that are tried, until everything stands on two pages."""
_MOST_SEGMENTS: Final = (60, 40, 20)
"""How many segments are listed, and how many where so many don't fit."""
_MOST_RUNS: Final = 14
_MOST_POINTS: Final = 240
_WIDE, _HIGH, _LEFT, _FOOT = 720.0, 190.0, 62.0, 22.0


def driver_pdf(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
    units: Mapping[str, str] = DEFAULTS,
) -> bytes:
    """A driver's figures in a combination, as a PDF of two pages at most.

    Args:
        week_id, also: as in `find.summary`.
        units: in which quantities are told.

    Raises:
        NotThere: no such combination or driver, or not the actor's business.
    """
    report = driver_report_of(sessions, actor, combination_id, driver_id, week_id, also)
    document = pages_of(report, now().date(), units)
    made: bytes = document.write_pdf()
    return made


def pages_of(report: DriverReport, day: date, units: Mapping[str, str] = DEFAULTS) -> Any:
    """The report laid out on pages, in the largest type in which it needs two at most.

    Returns:
        WeasyPrint's document.
    """
    # Takes a second and 40 MB: only who prints pays for it.
    from weasyprint import CSS, HTML  # noqa: PLC0415

    segments = list(report.figures["segments"].items())
    page, facts = _page(), _facts(report, day)
    # First in smaller and smaller type; then with the costliest segments alone, said so, until it fits.
    tries = [
        *((size, _MOST_SEGMENTS[0]) for size in _SIZES_PT),
        *((_SIZES_PT[-1], most) for most in _MOST_SEGMENTS[1:]),
    ]
    for size, most in tries:
        costly = {code for code, _ in sorted(segments, key=lambda item: -(item[1]["mean_loss_us"] or 0))[:most]}
        listed = [(code, report.names.get(code) or "", part) for code, part in segments if code in costly]
        text = page.render(**facts, segments=listed, unlisted=len(segments) - len(listed))
        # Nothing is fetched from anywhere: all that it needs stands in the text.
        laid = HTML(string=in_units(text, units), url_fetcher=_nothing).render(
            stylesheets=[CSS(string=f"html {{ font-size: {size}pt }}")]
        )
        if len(laid.pages) <= MOST_PAGES:
            break
    return laid


def _facts(report: DriverReport, day: date) -> dict[str, Any]:
    """What the page is filled with, but for the segments."""
    return dict(
        report=report,
        pace=report.pace,
        figures=report.figures["figures"],
        alike=report.figures["figures"]["consistency"],
        missing=report.figures["missing"],
        group=group_words(report.figures["figures"]["group"]),
        also=also_words(report.also) if report.also else "",
        rungs=ladder_rows(report),
        share_meaning=SHARE_MEANING,
        runs=report.pace["runs"][-_MOST_RUNS:],
        left_out=max(0, len(report.pace["runs"]) - _MOST_RUNS),
        strip=_strip(report.pace),
        day=f"{day.day} {day:%B %Y}",
    )


def _nothing(url: str) -> Any:
    raise ValueError(f"{url} isn't fetched")


def _page() -> Any:
    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    environment.filters.update(
        time=lambda value: "–" if value is None else format_time(value),
        seconds=lambda value: "–" if value is None else f"{value / 1_000_000:.3f} s".replace("-", "−"),
        signed=lambda value: "–" if value is None else f"{value / 1_000_000:+.3f}".replace("-", "−"),
        share=lambda value: "–" if value is None else f"{value * 100:.0f} %".replace("-", "−"),
    )
    return environment.get_template("driver_report.html")


def _strip(pace: Mapping[str, Any]) -> dict[str, Any] | None:
    """Where the laps' points and the runs' trends lie in a picture: full points are clean laps, rings others."""
    total = sum(len(run["laps"]) for run in pace["runs"])
    if not total:
        return None
    # The latest runs, as many as can be told apart on paper; the last one at least.
    shown: list[Mapping[str, Any]] = []
    for run in reversed(pace["runs"]):
        if shown and sum(len(other["laps"]) for other in shown) + len(run["laps"]) > _MOST_POINTS:
            break
        shown.insert(0, run)
    laps = [(run, lap) for run in shown for lap in run["laps"]]
    counted = [lap["time_us"] for _, lap in laps if lap["clean"]] or [lap["time_us"] for _, lap in laps]
    low, high = min(counted), max(counted)
    room = max((high - low) * 0.08, 1000.0)
    low, high = low - room, high + room

    def x(place: float) -> float:
        return round(_LEFT + (_WIDE - _LEFT - 8) * (place + 0.5) / len(laps), 1)

    def y(value: float) -> float:
        # What lies beyond the scale stands at its edge.
        return float(round(_HIGH - _FOOT - (_HIGH - _FOOT - 8) * (min(max(value, low), high) - low) / (high - low), 1))

    lines, begins, place = [], [], 0
    for run in shown:
        begins.append((x(place - 0.5), f"{run['session']}·{run['run'] or ''}"))
        clean = [place + at for at, lap in enumerate(run["laps"]) if lap["clean"]]
        if run["line_us"] and clean:
            lines.append((x(clean[0]), y(run["line_us"][0]), x(clean[-1]), y(run["line_us"][1])))
        place += len(run["laps"])
    rungs = [low + (high - low) * share for share in (0.1, 0.5, 0.9)]
    return {
        "wide": _WIDE,
        "high": _HIGH,
        "left": _LEFT,
        "left_out": total - len(laps),
        "points": [(x(at), y(lap["time_us"]), lap["clean"]) for at, (_, lap) in enumerate(laps)],
        "lines": lines,
        "begins": begins if len(begins) <= 30 else [],
        "rungs": [(y(value), format_time(round(value / 1000) * 1000)) for value in rungs],
    }
