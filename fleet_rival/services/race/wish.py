"""What people know and choose of a race that no lap can tell: what a stop costs, how long tyres last, which risk is
run.
"""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, fields
from typing import Any, Final

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Driver, Entry
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Refused

__all__ = ["RaceWish", "change_wish", "wish_of"]


@dataclass(frozen=True, slots=True)
class RaceWish:
    """What is known and chosen.

    Attributes:
        pit_s, pit_deviation_s: what a stop costs over driving on, in seconds.
        caution_pit_s: what a stop costs while the field is slowed by a caution; None: half of that.
        risk: of running out of fuel or energy.
        formation_laps: driven slowly before the start, as a share of what a lap uses.
        saving: share that is saved on every lap.
        leader_us: a lap of who leads; None: nobody knows.
        rivals_us: laps of rivals at pace, as far as somebody knows them.
        life: laps that a set of a compound lasts, by its name.
        wet_on_dry_us, dry_on_wet_us: a lap on wet tyres on a dry track, and on dry ones on a wet one; None: nobody
            drove that.
        remember: the one thing.
        early: what is to be expected of others at the beginning.
    """

    pit_s: float = 25.0
    pit_deviation_s: float = 1.5
    caution_pit_s: float | None = None
    risk: float = 0.05
    formation_laps: float = 0.5
    saving: float = 0.0
    leader_us: int | None = None
    rivals_us: Sequence[int] = ()
    life: Mapping[str, int] = field(default_factory=dict)
    wet_on_dry_us: int | None = None
    dry_on_wet_us: int | None = None
    remember: str = ""
    early: str = ""


_NAMES: Final = frozenset(item.name for item in fields(RaceWish))


def wish_of(row: Entry) -> RaceWish:
    """What was said of an entry's race; the usual where nobody said anything."""
    told = row.race or {}
    return RaceWish(**{name: value for name, value in told.items() if name in _NAMES})


def change_wish(
    sessions: sessionmaker[Session], actor: Actor, entry_id: Any, version: int, values: Mapping[str, Any]
) -> None:
    """Write what is known and chosen of an entry's race.

    Raises:
        Outdated: somebody changed the entry meanwhile.
        Refused: a value that can't be.
    """
    if not 0 < values.get("risk", 0.05) <= 0.5:
        raise Refused("A risk of running out lies above 0 and up to 50 %.")
    if not 0 <= values.get("saving", 0.0) < 1:
        raise Refused("What is saved on a lap is a share of it, from 0 to below 100 %.")
    if any(life < 1 for life in values.get("life", {}).values()):
        raise Refused("A set of tyres lasts one lap at least.")
    with sessions.begin() as session:
        row = find_row(session, Entry, actor, entry_id, "entry", lock=True)
        check_version(row, version, "entry")
        driver = session.get_one(Driver, row.driver_id)
        begin_change(session, actor, "race.change", f"Changed what is known of {driver.name}'s race", row)
        row.race = {**asdict(wish_of(row)), **{name: value for name, value in values.items() if name in _NAMES}}
