"""The plan of a week: which blocks, when and on which rig, so that they bring the most; by OR-Tools' CP-SAT."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, replace
from threading import Event, Thread
from typing import TYPE_CHECKING, Final

from fleet_rival.core.planning.greedy import greedy_plan
from fleet_rival.core.planning.model import LEAST_UNITS, SCALE, Model, gain_of
from fleet_rival.core.planning.problem import Placed, Problem

if TYPE_CHECKING:
    from ortools.sat.python.cp_model import CpSolver

__all__ = ["Effort", "Plan", "apart", "plan_week"]

_AT_ONCE: Final = 2
_LOOKED_EVERY_S: Final = 0.3


@dataclass(frozen=True, slots=True)
class Effort:
    """How long is looked, in the solver's deterministic time, so that the same input gives the same plan however
    busy the machine is.

    Attributes:
        units: about seconds of a fast core.
        seconds: an end in any case, for a machine on which those take too long.
        stop: asked every now and then; once it is true, what was found by then is the plan.
    """

    units: float = 10.0
    seconds: float = 60.0
    seed: int = 1
    stop: Callable[[], bool] = lambda: False


@dataclass(frozen=True, slots=True)
class Plan:
    """What was found.

    Attributes:
        placed: in the order of time; locked blocks too.
        value: gains weighted, less what late and moved blocks lose, in microseconds a lap.
        bound: no plan is worth more.
        proven: it is the best one.
    """

    placed: tuple[Placed, ...]
    value: float
    bound: float
    proven: bool

    @property
    def keys(self) -> frozenset[str]:
        return frozenset(item.key for item in self.placed)


def plan_week(
    problem: Problem, effort: Effort | None = None, forced: Sequence[str] = (), without: Sequence[str] = ()
) -> Plan:
    """Choose and place blocks.

    Hard: free time, races, one rig and one coach at a time, order, what a block needs, a break behind each block at the
        seat (short ones too), the
    day's limit, and that locked blocks stay.

    Args:
        forced: blocks that have to be in it; where that can't be, the plan is empty with a bound of minus one.
        without: blocks that must not be in it.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person, Problem, Wanted
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ((hours[0], hours[1]),))
    >>> problem = Problem(hours[0], hours[1], (ada,), (Wanted("run", "Ada", "long", 45, 900, hours[1]),))
    >>> [item.key for item in plan_week(problem).placed]
    ['run']
    """
    effort = effort or Effort()
    pieces = apart(problem)
    if len(pieces) == 1:
        return _plan(problem, effort, forced, without)

    def planned(piece: Problem) -> Plan:
        own = {item.key for item in piece.wanted}
        share = max(LEAST_UNITS, effort.units * len(own) / len(problem.wanted))
        return _plan(piece, replace(effort, units=share), [key for key in forced if key in own], without)

    # Each piece has a solver of its own, and effort that no clock measures: side by side they find the same.
    with ThreadPoolExecutor(max_workers=_AT_ONCE) as pool:
        plans = list(pool.map(planned, pieces))
    if any(plan.bound < 0 for plan in plans) or any(key not in {item.key for item in problem.wanted} for key in forced):
        return Plan((), 0.0, -1.0, proven=all(plan.proven for plan in plans))
    return Plan(
        tuple(sorted((item for plan in plans for item in plan.placed), key=lambda item: (item.begins, item.key))),
        sum(plan.value for plan in plans),
        sum(plan.bound for plan in plans),
        all(plan.proven for plan in plans),
    )


def apart(problem: Problem) -> list[Problem]:
    """The problem in pieces that have nothing to do with each other: people who share neither a rig nor a coach, and
    wait for nothing of each other. Each is found much sooner alone."""
    group = {person.name: person.name for person in problem.people}

    def leader(name: str) -> str:
        while group[name] != name:
            name = group[name]
        return name

    first: dict[tuple[str, str], str] = {}
    whose = {item.key: item.person for item in problem.wanted}
    for item in problem.wanted:
        lock = problem.locked.get(item.key)
        rigs = {*item.rigs, *([lock.rig] if lock is not None and lock.rig is not None else [])}
        for shared in (
            *(("rig", rig) for rig in sorted(rigs)),
            *([("coach", item.coach)] if item.coach is not None else []),
        ):
            group[leader(item.person)] = leader(first.setdefault(shared, item.person))
        for key in (*item.after, *item.needs):
            if key in whose:
                group[leader(item.person)] = leader(whose[key])
    out = []
    for name in dict.fromkeys(leader(person.name) for person in problem.people):
        people = tuple(person for person in problem.people if leader(person.name) == name)
        members = {person.name for person in people}
        wanted = tuple(item for item in problem.wanted if item.person in members)
        keys = {item.key for item in wanted}
        if wanted:
            locked = {key: lock for key, lock in problem.locked.items() if key in keys}
            out.append(replace(problem, people=people, wanted=wanted, locked=locked))
    return out or [problem]


def _plan(problem: Problem, effort: Effort, forced: Sequence[str], without: Sequence[str], tries: int = 2) -> Plan:
    from ortools.sat.python import cp_model  # noqa: PLC0415  takes a second to import; only who plans needs it

    built = Model(problem, cp_model.CpModel(), frozenset(without))
    for key in forced:
        built.force(key)
    if not forced:
        built.hint(greedy_plan(problem, without))
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = effort.seed
    solver.parameters.max_deterministic_time = effort.units
    solver.parameters.max_time_in_seconds = effort.seconds
    solver.parameters.linearization_level = 2
    with _stopping(solver, effort.stop):
        status = solver.solve(built.model)
    # Every block at its best: no plan is worth more, and a search that says less wasn't one.
    whole = (1 + problem.planning.stays_pct / 100) * sum(
        item.gain for item in problem.wanted if item.key not in problem.locked
    )
    looked = status == cp_model.OPTIMAL or solver.best_objective_bound <= whole * SCALE
    if status not in (cp_model.OPTIMAL, cp_model.INFEASIBLE) and not looked and tries and not effort.stop():
        # All of the effort went into reading the problem.
        return _plan(problem, replace(effort, units=3 * effort.units), forced, without, tries - 1)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        if forced:
            return Plan((), 0.0, -1.0, proven=status == cp_model.INFEASIBLE)
        # Too little effort to find anything: what a person would write down is there already.
        simple = greedy_plan(problem, without)
        return Plan(
            simple, float(gain_of(problem, simple)), float(sum(item.gain for item in problem.wanted)), proven=False
        )
    placed = sorted([*problem.fixed(), *built.read(solver.value)], key=lambda item: (item.begins, item.key))
    fixed = sum(item.gain for item in problem.wanted if item.key in problem.locked)
    value, bound = fixed + solver.objective_value / SCALE, fixed + min(whole, solver.best_objective_bound / SCALE)
    return Plan(tuple(placed), value, bound, status == cp_model.OPTIMAL)


@contextmanager
def _stopping(solver: "CpSolver", stop: Callable[[], bool]) -> Iterator[None]:
    """Have a search end soon after somebody wants it to: it doesn't look up by itself."""
    over = Event()

    def look() -> None:
        while not over.wait(_LOOKED_EVERY_S):
            if stop():
                solver.stop_search()
                return

    looking = Thread(target=look, daemon=True)
    looking.start()
    try:
        yield
    finally:
        over.set()
        looking.join()
