"""The tables. What a team enters or gets belongs to it, and foreign keys between a team's rows include the team.

Classes with `recorded` set are what people enter: `fleet_rival.db.recording` keeps each change of their rows.
"""

from fleet_rival.db.tables.base import WRITTEN, Base
from fleet_rival.db.tables.book import BookPicture, OpenQuestion, ReferenceRow
from fleet_rival.db.tables.drive import FileMapping, Lap, LapFileRow, PracticeSession, Remark, Run
from fleet_rival.db.tables.fix import Assignment, CorrectionRow, Exercise, LapCurve, LikeKind, Setup, SetupVersion
from fleet_rival.db.tables.history import BROUGHT, Change, ChangeSet
from fleet_rival.db.tables.log import Lesson, RaceResult
from fleet_rival.db.tables.people import (
    BoardVisit,
    Invitation,
    Membership,
    Person,
    RigToken,
    SignIn,
    SignInAttempt,
    Team,
)
from fleet_rival.db.tables.plan import PlanBlock, PlanMade, PlanRules
from fleet_rival.db.tables.race import RaceSheet
from fleet_rival.db.tables.season import CalendarAddress, Entry, SeasonFileRow, Series, SeriesWeekCar, SeriesWeekRow
from fleet_rival.db.tables.telemetry import FeedEntry, TraceFile, TraceRow, Upload
from fleet_rival.db.tables.track import Layout, LayoutCorner, LayoutSector, TrackRow
from fleet_rival.db.tables.week import Car, CarDriver, Combination, Driver, Resource
from fleet_rival.db.tables.work import Event, Job, LapVerdict, StandingRow, StoredAnalysis

__all__ = [
    "BROUGHT",
    "WRITTEN",
    "Assignment",
    "Base",
    "BoardVisit",
    "BookPicture",
    "CalendarAddress",
    "Car",
    "CarDriver",
    "Change",
    "ChangeSet",
    "Combination",
    "CorrectionRow",
    "Driver",
    "Entry",
    "Event",
    "Exercise",
    "FeedEntry",
    "FileMapping",
    "Invitation",
    "Job",
    "Lap",
    "LapCurve",
    "LapFileRow",
    "LapVerdict",
    "Layout",
    "LayoutCorner",
    "LayoutSector",
    "Lesson",
    "LikeKind",
    "Membership",
    "OpenQuestion",
    "Person",
    "PlanBlock",
    "PlanMade",
    "PlanRules",
    "PracticeSession",
    "RaceResult",
    "RaceSheet",
    "ReferenceRow",
    "Remark",
    "Resource",
    "RigToken",
    "Run",
    "SeasonFileRow",
    "Series",
    "SeriesWeekCar",
    "SeriesWeekRow",
    "Setup",
    "SetupVersion",
    "SignIn",
    "SignInAttempt",
    "StandingRow",
    "StoredAnalysis",
    "Team",
    "TraceFile",
    "TraceRow",
    "TrackRow",
    "Upload",
]
