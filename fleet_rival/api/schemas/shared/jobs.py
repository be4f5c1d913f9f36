"""Background work: each kind with what it tells, made from the one list of kinds."""

from datetime import datetime
from functools import reduce
from operator import or_
from typing import Annotated, Any, Final, Literal
from uuid import UUID

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    RootModel,
    ValidationError,
    ValidatorFunctionWrapHandler,
    WrapValidator,
    create_model,
)

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import JobState
from fleet_rival.jobs.kinds import KINDS, REDO, UNDO
from fleet_rival.services.shared.lease import Kind

__all__ = ["JobOut", "JobPath", "Jobs", "TurnJob", "job_out"]

_RESULT: Final = "What it did; None until it is done"


class _Job(Schema):
    id: UUID
    kind: str
    name: str
    person: str
    state: JobState
    progress: float
    doing: str | None
    cancel_asked: bool
    trouble: str | None
    made_at: datetime
    ended_at: datetime | None


def _if_it_fits(value: Any, validate: ValidatorFunctionWrapHandler) -> Any:
    """What an earlier version told, in other words, isn't told."""
    try:
        return validate(value)
    except ValidationError:
        return None


def _schema(kind: Kind[Any, Any]) -> type[BaseModel]:
    name = "".join(part.title() for word in kind.name.split(".") for part in word.split("_"))
    # Only known when it runs: types that no checker could read here.
    result: Any = Annotated[kind.told | None, WrapValidator(_if_it_fits), Field(description=_RESULT)]
    named: Any = Literal[kind.name]
    return create_model(f"{name}Job", __base__=_Job, kind=(named, ...), result=(result, None))


_BY_KIND: Final = {name: _schema(kind) for name, kind in KINDS.items()}


def job_out(kind: Kind[Any, Any]) -> Any:
    """The schema of a kind's jobs."""
    return _BY_KIND[kind.name]


_Any: Any = Annotated[reduce(or_, _BY_KIND.values()), Field(discriminator="kind")]
TurnJob: Any = Annotated[job_out(UNDO) | job_out(REDO), Field(discriminator="kind")]


class JobOut(RootModel[_Any]):
    """A job of any kind."""

    model_config = ConfigDict(from_attributes=True)


class Jobs(Schema):
    items: list[JobOut]


class JobPath(BaseModel):
    job_id: UUID
