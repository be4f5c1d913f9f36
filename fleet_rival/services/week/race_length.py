"""How long a week's race is: what a lap costs is told over it too."""

from dataclasses import dataclass

__all__ = ["RaceLength"]


@dataclass(frozen=True, slots=True)
class RaceLength:
    """How long the race of a week is; nothing where no week was asked for, or it doesn't say."""

    laps: int | None = None
    minutes: float | None = None

    @property
    def tail(self) -> str:
        """What the name of a kept answer that tells of the race ends with."""
        return f"*{self.laps or ''}:{self.minutes or ''}" if self.laps or self.minutes else ""

    def laps_at(self, median_us: float | None) -> float | None:
        """Laps of the race for somebody of this pace."""
        if self.laps:
            return float(self.laps)
        return self.minutes * 60e6 / median_us if self.minutes and median_us else None
