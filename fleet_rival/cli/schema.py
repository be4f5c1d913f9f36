"""`./fleet schema`: the interface's description and the front end's types, written anew from the code."""

import argparse
import json
import os
import shutil
import subprocess
from pathlib import Path

from fleet_rival.runtime.console import Failure, say

__all__ = ["add_arguments", "description", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """None are needed."""


def description() -> str:
    """The OpenAPI document as it is committed."""
    # Before the routes are loaded.
    os.environ["FLEET_DESCRIBE"] = "1"
    from fleet_rival.api.app import openapi_document

    return json.dumps(openapi_document(), indent=1, sort_keys=True) + "\n"


def run(arguments: argparse.Namespace) -> int:
    frontend = Path(os.environ["FLEET_HOME"]) / "frontend"
    (frontend / "src" / "shared" / "api" / "openapi.json").write_text(description())
    done = subprocess.run([shutil.which("npm") or "npm", "run", "--silent", "schema"], cwd=frontend, check=False)
    if done.returncode:
        raise Failure("the types could not be written; is ./fleet demo able to build the interface?")
    say("Written: frontend/src/shared/api/openapi.json and schema.d.ts")
    return 0
