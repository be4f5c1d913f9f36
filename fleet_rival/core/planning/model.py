"""The week as a model for the solver: where blocks may lie, what they are worth there."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from typing import TYPE_CHECKING, Any, Final

from fleet_rival.core.planning.problem import STEP, Placed, Problem, Wanted, days_of, rest_minutes, steps_of
from fleet_rival.core.planning.room import possible_starts

if TYPE_CHECKING:
    from ortools.sat.python.cp_model import CpModel, IntVar

__all__ = ["LEAST_UNITS", "SCALE", "Model", "gain_of"]

LEAST_UNITS: Final = 3.0
"""For a piece of the problem, however small its share is."""
SCALE: Final = 10
"""Parts of a microsecond in which the solver counts, so that small shares of small gains aren't rounded away."""


def gain_of(problem: Problem, plan: Sequence[Placed]) -> int:
    """The gains of all blocks of a plan, in microseconds a lap, weighted; nothing taken off.

    >>> from datetime import UTC, datetime
    >>> from zoneinfo import ZoneInfo
    >>> from fleet_rival.core.planning.problem import Person, Placed, Problem, Wanted
    >>> hours = [datetime(2031, 3, 4, hour, tzinfo=UTC) for hour in (18, 20)]
    >>> ada = Person("Ada", ZoneInfo("UTC"), ((hours[0], hours[1]),))
    >>> problem = Problem(hours[0], hours[1], (ada,), (Wanted("run", "Ada", "long", 45, 900, hours[1]),))
    >>> gain_of(problem, [Placed("run", hours[0], hours[1])])
    900
    """
    gains = {item.key: item.gain for item in problem.wanted}
    return sum(gains[item.key] for item in plan)


@dataclass(frozen=True, slots=True)
class _Place:
    """One beginning of one block, on one of some rigs that are alike."""

    day: int
    step: int
    rigs: tuple[str, ...]
    chosen: "IntVar"


@dataclass(frozen=True, slots=True)
class _Block:
    """A block with all places where it could be."""

    item: Wanted
    length: int
    """In steps."""
    rested: int
    """With the break behind it."""
    places: tuple[_Place, ...]


