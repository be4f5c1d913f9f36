"""What all schemas share."""

from collections.abc import Collection, Mapping, Sequence, Set
from datetime import date
from functools import reduce
from inspect import get_annotations
from operator import or_
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints
from zoneinfo import available_timezones

from flask_openapi3 import FileStorage
from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, NaiveDatetime, field_validator
from werkzeug.datastructures import FileStorage as SentFile

from fleet_rival.core.dates import within_reach

_TOLD_BY: dict[type, type] = {}
"""Value of the services to the schema that tells it."""


def _on_the_wire(hint: Any) -> Any:
    """A type of the services as JSON has it: lists for tuples and sets, objects for mappings, schemas for values."""
    origin, parts = get_origin(hint), get_args(hint)
    if origin in (Union, UnionType):
        return reduce(or_, (_on_the_wire(part) for part in parts))
    if origin is tuple and (len(parts) != 2 or parts[1] is not Ellipsis):
        return tuple[tuple(_on_the_wire(part) for part in parts)]  # type: ignore[misc]
    if origin in (tuple, list, set, frozenset, Sequence, Collection, Set):
        return list[_on_the_wire(parts[0])]  # type: ignore[misc]
    if origin in (dict, Mapping):
        return dict[tuple(_on_the_wire(part) for part in parts)]  # type: ignore[misc]
    return _TOLD_BY.get(hint, hint) if isinstance(hint, type) else hint


class Schema(BaseModel):
    """Unknown fields are refused; values may come from the services' dataclasses, and so may the fields.

    A schema `of` a value of the services has the value's fields; values inside of it are told by schemas of theirs that
    stand before. What is written in the schema itself is what the wire knows better: a bound, a set of words, a
    description.
    """

    model_config = ConfigDict(extra="forbid", from_attributes=True)

    def __init_subclass__(cls, of: type | None = None, **options: Any) -> None:
        super().__init_subclass__(**options)
        if of is not None:
            told = {field: _on_the_wire(hint) for field, hint in get_type_hints(of, include_extras=True).items()}
            cls.__annotations__ = {**told, **get_annotations(cls)}
            _TOLD_BY.setdefault(of, cls)


Moment = Annotated[AwareDatetime, AfterValidator(within_reach)]
"""With its zone or offset, in a year that can be reckoned with."""
WallClock = Annotated[NaiveDatetime, AfterValidator(within_reach)]
"""Date and time of day without a zone."""
Day = Annotated[date, AfterValidator(within_reach)]


def _known(zone: str) -> str:
    if zone not in available_timezones():
        raise ValueError("no time zone of this name is known")
    return zone


ZoneName = Annotated[str, Field(max_length=64), AfterValidator(_known)]
"""A time zone of the IANA list."""


class Problem(BaseModel):
    """An error after RFC 9457."""

    type: str = Field(description="A stable name of the kind of problem")
    title: str
    status: int
    detail: str = Field(description="What happened, to what, and how to go on")
    request_id: str | None = Field(default=None, description="Of the request, to be found again in the server's log")
    current: dict[str, Any] | None = Field(
        default=None, description="For what somebody else changed meanwhile: how it is now"
    )
    fields: list[dict[str, str]] | None = Field(
        default=None, description="For input that doesn't fit: which field, and why"
    )


class FileForm(BaseModel):
    file: FileStorage

    @field_validator("file", mode="before")
    @classmethod
    def must_be_a_file(cls, value: Any) -> Any:
        """A text field of this name would pass for a file otherwise."""
        if not isinstance(value, SentFile):
            raise ValueError("send a file")
        return value


class Version(BaseModel):
    """The version that the person looked at, as a header: `If-Match: "3"`."""

    if_match: str = Field(
        alias="If-Match", pattern=r'^"[0-9]{1,9}"$', description="The version that was looked at, in quotation marks"
    )

    @property
    def number(self) -> int:
        return int(self.if_match.strip('"'))


def validate(schema: type[BaseModel], value: Any) -> Any:
    """A service's value as a schema's JSON-ready one."""
    return schema.model_validate(value).model_dump(mode="json")
