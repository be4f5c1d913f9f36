"""What drivers go by in a corner, and how long it can be trusted."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Final

from fleet_rival.core.words import (
    SURE,
    Lasting,
    Point,
    ReferenceKind,
    ReferenceSide,
    ReferenceState,
    Sure,
    Throttle,
    Variant,
)

__all__ = [
    "LASTING",
    "BadReference",
    "Reference",
    "Seen",
    "best_of",
    "same_place",
    "seen_with",
]


LASTING: Final[dict[ReferenceKind, Lasting]] = {
    "board": "fixed",
    # What lies on the road or beside it is gone behind the car ahead.
    "kerb": "traffic",
    "surface": "traffic",
    "line": "traffic",
    "building": "fixed",
    "tree": "fixed",
    "bridge": "fixed",
    "shadow": "time-of-day",
    "light": "time-of-day",
    "tyre mark": "wears",
    "dirt line": "wears",
    "people": "wears",
    "sound": "traffic",
    "sequence": "fixed",
    "feel": "fixed",
    "horizon": "view",
    "car part": "view",
    "other": "fixed",
}
"""How a kind of reference lasts, where nobody says otherwise."""


class BadReference(ValueError):
    """A reference that says too little, or too much for whom it is."""


@dataclass(frozen=True, slots=True)
class Reference:
    """One thing to go by, for one point of a corner.

    Raises:
        BadReference: nothing to go by; or a gear, brake or throttle without the car that they are for.
    """

    key: str
    corner: str
    point: Point
    kind: ReferenceKind
    thing: str = ""
    """The object: what is looked for, heard or felt."""
    side: ReferenceSide | None = None
    offset_m: float | None = None
    """Metres behind the object, in driving direction; before it where negative."""
    offset_words: str = ""
    gear: int | None = None
    brake_peak_pct: float | None = None
    throttle: Throttle | None = None
    harder_than: str = ""
    """Code of a corner at which one brakes less hard than here."""
    lasts: Lasting = "fixed"
    car: str | None = None
    """Whose values these are; None for a landmark, which is the track's."""
    driver: str | None = None
    variant: Variant = "usual"
    state: ReferenceState = "proposed"
    sure: Sure = "likely"

    def __post_init__(self) -> None:
        numbers = self.gear is not None or self.brake_peak_pct is not None or self.throttle is not None
        if numbers and self.car is None:
            raise BadReference("a gear, a brake peak and a throttle belong to a car: say which")
        if not (self.thing or self.offset_words or numbers or self.harder_than):
            raise BadReference("say what one goes by: an object, a gear, or how hard to brake")

    @property
    def is_open(self) -> bool:
        """Whether it stands: proposed or confirmed."""
        return self.state in ("proposed", "confirmed")

    @property
    def has_object(self) -> bool:
        """Whether there is something to look for, hear or feel."""
        return bool(self.thing or self.offset_words)

    def is_for(self, car: str | None, driver: str | None = None) -> bool:
        """Whether it is a landmark, or of this car; and nobody else's own."""
        return self.car in (None, car) and self.driver in (None, driver)


@dataclass(frozen=True, slots=True)
class Seen:
    """A reference as it is seen with one car."""

    reference: Reference
    from_car: str | None = None
    """Another car, whose numbers these are: to be confirmed or replaced."""


def same_place(first: Reference, second: Reference) -> bool:
    """Whether of two only one can be the confirmed one."""
    return all(
        getattr(first, name) == getattr(second, name) for name in ("corner", "point", "variant", "car", "driver")
    )


def seen_with(references: Iterable[Reference], car: str | None) -> list[Seen]:
    """What stands, with one car: landmarks and its own values as they are, other cars' confirmed numbers to be taken
    over.

    A number of another car is shown where this car has none of its own for the same point, variant and driver.
    """
    standing = [item for item in references if item.is_open]
    own = {
        (item.corner, item.point, item.variant, item.driver) for item in standing if item.car == car and car is not None
    }
    out = []
    for item in standing:
        if item.car in (None, car):
            out.append(Seen(item))
        elif item.state == "confirmed" and (item.corner, item.point, item.variant, item.driver) not in own:
            out.append(Seen(item, item.car))
    return out


def best_of(
    references: Sequence[Reference],
    corner: str,
    point: Point,
    car: str | None,
    driver: str | None,
    variant: Variant = "usual",
) -> Reference | None:
    """What a driver goes by: the own before the car's before the track's, the variant before the usual one,
    confirmed before proposed.

    A landmark is the track's and numbers are a car's: the best of those that name an object is told with what the best
    of the others says of
    gear, brake and throttle, where it says nothing of it itself.
    """
    fitting = [
        item
        for item in references
        if item.corner == corner and item.point == point and item.is_open and item.is_for(car, driver)
    ]
    fitting = [item for item in fitting if item.variant in (variant, "usual")]
    ordered = sorted(fitting, key=_preferred(variant))
    place = next((item for item in ordered if item.has_object), None)
    if place is None or place.state != "confirmed":
        return ordered[0] if place is None and ordered else place
    numbers = [item for item in ordered if item.state == "confirmed"]
    told = {
        name: next((value for item in numbers if (value := getattr(item, name))), None)
        for name in ("gear", "brake_peak_pct", "throttle")
    }
    missing = {name: value for name, value in told.items() if getattr(place, name) is None and value is not None}
    return replace(place, car=place.car or car, **missing) if missing else place


def _preferred(variant: Variant) -> Callable[[Reference], tuple[bool, bool, bool, bool, int, str]]:
    def rank(item: Reference) -> tuple[bool, bool, bool, bool, int, str]:
        return (
            item.variant != variant,
            # A colleague's proposal for everybody isn't followed before it is confirmed; one's own is.
            item.state != "confirmed" and item.driver is None,
            item.driver is None,
            item.car is None,
            SURE.index(item.sure),
            item.key,
        )

    return rank
