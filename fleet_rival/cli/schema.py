"""`./fleet schema`: the interface's description, the front end's types and the table of roles, written anew from the
code.
"""

import argparse
import json
import os
import shutil
import subprocess
from pathlib import Path
from typing import get_args

from fleet_rival.runtime.console import Failure, say

__all__ = ["add_arguments", "description", "run", "vocabularies", "with_permissions"]

_TABLE_BEGINS = "<!-- roles: written by ./fleet schema -->"
_TABLE_ENDS = "<!-- end of roles -->"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """None are needed."""


def description() -> str:
    """The OpenAPI document as it is committed."""
    # Before the routes are loaded.
    os.environ["FLEET_DESCRIBE"] = "1"
    from fleet_rival.api.app import openapi_document

    return json.dumps(openapi_document(), indent=1, sort_keys=True) + "\n"


def vocabularies() -> str:
    """The job's vocabularies and the units that people choose, as TypeScript."""
    from fleet_rival.core import words
    from fleet_rival.core.units import UNITS

    lines = ["// Written by ./fleet schema from fleet_rival/core/words.py and units.py."]
    for name, value in vars(words).items():
        if name[0].isupper() and not name.isupper() and get_args(value):
            lines.append(f"export type {name} = {' | '.join(repr(word) for word in get_args(value))}")
    lines += [
        "/** By quantity, the unit that is kept first: a value is the kept one times `factor`, and `offset` more. */",
        "export const UNITS = {",
    ]
    for quantity, units in UNITS.items():
        told = ", ".join(
            f"'{name}': {{ factor: {unit.factor!r}, offset: {unit.offset!r}, more: {unit.more_decimals} }}"
            for name, unit in units.items()
        )
        lines.append(f"  {quantity}: {{ {told} }},")
    return "\n".join([*lines, "} as const"]) + "\n"


def with_permissions(text: str) -> str:
    """The page on security with its table of roles as they are."""
    from fleet_rival.services.shared.roles import ALL, ROLES

    head, _, rest = text.partition(_TABLE_BEGINS)
    _, _, tail = rest.partition(_TABLE_ENDS)
    things = sorted({name.partition(".")[0] for name in ALL})
    lines = [f"| | {' | '.join(ROLES)} |", f"|---|{'---|' * len(ROLES)}"]
    for thing in things:
        cells = []
        for permissions in ROLES.values():
            cells.append(
                ", ".join(
                    sorted(
                        name.partition(".")[2].replace("_", " ")
                        for name in permissions
                        if name.partition(".")[0] == thing
                    )
                )
            )
        lines.append(f"| {thing} | {' | '.join(cell or '–' for cell in cells)} |")
    return f"{head}{_TABLE_BEGINS}\n{chr(10).join(lines)}\n{_TABLE_ENDS}{tail}"


def run(arguments: argparse.Namespace) -> int:
    frontend = Path(os.environ["FLEET_HOME"]) / "frontend"
    (frontend / "src" / "shared" / "api" / "openapi.json").write_text(description())
    (frontend / "src" / "shared" / "api" / "words.ts").write_text(vocabularies())
    done = subprocess.run([shutil.which("npm") or "npm", "run", "--silent", "schema"], cwd=frontend, check=False)
    if done.returncode:
        raise Failure("the types could not be written; is ./fleet demo able to build the interface?")
    page = Path(os.environ["FLEET_HOME"]) / "docs" / "security.md"
    page.write_text(with_permissions(page.read_text()))
    say("Written: frontend/src/shared/api/openapi.json and schema.d.ts, the table of roles in docs/security.md")
    return 0