class Model:
    """The problem as CP-SAT has it: a switch for each block at each place, at most one on for each block.

    With starts as switches every rule is a sum for each quarter of an hour, and the relaxation without whole numbers is
    nearly as good as the best
    plan (Sousa and Wolsey, A time indexed formulation of non-preemptive single machine scheduling problems, 1992): the
    bound is found at once.
    """

    def __init__(self, problem: Problem, model: "CpModel", without: frozenset[str]) -> None:
        self.problem, self.model = problem, model
        self._people = {person.name: person for person in problem.people}
        self._fixed = {item.key: item for item in problem.fixed()}
        self._wanted = {item.key: item for item in problem.wanted}
        self._alike = _alike(problem)
        self._phases: list[tuple[IntVar, int, frozenset[str]]] = []
        self._blocks: dict[str, _Block] = {}
        for item in problem.wanted:
            if item.key not in self._fixed and item.key not in without and (made := self._block(item)) is not None:
                self._blocks[item.key] = made
        self._one_at_a_time()
        self._order()
        self._day_limits()
        self._worth()

    def force(self, key: str) -> None:
        """Let no plan do without a block."""
        if key in self._blocks:
            self.model.add_exactly_one(place.chosen for place in self._blocks[key].places)
        elif key not in self._fixed:
            self.model.add_bool_or([])

    def hint(self, plan: Sequence[Placed]) -> None:
        """Begin the search at a plan that is known."""
        placed = {item.key: item for item in plan}
        for key, block in self._blocks.items():
            there = placed.get(key)
            step = self._step(there.begins, up=True) if there is not None else None
            for place in block.places:
                self.model.add_hint(
                    place.chosen,
                    there is not None and place.step == step and (there.rig is None or there.rig in place.rigs),
                )

        # A hint that leaves nothing open is a first plan at once.
        for switch, step, keys in self._phases:
            self.model.add_hint(
                switch, any(key in keys and self._step(item.begins, up=True) <= step for key, item in placed.items())
            )

    def read(self, value: Callable[[Any], int]) -> list[Placed]:
        """The blocks of a solution; of rigs that are alike, each gets the one that is free the longest."""
        found = [(place, block) for block in self._blocks.values() for place in block.places if value(place.chosen)]
        out = []
        free: dict[str, int] = {}
        for place, block in sorted(found, key=lambda pair: (pair[0].step, pair[1].item.key)):
            rig = min(place.rigs, key=lambda name: (free.get(name, -1), name)) if place.rigs else None
            if rig is not None:
                free[rig] = place.step + block.length
            begins = self.problem.begins + STEP * place.step
            out.append(Placed(block.item.key, begins, begins + timedelta(minutes=block.item.minutes), rig))
        return out

    def _step(self, moment: datetime, *, up: bool) -> int:
        """The first step that isn't before a moment, or the last one that isn't after it."""
        whole, rest = divmod(moment - self.problem.begins, STEP)
        return whole + (up and rest > timedelta(0))

    def _block(self, item: Wanted) -> _Block | None:
        """A block's places; None where there is no room for it at all."""
        places: dict[tuple[int, tuple[str, ...]], _Place] = {}
        for room in possible_starts(self.problem, item):
            rigs = self._alike[room.rig] if room.rig is not None else ()
            for first, last in room.windows:
                for step in range(self._step(first, up=True), self._step(last, up=False) + 1):
                    if (step, rigs) not in places:
                        places[step, rigs] = _Place(
                            room.day, step, rigs, self.model.new_bool_var(f"{item.key} {step} {rigs[:1]}")
                        )
        if not places:
            return None
        self.model.add_at_most_one(place.chosen for place in places.values())
        rest = rest_minutes(item, self._people[item.person].care)
        return _Block(item, steps_of(item.minutes), steps_of(item.minutes + rest), tuple(places.values()))

    def _one_at_a_time(self) -> None:
        """A driver and a coach do one thing at a time, a rig too, and behind each block at the seat comes a break."""
        doing: dict[tuple[str, int], list[IntVar]] = defaultdict(list)
        driving: dict[tuple[str, int], list[IntVar]] = defaultdict(list)
        coached: dict[tuple[str, int], list[IntVar]] = defaultdict(list)
        on_rigs: dict[tuple[tuple[str, ...], int], list[IntVar]] = defaultdict(list)
        for block in self._blocks.values():
            item = block.item
            for place in block.places:
                during = range(place.step, place.step + block.length)
                for step in during:
                    doing[item.person, step].append(place.chosen)
                    if item.coach is not None:
                        coached[item.coach, step].append(place.chosen)
                    if place.rigs:
                        on_rigs[place.rigs, step].append(place.chosen)
                for step in range(place.step, place.step + block.rested) if item.driving else ():
                    driving[item.person, step].append(place.chosen)
        for group in (doing, driving, coached):
            for chosen in group.values():
                self.model.add_at_most_one(chosen)
        for (rigs, _), chosen in on_rigs.items():
            self.model.add(sum(chosen) <= len(rigs))

    def _order(self) -> None:
        together: dict[frozenset[str], list[_Block]] = defaultdict(list)
        for item in self.problem.wanted:
            then = self._blocks.get(item.key)
            for key in item.after:
                if then is None and key in self._blocks and item.key in self._fixed:
                    first = self._blocks[key]
                    by = self._step(self._fixed[item.key].begins, up=False) - first.length
                    self._forbid(place for place in first.places if place.step > by)
                elif then is not None and key in self._fixed:
                    behind = self._step(self._fixed[key].ends, up=True)
                    self._forbid(place for place in then.places if place.step < behind)
            if then is None:
                continue
            if before := frozenset(key for key in item.after if key in self._blocks):
                together[before].append(then)
            for key in item.needs:
                if key in self._blocks:
                    self.model.add(
                        sum(p.chosen for p in then.places) <= sum(p.chosen for p in self._blocks[key].places)
                    )
                elif key not in self._fixed:
                    self._forbid(then.places)
        for before, behind_them in together.items():
            self._phase([self._blocks[key] for key in sorted(before)], behind_them)

    def _phase(self, firsts: Sequence[_Block], thens: Sequence[_Block]) -> None:
        """Blocks that come behind the same others: from some step on they may begin, and by then the others are over.

        One switch a step instead of a rule for each pair of blocks: a tenth of the rules, and as tight.
        """
        steps = sorted({place.step for then in thens for place in then.places})
        begun = [self.model.new_bool_var(f"phase {step}") for step in steps]
        self._phases += [
            (switch, step, frozenset(then.item.key for then in thens))
            for step, switch in zip(steps, begun, strict=True)
        ]
        for earlier, later in pairwise(begun):
            self.model.add_implication(earlier, later)
        for step, switch in zip(steps, begun, strict=True):
            for then in thens:
                self.model.add(sum(place.chosen for place in then.places if place.step <= step) <= switch)
            for first in firsts:
                to_end = [place.chosen for place in first.places if place.step + first.length > step]
                if to_end:
                    self.model.add(sum(to_end) + switch <= 1)

    def _forbid(self, places: Iterable[_Place]) -> None:
        for place in places:
            self.model.add(place.chosen == 0)

    def _day_limits(self) -> None:
        left: dict[tuple[str, int], float] = {}
        for item in self._fixed.values():
            want = self._wanted[item.key]
            if want.driving:
                [(day, _), *_] = days_of(self._people[want.person], [(item.begins, item.ends)])
                limit = left.get((want.person, day), self._people[want.person].care.day_limit_minutes)
                left[want.person, day] = limit - (item.ends - item.begins).total_seconds() / 60
        minutes: dict[tuple[str, int], list[Any]] = defaultdict(list)
        for block in self._blocks.values():
            for place in block.places if block.item.driving else ():
                minutes[block.item.person, place.day].append(block.item.minutes * place.chosen)
        for key, terms in minutes.items():
            self.model.add(sum(terms) <= max(0, int(left.get(key, self._people[key[0]].care.day_limit_minutes))))

    def _worth(self) -> None:
        planning = self.problem.planning
        terms: list[Any] = []
        for block in self._blocks.values():
            gain = block.item.gain * SCALE
            last = max(place.day for place in block.places)
            before = self.problem.before.get(block.item.key)
            stays = self._step(before, up=True) if before is not None else None
            for place in block.places:
                fades = planning.fades_pct * min(planning.fades_days, last - place.day)
                share = 100 - fades + (planning.stays_pct if place.step == stays else 0.0)
                terms.append(round(gain * share / 100) * place.chosen)
        self.model.maximize(sum(terms))


def _alike(problem: Problem) -> dict[str, tuple[str, ...]]:
    """Rigs that are open at the same times and that the same people may use, by each of them; one on which something
    is locked stands alone.
    """
    users = {rig: frozenset(item.key for item in problem.wanted if rig in item.rigs) for rig in problem.rigs}
    locked = {item.rig for item in problem.fixed()}
    out: dict[str, tuple[str, ...]] = {}
    for rig, spans in problem.rigs.items():
        same = tuple(
            other
            for other in sorted(problem.rigs)
            if problem.rigs[other] == spans and users[other] == users[rig] and not {other, rig} & locked
        )
        out[rig] = same or (rig,)
    return out
