"""Quantities in answers, written in the units of who asks."""

from flask import Flask, Response

from fleet_rival.api.access import units
from fleet_rival.core.units import in_units

__all__ = ["register"]

_AS_BYTES, _ESCAPED = "\ue000".encode(), b"\\ue000"


def register(app: Flask) -> None:
    """Have each answer of words say its quantities in the units of who asked."""

    @app.after_request
    def tell(response: Response) -> Response:
        if (
            response.mimetype not in ("application/json", "application/problem+json", "text/plain", "text/csv")
            or not response.is_sequence
        ):
            return response
        body = response.get_data()
        if _AS_BYTES in body or _ESCAPED in body:
            text = body.decode().replace("\\ue000", "\ue000").replace("\\ue001", "\ue001")
            response.set_data(in_units(text, units()))
        return response
