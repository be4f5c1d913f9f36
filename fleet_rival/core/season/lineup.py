"""Who drives which race: an assignment by what each start is likely to bring, under the rule that so many weeks
count.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

import numpy as np

from fleet_rival.core.settings import Planning

if TYPE_CHECKING:
    from ortools.sat.python.cp_model import CpModel, IntVar

__all__ = ["Choice", "Form", "Lineup", "PointsRule", "Race", "Scored", "gap_of", "line_up", "points_rule", "standings"]

_SCALE: Final = 1000
"""Parts of a point in which the solver counts."""
_UNITS: Final = 5.0


@dataclass(frozen=True, slots=True)
class Form:
    """What is known of a driver before a race.

    Attributes:
        qualifying_us: the lap that is likely in qualifying.
        race_us: a lap at pace; None where nobody knows.
        falloff_us: a lap and lap of the stint; 0 where that isn't known.
        mistakes_us: what recurring mistakes cost a lap.
    """

    qualifying_us: float | None
    race_us: float | None
    falloff_us: float = 0.0
    mistakes_us: float = 0.0


@dataclass(frozen=True, slots=True)
class Race:
    """A series' week.

    Attributes:
        period: races of the same week of the calendar share it.
        places: how many of the team drive it at most.
    """

    key: str
    series: str
    period: str
    places: int


@dataclass(frozen=True, slots=True)
class Scored:
    """A start that a driver could take, and the points that it is likely to bring."""

    driver: str
    race: str
    points: float


@dataclass(frozen=True, slots=True)
class PointsRule:
    """Points of a start by the gap to the target, in per cent.

    Attributes:
        weeks: of which both are known; few of them leave the rule near the usual one.
    """

    points: float
    slope: float
    weeks: int

    def expected(self, gap_pct: float) -> float:
        """Points that a gap is likely to bring, never less than none."""
        return max(0.0, self.points + self.slope * gap_pct)


@dataclass(frozen=True, slots=True)
class Choice:
    """A start that is proposed.

    Attributes:
        counts: whether its points count, or others are likely to count before it.
        margin: points that the team loses in all if this start goes to whoever is next best; 0: another choice is as
            good.
        instead: who would drive it then; None: nobody.
    """

    driver: str
    race: str
    points: float
    counts: bool
    margin: float
    instead: str | None


@dataclass(frozen=True, slots=True)
class Lineup:
    """A proposal.

    Attributes:
        points: that count in the end, of all drivers and series, past ones too.
    """

    choices: tuple[Choice, ...]
    points: float
    proven: bool


@dataclass(frozen=True, slots=True)
class Counted:
    """A driver's standing in a series.

    Attributes:
        counted, dropped: weeks and their points; counted ones the most first.
    """

    total: float
    counted: tuple[tuple[str, float], ...]
    dropped: tuple[tuple[str, float], ...] = field(default=())


def gap_of(form: Form, target_us: float, race_laps: float, planning: Planning = Planning()) -> float | None:
    """A driver's gap to the target, in per cent, over qualifying and race; negative: faster. None where no lap tells.

    Over the race, tyres are on average half of a race's laps old, so that gentle drivers win where tyres decide.

    >>> round(gap_of(Form(60.3e6, 60.9e6), 60e6, 20), 2)
    1.2
    """
    if form.race_us is None or target_us <= 0:
        return None
    race = (form.race_us + form.falloff_us * race_laps / 2 + form.mistakes_us) / target_us - 1
    qualifying = (form.qualifying_us if form.qualifying_us is not None else form.race_us) / target_us - 1
    return planning.qualifying_pct * qualifying + (100 - planning.qualifying_pct) * race


def points_rule(known: Sequence[tuple[float, float]], planning: Planning = Planning()) -> PointsRule:
    """Points by gap, learned from earlier weeks: least squares around the usual rule, which weighs as much as
    some weeks.

    Args:
        known: gap in per cent and points of earlier starts.

    >>> points_rule([]).expected(0.5)
    40.0
    """
    if not known:
        return PointsRule(planning.usual_points, -planning.usual_points_lost, 0)
    gaps, points = (np.array(values, dtype=np.float64) for values in zip(*known, strict=True))
    design = np.column_stack([np.ones_like(gaps), gaps])
    prior = np.array([planning.usual_points, -planning.usual_points_lost])
    ridge = planning.prior_weeks * np.diag([1.0, 0.25])
    found = np.linalg.solve(design.T @ design + ridge, design.T @ points + ridge @ prior)
    # More gap never brings more points.
    return PointsRule(float(found[0]), min(0.0, float(found[1])), len(known))


def standings(points: Mapping[str, float], best_weeks: int | None) -> Counted:
    """What counts of a driver's weeks in a series: the best so many, of equal ones the earlier.

    >>> standings({"week 1": 20, "week 2": 35, "week 3": 10}, 2)
    Counted(total=55, counted=(('week 2', 35), ('week 1', 20)), dropped=(('week 3', 10),))
    """
    ordered = sorted(points.items(), key=lambda item: (-item[1], item[0]))
    count = len(ordered) if best_weeks is None else best_weeks
    counted = tuple(ordered[:count])
    return Counted(sum(value for _, value in counted), counted, tuple(ordered[count:]))


def line_up(
    races: Sequence[Race],
    scored: Sequence[Scored],
    past: Mapping[tuple[str, str], Mapping[str, float]],
    best_weeks: Mapping[str, int | None],
    most_each: int = 1,
    told: str | None = None,
) -> Lineup:
    """Who drives which race, so that the points that count in the end are most; by OR-Tools' CP-SAT.

    Hard: a race's places, and so many races a driver in a week of the calendar. Of a driver's weeks in a series the
        best ones count.

    Args:
        scored: every start that could be taken; who has no time for it is missing.
        past: points of a driver in a series, by week.
        best_weeks: of a series: so many count; None: all.
        told: a period whose choices get a margin; None: no choice does.

    >>> races = [Race("week 1", "Cup", "week 1", 1)]
    >>> scored = [Scored("Ada", "week 1", 40.0), Scored("Bo", "week 1", 25.0)]
    >>> [item.driver for item in line_up(races, scored, {}, {"Cup": None}).choices]
    ['Ada']
    """
    plan = _solved(races, scored, past, best_weeks, most_each)
    choices = []
    for start in sorted(plan.taken, key=lambda item: (item.race, -item.points, item.driver)):
        margin, instead = 0.0, None
        race = next(item for item in races if item.key == start.race)
        if race.period == told:
            other = _solved(races, [item for item in scored if item is not start], past, best_weeks, most_each)
            margin = plan.points - other.points
            here = {item.driver for item in plan.taken if item.race == start.race}
            instead = next(
                (item.driver for item in other.taken if item.race == start.race and item.driver not in here), None
            )
        choices.append(Choice(start.driver, start.race, start.points, start in plan.counted, max(0.0, margin), instead))
    return Lineup(tuple(choices), plan.points, plan.proven)


@dataclass(frozen=True, slots=True)
class _Solved:
    taken: tuple[Scored, ...]
    counted: frozenset[Scored]
    points: float
    proven: bool


def _solved(
    races: Sequence[Race],
    scored: Sequence[Scored],
    past: Mapping[tuple[str, str], Mapping[str, float]],
    best_weeks: Mapping[str, int | None],
    most_each: int,
) -> _Solved:
    from ortools.sat.python import cp_model  # noqa: PLC0415  takes a second to import; only who plans needs it

    model: CpModel = cp_model.CpModel()
    race_of = {race.key: race for race in races}
    takes: dict[Scored, IntVar] = {}
    counts: dict[Scored, IntVar] = {}
    rows: dict[tuple[str, str], list[tuple[IntVar, float]]] = defaultdict(list)
    for start in scored:
        takes[start], counts[start] = model.new_bool_var("takes"), model.new_bool_var("counts")
        model.add_implication(counts[start], takes[start])
        rows[start.driver, race_of[start.race].series].append((counts[start], start.points))
    for whose, weeks in past.items():
        rows[whose] += [(model.new_bool_var("counted"), value) for value in weeks.values()]
    for (_, series), row in rows.items():
        if (best := best_weeks.get(series)) is not None:
            model.add(sum(chosen for chosen, _ in row) <= best)
    for race in races:
        model.add(sum(take for start, take in takes.items() if start.race == race.key) <= race.places)
    for driver in {start.driver for start in scored}:
        for period in {race.period for race in races}:
            model.add(
                sum(
                    take
                    for start, take in takes.items()
                    if start.driver == driver and race_of[start.race].period == period
                )
                <= most_each
            )
    # A start that doesn't count is worth a hair, so that places aren't left empty; and more, the more points it would
    # bring.
    model.maximize(
        sum(round(_SCALE * value) * chosen for row in rows.values() for chosen, value in row)
        + sum((1 + round(start.points / 10)) * take for start, take in takes.items())
    )
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.max_deterministic_time = _UNITS
    status = solver.solve(model)
    taken = tuple(start for start, take in takes.items() if solver.value(take))
    counted = frozenset(start for start in taken if solver.value(counts[start]))
    points = sum(value for row in rows.values() for chosen, value in row if solver.value(chosen))
    return _Solved(taken, counted, points, status == cp_model.OPTIMAL)
