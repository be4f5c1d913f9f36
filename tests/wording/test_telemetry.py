"""What is said of traces: every reason has words, and a sentence says where, what, and what follows."""

import pytest

from fleet_rival.core.telemetry.soundness import REASONS, Stretch
from fleet_rival.wording.telemetry import STRANGE, reason_words, stretch_sentence


def test_every_reason_has_words_of_its_own() -> None:
    words = [reason_words(reason) for reason in REASONS]
    assert len(set(words)) == len(REASONS) and all("_" not in item for item in words)
    assert set(STRANGE) == {"unknown", "ambiguous", "differs", "twice", "short"}


@pytest.mark.parametrize(
    ("stretch", "sentence"),
    [
        (Stretch("gap", 100.2, 140.7, time_holds=True), "from 100 to 141 m samples are missing"),
        (
            Stretch("teleport", 100.0, 140.0, time_holds=False),
            "from 100 to 140 m the car is suddenly somewhere else, so no time across it is used",
        ),
        (
            Stretch("clock", 55.0, 55.0, time_holds=False),
            "at 55 m the clock stands or falls back, so no time across it is used",
        ),
        (
            Stretch("not_a_number", 10.0, 20.0, time_holds=True, channels=("gear", "rpm")),
            "from 10 to 20 m values are missing (gear, rpm)",
        ),
        (Stretch("ends_early", 900.0, 1000.0, time_holds=False), "from 900 to 1000 m the lap ends before the line"),
    ],
)
def test_a_stretch_is_told_in_one_sentence(stretch: Stretch, sentence: str) -> None:
    assert stretch_sentence(stretch) == sentence
