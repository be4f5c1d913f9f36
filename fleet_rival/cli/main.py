"""Which command does what. Each command's module is imported only when it is wanted."""

import argparse
import importlib

from fleet_rival.cli.console import Failure, say

__all__ = ["main"]

COMMANDS = {
    "analyse": "a report from a track file and a lap file, without a server",
}


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./fleet", description="Fleet Rival, the preparation desk of a sim racing team.")
    commands = parser.add_subparsers(dest="command", metavar="command", required=True)
    chosen = arguments[0] if arguments and arguments[0] in COMMANDS else None
    for name, text in COMMANDS.items():
        sub = commands.add_parser(name, help=text, description=text)
        if name == chosen:
            module = importlib.import_module(f"fleet_rival.cli.{name}")
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
