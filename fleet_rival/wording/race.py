"""The race sheet in short sentences; the five that matter are marked for the seat."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Any, Final

from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.core.times import format_time
from fleet_rival.core.units import measure
from fleet_rival.wording.book import lane_words
from fleet_rival.wording.clinic import seconds

__all__ = [
    "PARTS",
    "Line",
    "opening_words",
    "plan_words",
    "sheet_lines",
    "sheet_title",
]

PARTS: Final = {
    "remember": "Remember",
    "qualifying": "Qualifying",
    "start": "Start",
    "distance": "Distance and consumption",
    "tyres": "Tyres and stops",
    "lanes": "Lanes by phase of the race",
    "passing": "Where to pass, where to yield",
    "limits": "Limits",
    "pits": "Pit lane",
    "others": "Others",
    "learned": "Learned before",
}
_RISKS: Final = {"low": "little risk", "medium": "some risk", "high": "much risk"}
_NEAR: Final = 0.4
_LITTLE: Final = 0.05
_TENTH_US: Final = 1e5
_SIDES: Final = {"left": "on the left", "right": "on the right", "either": "on either side"}


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the sheet.

    Attributes:
        part: after `PARTS`.
        seat: one of those that stand on the page for the seat.
    """

    part: str
    words: str
    seat: bool = False


def plan_words(stints: Sequence[Mapping[str, Any]]) -> str:
    """A plan of stints in words: compound and laps of each, equal ones that follow each other together."""
    counted = [
        (words, len(list(same)))
        for words, same in groupby(f"{stint['laps']} laps {stint['compound']}" for stint in stints)
    ]
    return " – ".join(f"{count} × {words}" if count > 1 else words for words, count in counted)


def sheet_lines(
    figures: Mapping[str, Any],
    facts: SeriesWeek,
    corners: Sequence[Mapping[str, Any]],
    first: str | None,
    most_corners: int,
    learned: Sequence[str] = (),
    lane: Mapping[str, Any] | None = None,
) -> tuple[Line, ...]:
    """All lines, in the order of the day.

    Args:
        figures: after `services.race.ahead.figures_of`.
        corners: code, name, lanes, passing and limits, those that matter most first.
        first: the first of the week's three, as a sentence.
        learned: what was learned before and comes back.
        lane: `limit_kmh`, `entry_note` and `exit_note` of the pit lane, where the track book has them.
    """
    wish = figures["wish"]
    out = [Line("remember", wish["remember"], seat=True)] if wish["remember"] else []
    if first and not wish["remember"]:
        out.append(Line("remember", first, seat=True))
    out += _qualifying(figures)
    if facts.start or facts.grid:
        told = [
            f"{facts.start} start" if facts.start else "",
            f"grid of {facts.grid}" if facts.grid else "",
            "cautions" if facts.cautions else "",
        ]
        out.append(Line("start", _sentence(", ".join(filter(None, told)))))
    if figures["qualifying"] and figures["qualifying"]["cold_laps"]:
        cold = figures["qualifying"]["cold_laps"]
        out.append(
            Line("start", f"Tyres are cold for {cold} {'lap' if cold == 1 else 'laps'}: cold references.", seat=True)
        )
    # Where somebody tried it on purpose, that decides.
    if (told := figures["opening"]) and told["verdict"] and not told["tried"]:
        out.append(Line("start", told["words"]))
    out += [
        *_distance(figures),
        *_tyres(figures),
        *_lanes(corners, most_corners),
        *_passing(corners, most_corners),
        *_limits(figures, corners, most_corners),
    ]
    lane = lane or {}
    pit = wish["pit_s"]
    if figures["stops"] and any(len(plan["stints"]) > 1 for plan in figures["stops"]["plans"][:1]):
        out.append(
            Line(
                "pits",
                (
                    f"A stop costs {pit:.1f} s over driving on. Limiter before the line; the lane’s limit holds to its "
                    "end."
                ),
            )
        )
    if lane.get("limit_kmh"):
        out.append(Line("pits", f"{measure('speed', lane['limit_kmh'])} in the lane."))
    for name, what in (("entry_note", "In"), ("exit_note", "Out")):
        if lane.get(name):
            out.append(Line("pits", f"{what}: {_ended(lane[name])}"))
    if wish["early"]:
        out.append(Line("others", wish["early"]))
    out += [Line("learned", _ended(words)) for words in learned]
    return tuple(out)


