"""Which command does what. Each command's module is imported only when it is wanted."""

import argparse
import importlib
from typing import Any

from fleet_rival.runtime.console import Failure, say

__all__ = ["main"]

COMMANDS = {
    "demo": ("cli.serve", "set up everything, load the demo team, start the application"),
    "start": ("cli.serve", "start the application without demo data"),
    "stop": ("", "end what demo or start began"),
    "rig": ("cli.rig", "a stand-in rig: drives a demo driver's laps and delivers them live"),
    "team": ("cli.team", "a link for the manager of another team, or for another manager"),
    "backup": ("cli.backup", "write all data into one file, now or by a schedule"),
    "restore": ("cli.backup", "put a backup back in place of what is there"),
    "export": ("cli.exchange", "write a team's data, or one week of it, as an exchange package"),
    "import": ("cli.exchange", "bring a team in from an exchange package"),
    "analyse": ("cli.analyse", "a report from a track file and a lap file, without a server"),
    "test": ("cli.test", "checks and tests"),
    "bench": ("bench.run", "how fast it is, as ratios measured in one run"),
    "schema": ("cli.schema", "write the front end's types and the table of roles anew from the code"),
    "screenshots": ("demo.screenshots", "take the pictures of docs/screenshots anew, from demo data"),
}
"""Command to the module that runs it and what it does. `stop` needs no set-up and is run by the bootstrap."""


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(
        prog="./fleet", description="Fleet Rival, the preparation desk of a sim racing team."
    )
    commands = parser.add_subparsers(dest="command", metavar="command", required=True)
    chosen = arguments[0] if arguments and arguments[0] in COMMANDS else None
    module: Any = None
    for name, (home, text) in COMMANDS.items():
        sub = commands.add_parser(name, help=text, description=text)
        if name == chosen:
            module = importlib.import_module(f"fleet_rival.{home}")
            module.add_arguments(sub)
    parsed = parser.parse_args(arguments or ["--help"])
    try:
        return int(module.run(parsed))
    except Failure as failure:
        say(f"fleet: {failure}")
        return 1
    except KeyboardInterrupt:
        say("")
        return 130
