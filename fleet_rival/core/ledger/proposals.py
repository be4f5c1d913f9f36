"""Settings that the laps speak for: proposed with their reason, and taken over by people."""

from dataclasses import dataclass

from fleet_rival.core.pace.falloff import Falloff
from fleet_rival.core.settings import Settings
from fleet_rival.core.times import MICROSECONDS

__all__ = ["Proposal", "proposals_of"]


@dataclass(frozen=True, slots=True)
class Proposal:
    """A setting that should have another value.

    Attributes:
        setting: its name.
        why: what of the laps speaks for it, in words.
    """

    setting: str
    value: int
    why: str


def proposals_of(falloff: Falloff, settings: Settings) -> list[Proposal]:
    """What the shape of a driver's runs proposes: to count more laps as cold.

    >>> from fleet_rival.core.pace.warming import Warming
    >>> [proposal] = proposals_of(Falloff(None, warming=Warming(3, (1.1e6, 0.7e6, 0.2e6), 2)), Settings())
    >>> proposal.value, proposal.why
    (3, 'laps 2 to 4 of a run are 1.10, 0.70 and 0.20 s slower than the ones behind them')
    """
    warming = falloff.warming
    if warming is None or warming.laps <= settings.cold_laps or settings.cold_seconds is not None:
        return []
    *sizes, last = [f"{excess / MICROSECONDS:.2f}" for excess in warming.excess_us]
    size = f"{', '.join(sizes)} and {last}" if sizes else last
    end = warming.number + warming.laps - 1
    laps = f"laps {warming.number} to {end} of a run are" if sizes else f"lap {end} of a run is"
    return [Proposal("cold_laps", warming.laps, f"{laps} {size} s slower than the ones behind them")]
