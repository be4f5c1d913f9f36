"""Drivers as the simulator knows them: pace, scatter, tyres, and habits that cost time."""

from dataclasses import dataclass

__all__ = ["DriverModel", "GivesUp", "Habit", "Tries"]


@dataclass(frozen=True, slots=True)
class Habit:
    """A weakness at one corner: on `rate` of the passes it costs about `loss_s`."""

    corner: str
    kind: str
    rate: float
    loss_s: float
    when: str = "always"
    """`always`, `late` in a run, or `cold`."""


@dataclass(frozen=True, slots=True)
class Tries:
    """An option tried at one corner in long runs, lap by lap in turn: the second is worth a share of the corner's
    grip.
    """

    corner: str
    first: str
    second: str
    worth: float


@dataclass(frozen=True, slots=True)
class GivesUp:
    """A corner given up on purpose on every third lap, to win more than that in the one behind it; in seconds."""

    corner: str
    loss_s: float
    after: str
    won_s: float

    def shifts_s(self, lap_of_run: int) -> dict[str, float]:
        """What it moves on a lap, by corner."""
        return {} if lap_of_run % 3 else {self.corner: self.loss_s, self.after: -self.won_s}


@dataclass(frozen=True, slots=True)
class DriverModel:
    """A driver."""

    name: str
    grip: float
    """Share of the car's grip that the driver uses."""
    scatter: float
    """Standard deviation of a segment's time, as a share of it."""
    falloff_s: float
    """Seconds a lap that the driver loses for each lap on the tyres."""
    cold_s: float
    """What the first flying lap costs."""
    learning_s: float = 0.0
    """What the first session costs more than the last."""
    habits: tuple[Habit, ...] = ()
    standing: tuple[tuple[str, float], ...] = ()
    """Corners driven wrongly on every lap, and the seconds that costs."""
    strike_rate: float = 0.01
    spin_rate: float = 0.005
    tries: Tries | None = None
    gives_up: GivesUp | None = None
