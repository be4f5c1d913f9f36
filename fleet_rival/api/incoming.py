"""Where text comes in from outside: every string of a body or an address is made tidy here once, or refused with its
place.
"""

import json
from typing import Any

from flask import Flask, Request, Response, request
from werkzeug.datastructures import ImmutableMultiDict

from fleet_rival.api.problems import problem
from fleet_rival.core.texts import BadText, tidy

__all__ = ["file_label", "register"]


class _Untidy(Exception):
    """A text of the input holds what no text does.

    Args:
        place: where, with points between the steps.
    """

    def __init__(self, place: str, why: BadText) -> None:
        super().__init__(f"{place or 'body'}: {why}")
        self.place, self.why = place or "body", str(why)


class _Json:
    """JSON whose strings are tidy, and whose numbers are some."""

    @staticmethod
    def loads(text: str | bytes, **kwargs: Any) -> Any:
        return _tidied(json.loads(text, parse_constant=_no_number, **kwargs), ())


class _Request(Request):
    @property
    def json_module(self) -> Any:
        return _Json

    @json_module.setter
    def json_module(self, value: Any) -> None:
        """Flask gives each request the application's own, which is for what goes out."""


def register(app: Flask) -> None:
    """Make all input tidy, before any route."""
    app.request_class = _Request

    @app.errorhandler(_Untidy)
    def untidy(error: _Untidy) -> Response:
        return problem(
            422,
            "invalid-input",
            "This input doesn't fit",
            f"{error}.",
            fields=[{"field": error.place, "reason": error.why}],
        )

    @app.before_request
    def address() -> None:
        if request.args:
            request.args = ImmutableMultiDict(_tidied(list(request.args.items(multi=True)), ("address",)))


def file_label(name: str) -> str:
    """What a file that was sent is called here: its name without folders and without what can't be seen."""
    plain = "".join(letter for letter in name.replace("\\", "/").rsplit("/", 1)[-1] if letter.isprintable())
    return tidy(plain).strip()


def _tidied(value: Any, place: tuple[str, ...]) -> Any:
    if isinstance(value, str):
        try:
            return tidy(value)
        except BadText as error:
            raise _Untidy(".".join(place), error) from error
    if isinstance(value, dict):
        return {_tidied(key, place): _tidied(item, (*place, key)) for key, item in value.items()}
    if isinstance(value, list):
        return [_tidied(item, (*place, str(number))) for number, item in enumerate(value)]
    return tuple(_tidied(item, place) for item in value) if isinstance(value, tuple) else value


def _no_number(text: str) -> float:
    raise ValueError(f"{text} is no number")