def opening_words(told: Mapping[str, Any]) -> str:
    """Push or save at the start in words; said of a tenth of a second, as nobody wins a whole one on a lap.

    Args:
        told: after `core.race.opening`, with `first`, the laps that count as the start.
    """
    even, won = seconds(told["even"] * _TENTH_US, 3), f"0.1 s won on each of the first {told['first']} laps"
    if told["cost"] is None:
        later = f"each of the {told['laps'] - told['first']} later ones"
        pays = f"Push or save at the start: {won} may cost {even} on {later} before it is lost again"
        return f"{pays}. Practice doesn’t tell what it costs: {told['reason']}."
    cost = seconds(max(0.0, told["cost"]) * _TENTH_US, 3)
    measured = f"{won} cost {cost} on each later one ({told['runs']} runs); up to {even} pays"
    if told["verdict"] is None:
        return f"Push or save at the start is open: {measured}, but {told['reason']}."
    return f"{'Push from the start' if told['verdict'] == 'push' else 'Save at the start'}: {measured}."


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}." if words else words


def _time(value: float) -> str:
    return format_time(round(value))


def _qualifying(figures: Mapping[str, Any]) -> list[Line]:
    told = figures["qualifying"]
    if not told:
        return []
    laps = f"{told['laps']} {'lap' if told['laps'] == 1 else 'laps'}"
    out = [Line("qualifying", f"{laps}: out lap, then the safe one ({_time(told['safe_us'])}), then risk.", seat=True)]
    if told["likely_us"] is not None:
        out.append(Line("qualifying", f"The best of them is likely {_time(told['likely_us'])}."))
    if told["odds"] is not None and figures["target_us"] is not None:
        first = f", {100 * told['odds_first']:.0f} % with the first one alone" if told["laps"] > 1 else ""
        out.append(
            Line(
                "qualifying",
                (
                    f"The target {_time(figures['target_us'])} comes in {100 * told['odds']:.0f} % of such "
                    f"sessions{first}."
                ),
            )
        )
    if told["odds_tow"] is not None:
        out.append(
            Line(
                "qualifying",
                (
                    f"A tow is worth {seconds(told['tow_us'])}; with one the target comes in "
                    f"{100 * told['odds_tow']:.0f} %."
                ),
            )
        )
    for option in figures["options"]:
        if option["qualifying"]:
            out.append(
                Line(
                    "qualifying",
                    (
                        f"After the safe lap, {'all lap' if option['where'] == 'lap' else option['where']}: "
                        f"{_ended(option['qualifying'])}"
                    ),
                )
            )
    return out


def _ended(words: str) -> str:
    return words if words.endswith((".", "!", "?")) else f"{words}."


def _distance(figures: Mapping[str, Any]) -> list[Line]:
    out = []
    if distance := figures["distance"]:
        close = "; one more or less is close" if distance["close"] else ""
        # Where a plan of stints stands on the seat's page, it says how many laps there are.
        planned = bool(figures["stops"] and figures["stops"]["plans"])
        out.append(Line("distance", f"{distance['laps']} laps{close}.", seat=not planned))
    if used := figures["consumption"]:
        risk, unit = 100 * figures["wish"]["risk"], used["unit"]
        margin = (
            f"{_load(used['margin'], 1, unit)} of it so that it runs out in {risk:.0f} of 100 races"
            if used["margin"] >= _LITTLE
            else "laps hardly differ in it"
        )
        if stops := used["filled_at_stops"]:
            filled = "filled at the stop" if stops == 1 else f"filled at the {stops} stops"
            whole = f"{_load(used['start'], 1, unit)} in all, {_load(used['per_lap'], 2, unit)} a lap"
            out.append(
                Line(
                    "distance", f"Start with a full tank, {_load(used['tank'], 0, unit)}, {filled}: {whole}.", seat=True
                )
            )
        else:
            out.append(
                Line(
                    "distance",
                    f"Start with {_load(used['start'], 1, unit)}: {_load(used['per_lap'], 2, unit)} a lap, {margin}.",
                    seat=True,
                )
            )
        if used["saving_needed"] and not stops:
            # A battery isn't filled in the pits.
            what, instead = ("tank", ", or stop") if unit == "l" else ("battery", "")
            out.append(
                Line(
                    "distance",
                    (
                        f"The {what} holds {_load(used['tank'], 0, unit)}: save {100 * used['saving_needed']:.0f} % a "
                        f"lap{instead}."
                    ),
                )
            )
    if own := figures["own_race"]:
        slips = f"{own['slips']:.1f} slips; one less is worth {seconds(own['one_less_us'])}"
        out.append(Line("distance", f"Your race takes about {_time(own['median_us'])}, with {slips}."))
    return out


