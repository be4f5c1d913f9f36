"""References and losses of segments."""

from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.laps.lap import Incident, Lap
from tests.core.test_consistency import main_group
from tests.making import lap


def figures(laps: list[Lap]) -> dict[str, PartFigures]:
    return dict(main_group(laps).segments)


def test_the_reference_is_the_median_of_the_best_third() -> None:
    laps = [lap(number, 5, 10 + number / 100, 12, 11, 9) for number in (7, 3, 1, 5, 2, 6, 4)]
    reference = figures(laps)["T1"].reference
    assert reference is not None and reference.time_us == 10_020_000  # of 10.01, 10.02, 10.03
    assert not reference.candidate


def test_few_passes_give_the_second_best_as_a_candidate() -> None:
    reference = figures([lap(number, 5, 10 + number, 12, 11, 9) for number in (1, 2, 3)])["T1"].reference
    assert reference is not None and reference.time_us == 12_000_000 and reference.candidate


def test_passes_with_an_incident_or_a_strike_are_no_reference_but_lose() -> None:
    laps = [lap(number, 5, 10, 12, 11, 9) for number in range(1, 7)]
    laps.append(lap(7, 5, 9.0, 12, 11, 9, strikes=("T1",)))
    laps.append(lap(8, 5, 16, 13, 13, 9, incidents=(Incident("spin", "T1"),)))
    found = figures(laps)
    assert found["T1"].reference is not None and found["T1"].reference.time_us == 10_000_000
    assert found["T1"].n == 8 and found["T2"].n == 6
    assert found["T1"].losses_us[7] == 6_000_000 and found["T1"].losses_us[6] == -1_000_000


def test_old_tyres_are_no_loss() -> None:
    laps = [lap(number, *[time * (1 + number / 500) for time in (5, 10, 12, 11, 9)]) for number in range(1, 13)]
    found = figures(laps)
    drift = [found["T2"].losses_us[index] for index in range(12)]
    assert max(drift) - min(drift) < 3_000
