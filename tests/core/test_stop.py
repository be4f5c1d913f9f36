"""Stop now: tiredness is found soon after it begins, seldom without reason; and so is the end of getting faster."""

import numpy as np
import pytest

from fleet_rival.core.pace.stop import SeatLap, Stop, Usual, seat_of, stop_now


def session(
    rng: np.random.Generator,
    usual: Usual,
    laps: int = 60,
    change: int | None = None,
    slower: float = 2.5,
    learning: float = 0.0,
) -> list[SeatLap]:
    """A simulated session: from a lap on somebody is slower by so many deviations, and slips three times as often."""
    out: list[SeatLap] = []
    begins = 0.0
    for number in range(laps):
        tired = change is not None and number >= change
        slip = bool(rng.random() < min(0.6, usual.slip_rate * (3 if tired else 1)))
        told = learning * np.exp(-number / 8) + usual.scatter * (rng.normal() + (slower if tired else 0.0))
        into_run = number % 15
        seconds = 90 * (1 + told) + usual.falloff * into_run + (0.3 + abs(rng.normal()) / 2 if slip else 0.0)
        out.append(SeatLap(begins, seconds, not slip, slip, into_run))
        begins += seconds + (30 if into_run == 14 else 0)
    return out


USUAL = (Usual(0.003, 0.08), Usual(0.005, 0.15, 0.02), Usual(0.007, 0.2))


def test_at_most_one_session_in_twenty_is_stopped_without_reason() -> None:
    rng = np.random.default_rng(11)
    stopped = [
        stop_now(session(rng, usual, learning=learning), usual) is not None
        for usual in USUAL
        for learning in (0.0, 0.01)
        for _ in range(70)
    ]
    assert np.mean(stopped) <= 0.05


def test_tiredness_is_found_within_six_laps() -> None:
    rng = np.random.default_rng(12)
    found = []
    for usual in USUAL:
        for _ in range(70):
            change = int(rng.integers(20, 45))
            stop = stop_now(session(rng, usual, change=change), usual)
            if stop is None or stop.lap >= change:
                found.append(stop is not None and stop.lap < change + 6)
                assert stop is None or (stop.kind == "tired" and stop.laps == stop.lap - stop.since + 1)
    assert len(found) > 180 and np.mean(found) >= 0.85


def test_the_end_of_getting_faster_is_found_and_not_while_it_goes_on() -> None:
    rng = np.random.default_rng(13)
    usual = Usual(0.004, 0.1)
    flat = [stop_now(session(rng, usual, learning=0.02), usual, improving=True) for _ in range(40)]
    assert np.mean([stop is not None and stop.kind == "nothing_more" for stop in flat]) >= 0.8
    steady = [
        SeatLap(90.0 * number, 90 * (1 - 0.0005 * number + 0.004 * rng.normal()), fair=True, slip=False)
        for number in range(60)
    ]
    assert stop_now(steady, usual, improving=True) is None
    assert stop_now(steady[:20], usual, improving=True) is None, "too few laps to tell"


@pytest.mark.parametrize(
    "laps",
    [
        [],
        [SeatLap(0.0, 90.0, fair=True, slip=False)],
        [SeatLap(90.0 * n, 90.0, fair=True, slip=False) for n in range(40)],
    ],
)
def test_laps_that_say_nothing_stop_nobody(laps: list[SeatLap]) -> None:
    assert stop_now(laps, Usual(scatter=0.0, slip_rate=0.0)) is None


def test_slips_alone_are_enough_and_one_bad_lap_is_not() -> None:
    even = [SeatLap(90.0 * number, 90.0, fair=True, slip=False) for number in range(20)]
    slips = [SeatLap(90.0 * (20 + number), 91.0, fair=False, slip=True) for number in range(8)]
    stop = stop_now([*even, *slips], Usual(0.004, 0.1))
    assert isinstance(stop, Stop) and stop.slips == stop.laps <= 8 and stop.slower is None
    assert stop_now([*even, SeatLap(1800.0, 120.0, fair=True, slip=False), *even], Usual(0.004, 0.1)) is None


def test_a_seat_begins_after_the_last_break() -> None:
    laps = [SeatLap(begins, 90.0, fair=True, slip=False) for begins in (0.0, 100.0, 900.0, 990.0)]
    assert [lap.begins for lap in seat_of(laps, 600.0)] == [900.0, 990.0]
    assert len(seat_of(laps, 900.0)) == 4 and seat_of([], 600.0) == []
