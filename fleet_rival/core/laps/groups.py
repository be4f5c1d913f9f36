"""Groups: laps that may be compared with each other."""

from typing import NamedTuple

from fleet_rival.core.laps.lap import Lap

__all__ = ["Group", "group_of"]


class Group(NamedTuple):
    """Car, wetness, compound (unknown is one of them) and race or not; driver and layout are given by the context."""

    car: str | None
    wetness: str
    compound: str | None
    race: bool

    @property
    def sort_key(self) -> tuple[str, str, str, bool]:
        """A fixed order, so that equal groups never swap places."""
        return (self.car or "", self.wetness, self.compound or "", self.race)


def group_of(lap: Lap) -> Group:
    """The group to which a lap belongs.

    >>> from fleet_rival.core.example import lap
    >>> group_of(lap(3, wetness="wet"))
    Group(car=None, wetness='wet', compound=None, race=False)
    """
    return Group(lap.car, lap.wetness, lap.compound, lap.session_kind == "race")
