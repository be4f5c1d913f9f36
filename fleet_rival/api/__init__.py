"""The HTTP interface: routes, schemas, errors; thin. Services do the work."""

from fleet_rival.api.app import create_app

__all__ = ["create_app"]
