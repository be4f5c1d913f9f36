"""Secrets of this installation: made once, kept under `var/`, readable by its owner alone."""

import os
import secrets
from pathlib import Path

__all__ = ["kept_secret"]


def kept_secret(place: Path) -> str:
    """The secret in a file; a new one where there is none."""
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(32))
    return place.read_text()
