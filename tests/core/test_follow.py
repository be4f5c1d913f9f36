"""Runs take the blocks that they were meant for."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.planning.follow import DrivenRun, PlannedBlock, follow
from fleet_rival.core.words import BLOCK_STATES

MONDAY = datetime(2031, 3, 3, 19, tzinfo=UTC)
HOUR = timedelta(hours=1)


def block(
    key: str, kind: str = "build", at: float = 0.0, about: str = "", laps: int = 14, person: str = "Ada"
) -> PlannedBlock:
    begins = MONDAY + at * HOUR
    return PlannedBlock(key, person, frozenset({"here"}), kind, about, begins, begins + HOUR / 2, laps)


def run(
    key: str,
    purpose: str | None = "build",
    at: float = 0.0,
    laps: int = 14,
    watch: tuple[str, ...] = (),
    person: str = "Ada",
) -> DrivenRun:
    begins = MONDAY + at * HOUR
    return DrivenRun(key, person, "here", purpose, watch, begins, begins + HOUR / 2, laps)


def test_a_declared_run_takes_the_nearest_block_of_its_purpose() -> None:
    blocks = [block("mon"), block("tue", at=24), block("long", "long", 1)]
    became = follow(blocks, [run("a", at=22)], MONDAY + 60 * HOUR)
    assert became["tue"].state == "done" and became["tue"].runs == ("a",)
    assert became["mon"].state == became["long"].state == "missed"


def test_work_on_a_corner_is_that_of_the_corner_that_was_declared() -> None:
    blocks = [block("t1", "corner", 0, "T1"), block("t10", "corner", 1, "T10")]
    became = follow(blocks, [run("a", "corner", 0, watch=("T10: brakes too early",))], MONDAY + 3 * HOUR)
    assert became["t10"].runs == ("a",) and became["t10"].state == "done"
    # It stood in the time of the other.
    assert became["t1"].state == "replaced" and became["t1"].purpose == "corner"


def test_laps_of_which_nobody_said_what_they_are_count_in_the_time_of_the_block_alone() -> None:
    inside, outside = run("a", None, 0.1), run("b", None, 0.9)
    assert follow([block("x")], [inside], MONDAY + 3 * HOUR)["x"].state == "done"
    assert follow([block("x")], [outside], MONDAY + 3 * HOUR)["x"].state == "missed"


def test_what_became_of_a_block_in_every_case() -> None:
    later, during = MONDAY + 3 * HOUR, MONDAY + HOUR / 4
    assert follow([block("x")], [], MONDAY - HOUR)["x"].state == "coming"
    assert follow([block("x")], [], during)["x"].state == "under_way"
    assert follow([block("x")], [run("a", laps=3)], during)["x"].state == "under_way"
    assert follow([block("x")], [run("a", laps=3)], later)["x"].state == "short"
    assert follow([block("x")], [run("a", laps=3), run("b", at=0.4, laps=5)], later)["x"].state == "done"
    assert follow([block("x")], [run("a", laps=0)], later)["x"].state == "missed"
    assert follow([block("x")], [run("a", person="Bo")], later)["x"].state == "missed"
    assert follow([block("x", "review", laps=0)], [run("a", None)], later)["x"].state == "missed"
    assert follow([replace(block("x", "review", laps=0), said="done")], [], later)["x"].state == "done"
    wet = replace(run("a", "build"), wet=True)
    became = follow([block("dry"), block("wet", "wet")], [wet], later)
    assert (became["dry"].state, became["wet"].state) == ("replaced", "done")


@given(
    st.lists(st.tuples(st.sampled_from(["build", "corner", "long", "review"]), st.integers(0, 40)), max_size=6),
    st.lists(
        st.tuples(st.sampled_from(["build", "corner", "long", None]), st.integers(0, 40), st.integers(0, 20)),
        max_size=8,
    ),
    st.integers(0, 48),
)
def test_a_run_takes_one_block_at_most_and_the_past_is_settled(
    blocks: list[tuple[str, int]], runs: list[tuple[str | None, int, int]], hours: int
) -> None:
    planned = [
        block(str(number), kind, at, laps=0 if kind == "review" else 14) for number, (kind, at) in enumerate(blocks)
    ]
    driven = [run(str(number), purpose, at, laps) for number, (purpose, at, laps) in enumerate(runs)]
    now = MONDAY + hours * HOUR
    became = follow(planned, driven, now)
    assert became.keys() == {item.key for item in planned}
    took = [key for item in became.values() if item.state != "replaced" for key in item.runs]
    assert len(took) == len(set(took))
    for item in planned:
        state = became[item.key].state
        assert state in BLOCK_STATES
        if item.ends <= now:
            assert state not in ("coming", "under_way")
        if state == "coming":
            assert item.begins > now
