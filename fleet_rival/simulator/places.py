"""The league's invented islands: three roads of three kinds, each driven both ways round, one long road over the
hills, and six cars.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.road import Piece

__all__ = ["CARS", "GREAT_ROUND", "PLACES", "Place", "turned_round"]


@dataclass(frozen=True, slots=True)
class Place:
    """A road with the names that its layout goes by."""

    track: str
    layout: str
    kind: str
    pieces: tuple[Piece, ...]
    sector_corners: tuple[str, ...]
    """Corners at which the second sector and those after it begin."""
    pit_loss_s: float
    pit_m: tuple[float, float]
    """How far before the line the pit lane is entered, and how far behind it is left."""
    pit_side: str = "right"
    eats: tuple[str, float] | None = None
    """The corner that wears the tyres, and its share of the falloff."""


_HARBOUR: Final = (
    Piece(length_m=330),
    Piece(radius_m=28, turn_deg=80, code="T1", name="Weighhouse"),
    Piece(length_m=95),
    Piece(radius_m=45, turn_deg=-35, code="T2", name="Chandlery"),
    Piece(length_m=210),
    Piece(radius_m=22, turn_deg=95, code="T3", name="Net Loft"),
    Piece(length_m=160),
    Piece(radius_m=34, turn_deg=70, code="T4", name="Tar Yard", linked_to_next=True),
    Piece(length_m=24),
    Piece(radius_m=30, turn_deg=-75, code="T5", name="Slipway"),
    Piece(length_m=290),
    Piece(radius_m=18, turn_deg=110, code="T6", name="Lantern Steps"),
    Piece(length_m=120),
    Piece(radius_m=60, turn_deg=-40, code="T7", name="Icehouse"),
    Piece(length_m=240),
    Piece(radius_m=26, turn_deg=85, code="T8", name="Ballast Quay"),
    Piece(length_m=140),
    Piece(radius_m=80, turn_deg=70, code="T9", name="Foghorn"),
    Piece(length_m=180),
)
_HILLS: Final = (
    Piece(length_m=620),
    Piece(radius_m=70, turn_deg=62, code="T1", name="Tollgate"),
    Piece(length_m=380),
    Piece(radius_m=110, turn_deg=-48, code="T2", name="Heronry"),
    Piece(length_m=260),
    Piece(radius_m=38, turn_deg=115, code="T3", name="Peat Cutting"),
    Piece(length_m=540),
    Piece(radius_m=150, turn_deg=-40, code="T4", name="Long Larch"),
    Piece(length_m=310),
    Piece(radius_m=52, turn_deg=78, code="T5", name="Cairn", linked_to_next=True),
    Piece(length_m=60),
    Piece(radius_m=58, turn_deg=-70, code="T6", name="Cairn Foot"),
    Piece(length_m=720),
    Piece(radius_m=200, turn_deg=35, code="T7", name="Skyline"),
    Piece(length_m=430),
    Piece(radius_m=30, turn_deg=140, code="T8", name="Sheepfold"),
    Piece(length_m=350),
    Piece(radius_m=95, turn_deg=-66, code="T9", name="Bothy"),
    Piece(length_m=280),
    Piece(radius_m=64, turn_deg=88, code="T10", name="Reservoir"),
    Piece(length_m=660),
    Piece(radius_m=125, turn_deg=-44, code="T11", name="Gorse Bank"),
    Piece(length_m=240),
    Piece(radius_m=46, turn_deg=72, code="T12", name="Quarry Mouth", linked_to_next=True),
    Piece(length_m=45),
    Piece(radius_m=50, turn_deg=-58, code="T13", name="Quarry Lip"),
    Piece(length_m=510),
    Piece(radius_m=85, turn_deg=96, code="T14", name="Bell Tower"),
    Piece(length_m=460),
)
_CINDER: Final = (
    Piece(length_m=85),
    Piece(radius_m=44, turn_deg=86, code="T1", name="Boiler"),
    Piece(length_m=34),
    Piece(radius_m=47, turn_deg=94, code="T2", name="Clinker"),
    Piece(length_m=150),
    Piece(radius_m=43, turn_deg=88, code="T3", name="Ashpit"),
    Piece(length_m=30),
    Piece(radius_m=48, turn_deg=92, code="T4", name="Firebox"),
    Piece(length_m=85),
)


_ROUND_BENDS: Final = (
    *((30, -118), (95, 62), (64, -82), (125, 41), (46, -66), (50, 96), (85, -52), (34, 118)),
    *((140, -36), (70, 58), (110, -44), (38, 112), (150, -38), (52, 74), (58, -68), (200, 33)),
)
"""Radius and turn; four times round they turn through a full circle."""
_ROUND_STRAIGHTS_M: Final = (310, 120, 200, 520, 90, 150, 260, 70, 180, 420, 110, 240, 330)
_ROUND_NAMES: Final = (
    *(
        "Peat Gate",
        "Otter Steps",
        "Cold Kettle",
        "Larch Elbow",
        "Bracken Sill",
        "Tinker's Rest",
        "Hollow Drum",
        "Wet Slate",
    ),
    *(
        "Gander Neck",
        "Lichen Wall",
        "Broken Yoke",
        "Cotton Bog",
        "Ravenstile",
        "Ash Trough",
        "Pale Heather",
        "Long Sigh",
    ),
    *(
        "Miller's Debt",
        "Blind Ewe",
        "Sorrel Dip",
        "Iron Stile",
        "Grey Pony",
        "Thorn Saddle",
        "Empty Byre",
        "Whistle Gap",
    ),
    *(
        "Old Lime Kiln",
        "Salt Path",
        "Moss Ladder",
        "Candle Crag",
        "Drover's Turn",
        "Dead Elm",
        "Rook Parliament",
        "Fern Basin",
    ),
    *("Three Crosses", "Smoke Hole", "Lamb Fold", "Stony Pillow", "Quiet Burn", "Ladle", "Burnt Gorse", "High Latch"),
    *(
        "Windlass",
        "Barley Ghost",
        "Crooked Pine",
        "Milk Stones",
        "Snow Fence",
        "Fox Earth",
        "Anvil Rock",
        "Lower Latch",
    ),
    *(
        "Cuckoo Pen",
        "Turf Stair",
        "Black Ford",
        "Shepherd's Cap",
        "Hare Form",
        "Lead Adit",
        "Needle Stone",
        "Widow's Bridge",
    ),
    *(
        "Copper Beck",
        "Rush Bottom",
        "Lost Boot",
        "Nettle Bank",
        "Silver Gate",
        "Toad Hole",
        "Last Lantern",
        "Home Croft",
    ),
)


def _great_round() -> tuple[Piece, ...]:
    """A road over all the hills: 64 corners and nearly twenty kilometres."""
    pieces = []
    for index, name in enumerate(_ROUND_NAMES):
        radius, turn = _ROUND_BENDS[index % len(_ROUND_BENDS)]
        straight = _ROUND_STRAIGHTS_M[(5 * index + 12) % len(_ROUND_STRAIGHTS_M)]
        pieces += [Piece(length_m=straight), Piece(radius_m=radius, turn_deg=turn, code=f"T{index + 1}", name=name)]
    return (*pieces, Piece(length_m=350))


def turned_round(pieces: Sequence[Piece]) -> tuple[Piece, ...]:
    """The same road the other way: corners are counted anew, and what was linked is linked the other way."""
    corners = [piece for piece in pieces if piece.code]
    codes = {piece.code: f"T{len(corners) - index}" for index, piece in enumerate(corners)}
    linked = {codes[after.code] for corner, after in pairwise(corners) if corner.linked_to_next}
    return tuple(
        replace(piece, turn_deg=-piece.turn_deg, code=codes[piece.code], linked_to_next=codes[piece.code] in linked)
        if piece.code
        else piece
        for piece in reversed(pieces)
    )


PLACES: Final = {
    "harbour": (
        Place("Port Skerrow", "Fishmarket", "street", _HARBOUR, ("T4", "T7"), 21.0, (120, 150), eats=("T7", 0.5)),
        Place("Port Skerrow", "Ebb Tide", "street", turned_round(_HARBOUR), ("T4", "T7"), 22.5, (150, 120), "left"),
    ),
    "hills": (
        Place("Vardrum Hills", "Long Road", "road", _HILLS, ("T5", "T10"), 34.0, (300, 280)),
        Place("Vardrum Hills", "Downhill Road", "road", turned_round(_HILLS), ("T5", "T10"), 36.0, (280, 300), "left"),
    ),
    "cinder": (
        Place("Gantry Pit", "Black Oval", "oval", _CINDER, ("T2", "T3"), 16.0, (60, 70), "left"),
        Place("Gantry Pit", "Night Shift", "oval", turned_round(_CINDER), ("T2", "T3"), 16.0, (70, 60)),
    ),
}
"""By kind of series: the layouts that its weeks rotate over."""
GREAT_ROUND: Final = Place(
    "Vardrum Hills", "Great Round", "road", _great_round(), ("T17", "T33", "T49"), 38.0, (260, 240)
)
"""Driven once in the season."""

CARS: Final = {
    "harbour": (
        CarModel("Wrenfield EC-2", grip_ms2=13.5, power_w_per_kg=210.0, drag_per_m=0.0009, top_speed_ms=64.0),
        CarModel("Ostelind Volant", grip_ms2=12.9, power_w_per_kg=235.0, drag_per_m=0.0010, top_speed_ms=66.0),
    ),
    "hills": (
        CarModel("Halvane P7", grip_ms2=19.0, power_w_per_kg=430.0, drag_per_m=0.0013, top_speed_ms=83.0),
        CarModel("Sorvald Nine", grip_ms2=18.1, power_w_per_kg=465.0, drag_per_m=0.0012, top_speed_ms=86.0),
    ),
    "cinder": (
        CarModel("Grindle Hauler", grip_ms2=8.4, power_w_per_kg=150.0, drag_per_m=0.0016, top_speed_ms=47.0),
        CarModel("Brackwater Three", grip_ms2=8.0, power_w_per_kg=165.0, drag_per_m=0.0017, top_speed_ms=48.0),
    ),
}
