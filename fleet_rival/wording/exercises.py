"""What ships for each kind of mistake: the likely cause, what to feel and look for, an exercise with its pass mark.
The team's own to edit.
"""

from dataclasses import dataclass
from typing import Final

__all__ = ["SHIPPED", "ShippedExercise", "exercise_put", "mark_words"]


@dataclass(frozen=True, slots=True)
class ShippedExercise:
    """An exercise as it comes with the product.

    Attributes:
        of_passes, good_passes: passed when of so many passes in a row so many are without the mistake.
    """

    kind: str
    title: str
    cause: str
    feel: str
    work: str
    of_passes: int = 10
    good_passes: int = 8


SHIPPED: Final = {
    item.kind: item
    for item in (
        ShippedExercise(
            "early-brake",
            "Walk the mark in",
            (
                "Without a mark that is trusted, the foot goes to the brake when the corner looks close, and the way "
                "there is driven at half speed."
            ),
            "The pedal can be let go before the wheel turns, and the car waits for the corner. That wait is the time.",
            (
                "Choose one fixed object. Brake at it three laps, then a car’s length later each lap, until the apex "
                "is only just met; one step back."
            ),
        ),
        ShippedExercise(
            "late-brake",
            "Slow in, on the line",
            (
                "The brake comes later than the corner allows, often behind another car or on a good lap; what is won "
                "before it is paid twice."
            ),
            "The wheel asks for more lock than usual and the apex goes by on the wrong side.",
            (
                "Brake five metres before the mark and let the wheel come back to straight a metre sooner than before. "
                "The apex has to be touched."
            ),
        ),
        ShippedExercise(
            "over-slow",
            "Let go sooner",
            (
                "The brake is held into the corner although the speed is right: usually the eyes are on the entry and "
                "not on the apex."
            ),
            "The car turns more than it has to, and there is room on the outside that isn't used.",
            (
                "Look at the apex before the brake is let go. Release there with a tenth less pressure, lap by lap, "
                "until the exit kerb is needed."
            ),
        ),
        ShippedExercise(
            "double-input",
            "One thing at a time",
            "Braking, turning and the last gear fall on the same moment, and the rear axle has to do all three.",
            "The rear moves at turn-in, and the wheel has to be opened once more.",
            (
                "Have the last gear in before the wheel moves. Say the order aloud for five laps: brake, gear, "
                "release, turn."
            ),
        ),
        ShippedExercise(
            "lock-up",
            "Squeeze, then hold",
            (
                "The pedal is hit harder than the tyres can take once the speed falls: peak pressure comes too late in "
                "the braking."
            ),
            "The wheel goes light and the car runs straight on; one tyre smokes.",
            (
                "Reach full pressure in the first third and ease it from there. Two steps of bias to the rear for "
                "three laps show the difference."
            ),
        ),
        ShippedExercise(
            "missed-apex",
            "Late hands, touched apex",
            "The wheel is turned before the corner can be seen, so the car is at the inside too soon or not at all.",
            "The inside kerb passes a car's width away, and the throttle has to wait.",
            (
                "Name the apex object. Turn in one metre later each lap until the inside wheel touches it ten times in "
                "a row, at any speed."
            ),
        ),
        ShippedExercise(
            "late-throttle",
            "Foot down by the object",
            "The foot waits for certainty: until the exit is seen, or since the rear stepped out there once.",
            "There is a moment with no pedal at all. It can be heard.",
            (
                "Choose an object for the pick-up and go to a quarter throttle there, whatever the car does; only the "
                "next quarter may wait."
            ),
        ),
        ShippedExercise(
            "early-throttle",
            "Wait once, then never lift",
            "The throttle comes before the car has turned; it pushes wide and has to be lifted for.",
            "A lift behind the apex: the nose comes back in and the engine goes quiet.",
            (
                "Drive ten passes in which the throttle may be opened once and never closed again. Who has to lift "
                "opened too soon: wait a metre longer."
            ),
        ),
        ShippedExercise(
            "slide",
            "Unwind before you push",
            "More throttle is asked for than the wheel has opened.",
            "The wheel goes against the corner, and the exit line changes.",
            (
                "Tie foot and hands: as much throttle as lock is taken away. Ten passes with the wheel never against "
                "the corner."
            ),
        ),
        ShippedExercise(
            "wide-exit",
            "Exit by the object",
            "The corner is opened too soon, or the throttle held against a car that goes straight on.",
            "The outer kerb comes before the wheel is straight, and the foot has to give way.",
            (
                "Choose a point half a car inside the outer kerb and finish every pass there; then use the rest of the "
                "road again."
            ),
        ),
        ShippedExercise(
            "limits",
            "Half a car in hand",
            "The exit is driven to where the road ends instead of where the rule ends.",
            "The outer wheels leave the kerb.",
            "Ten passes half a car's width inside the limit. Compare the times: it costs less than one strike.",
        ),
        ShippedExercise(
            "kerb",
            "Which kerb carries",
            "A kerb is taken that throws the car.",
            "The car lands on the outer wheels, and hands and feet wait for it.",
            (
                "Pass the kerb by a hand's width five times, touch it five times, and compare; write into the track "
                "book which it is."
            ),
        ),
        ShippedExercise(
            "wrong-gear",
            "Count the gears in",
            "One shift too few or too many on the way in: the shifts follow the ear and not the place.",
            "The engine drones or screams at the apex, and the exit feels flat.",
            (
                "Count the shifts aloud into the corner. The gear at the apex is the one in the track book, ten times "
                "of ten."
            ),
            10,
            9,
        ),
        ShippedExercise(
            "limiter",
            "Shift by the object",
            "The shift is forgotten while the exit is watched.",
            "The note stays the same, and the car stops pulling.",
            "Give the shift a place on the road and shift there, five passes a little too early, then at the place.",
            10,
            9,
        ),
        ShippedExercise(
            "spin",
            "Back to a safe pass",
            "Too much asked of the rear axle at once; with cold tyres sooner.",
            "The rear overtakes before it can be caught.",
            "Ten passes at nine tenths with the line and the order of the safe lap. Then add one thing at a time.",
            10,
            10,
        ),
        ShippedExercise(
            "contact",
            "Room to the side",
            "The gap was judged by where the other was, not by where they would be.",
            "The other car disappears from the view before the corner begins.",
            (
                "Follow another car for ten passes with a car's length of room. Lift rather than turn in beside "
                "somebody unseen."
            ),
            10,
            10,
        ),
        ShippedExercise(
            "other",
            "Watch it once",
            "Times alone don't tell what happened.",
            "Note what was different right after the run.",
            "Record a run with telemetry, or have somebody watch the corner for ten laps and tag what they see.",
        ),
    )
}
"""By kind."""


def mark_words(of_passes: int, good_passes: int) -> str:
    """A pass mark in words."""
    return f"{good_passes} of {of_passes} passes in a row without it"


def exercise_put(title: str, *, ships: bool) -> str:
    """What was done to an exercise of the team's own.

    Args:
        ships: whether one of that code comes with the product.
    """
    return f"Put the exercise “{title}” {'as it ships again' if ships else 'out of the library'}"
