"""The bench that says how right the clinic is: it counts what was put in and found, and nothing else."""

from collections import Counter

import pytest

from fleet_rival.bench.corners import Corners, corners_found, corners_table


def test_sets_are_made_looked_through_and_counted() -> None:
    found = {item.kind: item for item in corners_found(2, 20310407)}
    assert set(found) == {"calm", "without habits", "all together"}
    one, plain, total = found["calm"], found["without habits"], found["all together"]
    assert (one.sets, plain.sets, total.sets) == (1, 1, 2)
    for name in ("hits", "misses", "false", "right", "habits", "missing", "invented"):
        assert getattr(total, name) == getattr(one, name) + getattr(plain, name), name
    assert one.hits > 0 and one.recall >= 0.9 and one.kinds_right >= 0.85
    assert plain.habits == 0 and plain.invented == 0, "nothing recurs where nobody has a habit"
    assert total.hits - total.right == sum(total.taken_for.values()) and all(
        true != told for true, told in total.taken_for
    )
    assert corners_found(1, 20310407)[0].hits == one.hits, "the same seed, the same laps"


@pytest.mark.parametrize(
    ("counted", "shares"),
    [
        (Corners("x", 1, hits=9, misses=1, false=3, right=6), (0.9, 0.75, 6 / 9)),
        (Corners("x", 1), (0.0, 0.0, 0.0)),
        (Corners("x", 1, hits=4), (1.0, 1.0, 0.0)),
    ],
)
def test_shares(counted: Corners, shares: tuple[float, float, float]) -> None:
    assert (counted.recall, counted.precision, counted.kinds_right) == pytest.approx(shares)


def test_the_table_names_what_was_taken_for_what() -> None:
    told = corners_table([Corners("all together", 4, 20, 2, 1, 18, 6, 1, 0, Counter({("late-brake", "lock-up"): 2}))])
    assert (
        "| all together | 4 | 22 | 90.9% (aim ≥ 90 %) | 95.2% (aim ≥ 90 %) | 90.0% (aim ≥ 85 %) | 6 | 1 | 0 |" in told
    )
    assert told.endswith("Taken for another kind: late-brake for lock-up (2).\n")
    assert "| without habits | 1 | 0 | – | – | – | 0 | 0 | 0 |" in corners_table([Corners("without habits", 1)])
