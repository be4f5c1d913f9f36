"""The account of laps over the wire."""

from uuid import UUID

from fleet_rival.api.schemas.base import Schema
from fleet_rival.services.fix.accounts import AccountTold, AverageLap, BookedLap, DriverAccounts


class AccountOut(Schema, of=AccountTold):
    pass


class BookedLapOut(Schema, of=BookedLap):
    session_id: UUID


class AverageLapOut(Schema, of=AverageLap):
    id: UUID


class DriverAccountsOut(Schema, of=DriverAccounts):
    id: UUID
