"""The job's vocabularies: each closed set of words, once.

Types check what code writes; the tuples, in the order in which people choose, check what comes in from outside. The
wire's
description, the front end's types and the words that people read are made from these.
"""

from typing import Final, Literal, get_args

# Laps and runs
LapKind = Literal["flying", "out", "in", "outin"]
"""Timed from line to line, from the pits, into them, both."""
LAP_KINDS: Final[tuple[LapKind, ...]] = get_args(LapKind)
SessionKind = Literal["practice", "qualifying", "race"]
SESSION_KINDS: Final[tuple[SessionKind, ...]] = get_args(SessionKind)
Purpose = Literal["learn", "build", "corner", "trial", "long", "qualifying", "rehearsal", "experiment", "commentary"]
"""What a run is driven for."""
PURPOSES: Final[tuple[Purpose, ...]] = get_args(Purpose)
Wetness = Literal["dry", "damp", "wet"]
WETNESSES: Final[tuple[Wetness, ...]] = get_args(Wetness)
Company = Literal["solo", "behind", "pack"]
"""Alone, behind others, in a pack."""
COMPANIES: Final[tuple[Company, ...]] = get_args(Company)
Flag = Literal["tow", "traffic", "yellow", "pit", "cool", "boost", "guest"]
"""What was said of a lap when it came in."""
FLAGS: Final[tuple[Flag, ...]] = get_args(Flag)
PartFlag = Literal["tow", "traffic", "yellow"]
"""Those that may be said of a part of a lap: `traffic:T40`."""
PART_FLAGS: Final[tuple[PartFlag, ...]] = get_args(PartFlag)
GUEST: Final[Flag] = "guest"
"""The flag of laps that are somebody else's, for comparison only."""
IncidentKind = Literal["spin", "contact", "slide"]
INCIDENTS: Final[tuple[IncidentKind, ...]] = get_args(IncidentKind)
Mark = Literal[
    "cold",
    "invalid",
    "incident",
    "tow",
    "traffic",
    "yellow",
    "pit",
    "in_part",
    "carried",
    "cool",
    "practice_only",
    "spoiled",
]
"""What keeps a lap from counting for something."""
MARKS: Final[tuple[Mark, ...]] = get_args(Mark)
MarkedBy = Literal["fact", "rule", "person"]
"""Who says that a mark holds."""
CountedAlong = Literal["tow", "cold", "practice_only", "hand_timed"]
"""Laps that somebody may count along to see what difference they make."""
RemarkCause = Literal["traffic", "yellow", "tow", "cool", "practice_only"]
"""Why a remark keeps a lap from counting."""
LapQuestion = Literal["tow", "damage", "incident"]
"""What only people can say of a lap."""
LAP_QUESTIONS: Final[tuple[LapQuestion, ...]] = get_args(LapQuestion)
IdealKind = Literal["sector", "segment", "unbroken", "linked_qualifying", "linked_race"]
IDEALS: Final[tuple[IdealKind, ...]] = get_args(IdealKind)
Account = Literal[
    "reference", "setup", "option", "tyres", "fuel", "track", "cold", "traffic", "slip", "carried", "scatter"
]
"""What a lap's time is owed to, in the order in which it is booked."""
ACCOUNTS: Final[tuple[Account, ...]] = get_args(Account)
PartDepth = Literal["segments", "sectors"]
"""By which parts laps are compared."""
Depth = Literal["segments", "sectors", "lap"]
"""By which parts the accounts of laps are kept: the finest that are timed."""
PaceBy = Literal["tyre_age", "lap_of_run"]
"""Over what pace falls off."""
OptionVerdict = Literal["first", "second", "equal", "not_yet"]
VerdictBecause = Literal["time", "failures", "scatter"]
"""What decides between two options."""
StopKind = Literal["tired", "nothing_more"]
"""Why somebody should stop driving for now."""
CheckReason = Literal["changed", "unseen", "first", "warning"]
"""Why something is looked at before a run."""
CornerSpeed = Literal["slow", "fast"]
CORNER_SPEEDS: Final[tuple[CornerSpeed, ...]] = get_args(CornerSpeed)
HandlingPhase = Literal["entry", "middle", "exit"]
HANDLING_PHASES: Final[tuple[HandlingPhase, ...]] = get_args(HandlingPhase)
Wheel = Literal["front_left", "front_right", "rear_left", "rear_right"]
WHEELS: Final[tuple[Wheel, ...]] = get_args(Wheel)
ApexTest = Literal["small_lift", "small_throttle"]
APEX_TESTS: Final[tuple[ApexTest, ...]] = get_args(ApexTest)
ApexFeel = Literal["calm", "abrupt"]
"""How the car answers such a test."""
SetupPurpose = Literal["any", "race", "qualifying", "wet", "practice"]
SETUP_PURPOSES: Final[tuple[SetupPurpose, ...]] = get_args(SetupPurpose)
# Corners
MistakeKind = Literal[
    "early-brake",
    "late-brake",
    "over-slow",
    "double-input",
    "lock-up",
    "missed-apex",
    "late-throttle",
    "early-throttle",
    "slide",
    "wide-exit",
    "limits",
    "kerb",
    "wrong-gear",
    "limiter",
    "spin",
    "contact",
    "other",
]
MISTAKES: Final[tuple[MistakeKind, ...]] = get_args(MistakeKind)
CornerPhase = Literal["approach", "entry", "middle", "exit"]
CORNER_PHASES: Final[tuple[CornerPhase, ...]] = get_args(CornerPhase)
Sure = Literal["firm", "likely", "thin"]
"""How well a figure or a reference is known."""
SURE: Final[tuple[Sure, ...]] = get_args(Sure)
SlipSource = Literal["telemetry", "times", "file", "person"]
"""Who saw a mistake."""
PriorityKind = Literal["mistake", "standing"]
"""A mistake that recurs, or time that each lap loses."""
RecurringState = Literal["open", "closed", "returned"]
# The track book
Point = Literal["braking", "lift", "turn-in", "apex", "pick-up", "exit"]
"""What a reference is for."""
POINTS: Final[tuple[Point, ...]] = get_args(Point)
Lasting = Literal["fixed", "time-of-day", "wears", "traffic", "view"]
"""Fixed; moves with the time of day; wears in or out; hidden in traffic; hidden by the car or the view."""
LASTS: Final[tuple[Lasting, ...]] = get_args(Lasting)
ReferenceKind = Literal[
    "board",
    "kerb",
    "surface",
    "line",
    "building",
    "tree",
    "bridge",
    "shadow",
    "light",
    "tyre mark",
    "dirt line",
    "people",
    "sound",
    "sequence",
    "feel",
    "horizon",
    "car part",
    "other",
]
REFERENCE_KINDS: Final[tuple[ReferenceKind, ...]] = get_args(ReferenceKind)
ReferenceSide = Literal["left", "right", "on the road", "above", "ahead"]
REFERENCE_SIDES: Final[tuple[ReferenceSide, ...]] = get_args(ReferenceSide)
Variant = Literal["usual", "cold", "wet", "traffic", "cautious", "pushed"]
"""When a reference holds."""
VARIANTS: Final[tuple[Variant, ...]] = get_args(Variant)
ReferenceState = Literal["proposed", "confirmed", "replaced", "declined"]
Throttle = Literal["at once", "squeezed", "in two steps", "half, then full", "held", "not lifted"]
THROTTLES: Final[tuple[Throttle, ...]] = get_args(Throttle)
ReferenceShown = Literal["standing", "carried", "earlier"]
"""Of this car, taken over from another, of before."""
Level = Literal["high", "medium", "low"]
"""How much a corner matters."""
LEVELS: Final[tuple[Level, ...]] = get_args(Level)
TraitKind = Literal["on-camber", "off-camber", "crest", "compression", "bump", "dirt", "grip", "blind", "flat"]
"""`grip` is a patch that holds better or worse than the rest; `flat` is a corner that is taken without a lift."""
TRAITS: Final[tuple[TraitKind, ...]] = get_args(TraitKind)
KerbUse = Literal["use", "brush", "never"]
KERB_USES: Final[tuple[KerbUse, ...]] = get_args(KerbUse)
Cost = Literal["strike", "slow-down", "void", "nothing"]
"""What it costs to be found outside: a strike, time to be given back, the lap, or nothing."""
COSTS: Final[tuple[Cost, ...]] = get_args(Cost)
Risk = Literal["low", "medium", "high"]
RISKS: Final[tuple[Risk, ...]] = get_args(Risk)
PassingSide = Literal["left", "right", "either"]
PASSING_SIDES: Final[tuple[PassingSide, ...]] = get_args(PassingSide)
RacePhase = Literal["start", "middle", "end"]
"""Its first laps, when the field is still together, its middle, its last laps."""
RACE_PHASES: Final[tuple[RacePhase, ...]] = get_args(RacePhase)
LaneSide = Literal["inside", "middle", "outside"]
LANES: Final[tuple[LaneSide, ...]] = get_args(LaneSide)
BookCheckKind = Literal[
    "no-braking", "only-proposed", "weak-braking", "two-gears", "harder", "limits-unknown", "limits-old", "pit-exit"
]
BOOK_CHECKS: Final[tuple[BookCheckKind, ...]] = get_args(BookCheckKind)
LeftOrRight = Literal["left", "right"]
Derived = Literal["reversed", "shortened"]
"""How a layout came from another one."""
Became = Literal["note", "reference"]
"""What an answered question became."""
ShortUnit = Literal["m", "yd"]
"""In which references are paced off."""
# Weeks and seasons
StartKind = Literal["standing", "rolling"]
START_KINDS: Final[tuple[StartKind, ...]] = get_args(StartKind)
SetupRule = Literal["fixed", "open"]
SETUP_RULES: Final[tuple[SetupRule, ...]] = get_args(SetupRule)
Importance = Literal["must", "want", "if_ready"]
"""How much an entry matters."""
IMPORTANCES: Final[tuple[Importance, ...]] = get_args(Importance)
Counting = Literal["best", "sum", "mean"]
"""What a week with several starts brings, of their points."""
COUNTING: Final[tuple[Counting, ...]] = get_args(Counting)
TargetBy = Literal["time", "benchmark", "ideal"]
TARGET_RULES: Final[tuple[TargetBy, ...]] = get_args(TargetBy)
Relation = Literal["same", "layout", "track", "car"]
"""What an earlier week has in common."""
RELATIONS: Final[tuple[Relation, ...]] = get_args(Relation)
ResourceKind = Literal["rig", "coach"]
RESOURCE_KINDS: Final[tuple[ResourceKind, ...]] = get_args(ResourceKind)
Difference = Literal["time_of_day", "air_temp_c", "track_temp_c", "wetness"]
"""In what practice may differ from the race."""
WeekState = Literal["over", "running", "coming"]
RowState = Literal["new", "same", "changed"]
"""Of a row in a season file against what is there."""
# The plan
BlockName = Literal["walk", "build", "corner", "trial", "wet", "night", "long", "qualifying", "rehearsal", "review"]
BLOCK_KINDS: Final[tuple[BlockName, ...]] = get_args(BlockName)
BlockState = Literal["coming", "under_way", "done", "short", "replaced", "missed"]
BLOCK_STATES: Final[tuple[BlockState, ...]] = get_args(BlockState)
BlockSaid = Literal["done", "missed"]
"""What somebody says became of a block."""
CheckState = Literal["met", "close", "open"]
PlanChange = Literal["same", "added", "dropped", "moved"]
"""What a block of one plan is beside another plan."""
RoomKind = Literal["evening", "rig", "coach"]
"""What would make room for a block."""
WhatIfKind = Literal["more_time", "less_time", "entry"]
WhyNot = Literal["time", "car", "full", "others"]
"""Why somebody isn't proposed for a race."""
# Races and what was learned
OpeningVerdict = Literal["push", "save"]
LessonCondition = Literal["dry", "damp", "wet", "night", "cold_tyres", "traffic", "start"]
"""Under which a lesson holds."""
LESSON_CONDITIONS: Final[tuple[LessonCondition, ...]] = get_args(LessonCondition)
Fault = Literal["own", "other", "shared", "nobody"]
"""Whose fault an incident was, as the driver saw it."""
FAULTS: Final[tuple[Fault, ...]] = get_args(Fault)
WrittenKind = Literal[
    "lesson",
    "remark",
    "run",
    "lap",
    "correction",
    "work",
    "corner",
    "reference",
    "question",
    "track",
    "result",
    "race",
    "week",
    "series",
    "setup",
    "version",
    "exercise",
    "car",
    "combination",
]
"""What people write something of."""
WRITTEN_KINDS: Final[tuple[WrittenKind, ...]] = get_args(WrittenKind)
# People and their work
Role = Literal["manager", "coach", "driver"]
JobState = Literal["waiting", "running", "done", "failed", "cancelled"]
Turn = Literal["act", "undo", "redo"]
HistoryThing = Literal["combination", "layout", "layout_corner", "reference_point", "driver", "membership"]
"""Of what a history can be asked for alone."""
FoundKind = Literal["driver", "week", "combination", "track", "car", "corner", "run"]
"""What the search goes to."""
Theme = Literal["system", "paper", "lamplight"]
Density = Literal["dense", "roomy"]
BoardOrder = Literal["name", "gap", "start", "open"]
BoardShow = Literal["all", "entered", "open"]
# Units
SpeedUnit = Literal["km/h", "mph"]
TemperatureUnit = Literal["°C", "°F"]
PressureUnit = Literal["kPa", "bar", "psi"]
VolumeUnit = Literal["l", "gal"]
# Files
TimeUnit = Literal["time", "ms", "days"]
"""How times are written."""
TIME_UNITS: Final[tuple[TimeUnit, ...]] = get_args(TimeUnit)
Splits = Literal["times", "cumulative"]
SPLITS: Final[tuple[Splits, ...]] = get_args(Splits)
TableRows = Literal["laps", "sectors"]
TABLE_ROWS: Final[tuple[TableRows, ...]] = get_args(TableRows)
ImportState = Literal["preview", "imported", "taken_back"]
ImportedState = Literal["imported", "taken_back"]
Differences = Literal["keep", "take"]
"""What is done with rows that differ from what is there."""
UploadState = Literal["coming", "whole", "read", "unusable"]
Constant = Literal["driver", "session"]
"""What may hold for a whole file."""
PlacedBy = Literal["places", "yaw_rate"]
"""What a layout was found from."""
AlignedBy = Literal["distance", "place"]
FiguresOf = Literal["drivers", "laps", "pace", "beside"]
TableForm = Literal["csv", "xlsx"]
FiguresForm = Literal["csv", "json"]