def _load(value: float, decimals: int, unit: str) -> str:
    """Fuel in whatever unit its reader has; energy in the one there is."""
    return measure("volume", value, decimals) if unit == "l" else f"{value:.{decimals}f} {unit}"


def _tyres(figures: Mapping[str, Any]) -> list[Line]:
    told = figures["stops"]
    spare = [Line("tyres", figures["eaters"], seat=True)] if figures["eaters"] else []
    if not told:
        return spare
    if not told["plans"]:
        return [Line("tyres", _sentence(f"No plan is possible: {told['why_none']}")), *spare]
    best, *others = told["plans"]
    out = [
        *spare,
        Line("tyres", f"{plan_words(best['stints'])}; fastest in {100 * best['wins']:.0f} of 100 draws.", seat=True),
    ]
    if others:
        out.append(Line("tyres", f"Else {plan_words(others[0]['stints'])}: {seconds(others[0]['behind_us'])} slower."))
    # A stop that would have to cost next to nothing is no choice.
    near = [flip for flip in told["pit_flips_s"] if flip["seconds"] >= _NEAR * figures["wish"]["pit_s"]]
    for flip in near[:2]:
        count = f"{flip['stops']} {'stop' if flip['stops'] == 1 else 'stops'}" if flip["stops"] else "no stop"
        out.append(Line("tyres", f"With {count} it would be as fast if a stop cost {flip['seconds']:.1f} s."))
    for window in told["cautions"][:2]:
        where = (
            f"lap {window['first']}"
            if window["first"] == window["last"]
            else f"laps {window['first']} to {window['last']}"
        )
        out.append(Line("tyres", f"A caution behind {where}: stop then, up to {seconds(window['best_us'])} won."))
    for option in figures["options"]:
        if option["race"]:
            out.append(
                Line("tyres", f"{'All lap' if option['where'] == 'lap' else option['where']}: {_ended(option['race'])}")
            )
    if crossing := figures["crossing"]:
        for name, words in (("drying", "Drying: dry tyres from"), ("getting_wet", "Getting wet: wet tyres from")):
            if crossing[name]:
                out.append(
                    Line(
                        "tyres",
                        (
                            f"{words} a lap of {_time(crossing[name]['change_us'])} on, {crossing['laps_left']} laps "
                            "from the end."
                        ),
                    )
                )
    return out


def _called(corner: Mapping[str, Any]) -> str:
    return f"{corner['code']} {corner['name']}" if corner["name"] else str(corner["code"])


def _lanes(corners: Sequence[Mapping[str, Any]], most: int) -> list[Line]:
    return [
        Line("lanes", f"{_called(item)}: {lane_words(item['lanes'])}.")
        for item in [one for one in corners if one["lanes"]][:most]
    ]


def _passing(corners: Sequence[Mapping[str, Any]], most: int) -> list[Line]:
    out = []
    for corner in [item for item in corners if item["passing"]][:most]:
        for way in corner["passing"]:
            wrong = f"; goes wrong: {way.wrong}" if way.wrong else ""
            out.append(Line("passing", f"{_called(corner)}: pass {_SIDES[way.side]}, {_RISKS[way.risk]}{wrong}."))
            if way.yield_when:
                out.append(Line("passing", f"{_called(corner)}: yield when {way.yield_when.removeprefix('when ')}."))
    return out


def _limits(figures: Mapping[str, Any], corners: Sequence[Mapping[str, Any]], most: int) -> list[Line]:
    out = []
    if told := figures["limits"]:
        care = told["corners"][0] if told["corners"] else None
        most_care = f" Half as many at {care['corner']}: {100 * care['halved']:.0f} %." if care else ""
        out.append(
            Line(
                "limits",
                (
                    f"{told['limit']} strikes are the limit: reached in {100 * told['chance']:.0f} % of such "
                    f"races.{most_care}"
                ),
            )
        )
    for corner in [item for item in corners if item["limits"]][:most]:
        for limit in corner["limits"]:
            out.append(Line("limits", f"{_called(corner)}, {limit.where}: {limit.part}."))
    return out


def sheet_title(number: int | None) -> str:
    """
    Args:
        number: of a sheet that was handed out.
    """
    return f"sheet {number}" if number else "draft, not handed out"
