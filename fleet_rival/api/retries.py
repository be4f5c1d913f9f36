"""A request that lost a deadlock is done once more: nothing of it was written, and whoever asked needn't know."""

import logging
from collections.abc import Callable
from functools import wraps
from typing import Any

from flask import Flask, request

from fleet_rival.db.session import is_in_the_way

__all__ = ["register"]

_REWOUND = ("application/json", "multipart/form-data", "application/x-www-form-urlencoded")
"""Bodies that are there to be read again; others were taken from the line as they came, and are sent again by who
sent them.
"""
log = logging.getLogger(__name__)


def register(app: Flask) -> None:
    """Give each route of the interface its second try; after all routes are there."""
    for endpoint, view in app.view_functions.items():
        app.view_functions[endpoint] = _twice(view)


def _twice(view: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(view)
    def tried(*args: Any, **kwargs: Any) -> Any:
        try:
            return view(*args, **kwargs)
        except Exception as error:
            if not is_in_the_way(error) or (request.content_length and request.mimetype not in _REWOUND):
                raise
            log.info("a request lost a deadlock and is done once more")
        for file in request.files.values():
            file.stream.seek(0)
        return view(*args, **kwargs)

    return tried
