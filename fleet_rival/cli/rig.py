"""`./fleet rig`: a stand-in rig that drives a declared run on its real track and delivers laps and samples live."""

import argparse
import json
import os
from pathlib import Path

from fleet_rival.core.times import format_time
from fleet_rival.demo.load import rig_token
from fleet_rival.runtime.console import Failure, say
from fleet_rival.runtime.processes import recorded
from fleet_rival.simulator.league import SEED
from fleet_rival.simulator.rig import DeliveryFailed, Rig, Wishes

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--driver", required=True, help='a driver of the team, e.g. "Ysolde Farrand"; drives what was declared last'
    )
    parser.add_argument("--laps", type=int, default=10, help="flying laps (default 10)")
    parser.add_argument("--speed", type=float, default=1.0, help="how many times faster than in reality (default 1)")
    parser.add_argument("--rate", type=float, default=60.0, help="samples a second (default 60; 0: laps alone)")
    parser.add_argument(
        "--flaky", action="store_true", help="break the connection now and then; nothing must be lost or doubled"
    )
    parser.add_argument(
        "--company", type=int, default=0, metavar="N", help="how many others are on the road (default 0)"
    )
    parser.add_argument(
        "--habits",
        type=float,
        default=1.0,
        help="share of the driver's weaknesses that is left, e.g. 0.5 after work on them",
    )
    parser.add_argument(
        "--truth", type=Path, metavar="FILE", help="write what is true of each lap beside it, as JSON lines"
    )
    parser.add_argument("--address", help="of the application; the one that runs here where missing")
    parser.add_argument(
        "--token", help="of the rig; that of the demo's stand-in rig, or FLEET_RIG_TOKEN, where missing"
    )
    parser.add_argument("--seed", type=int, default=SEED, help="the same seed drives the same laps")


def run(arguments: argparse.Namespace) -> int:
    var = Path(os.environ["FLEET_HOME"]) / "var"
    address = arguments.address or recorded(var)[0]
    if not address:
        raise Failure(
            "Fleet Rival isn't running here. Start it (./fleet start), or say where it is: --address http://…"
        )
    token = arguments.token or os.environ.get("FLEET_RIG_TOKEN") or rig_token(var / "demo")
    if not token:
        raise Failure(
            "this rig has no token. A manager makes one under People; hand it over with --token or in FLEET_RIG_TOKEN."
        )
    if not (1 <= arguments.laps <= 200 and 0 < arguments.speed <= 10_000):
        raise Failure("drive 1 to 200 laps, at a speed above 0 and up to 10000.")
    if not (arguments.rate == 0 or 10 <= arguments.rate <= 1000) or not 0 <= arguments.company <= 60:
        raise Failure("record 10 to 1000 samples a second, or none, among 0 to 60 others.")
    rig = Rig(address, token)
    wishes = Wishes(
        arguments.laps,
        arguments.speed,
        arguments.flaky,
        arguments.company,
        arguments.rate,
        arguments.seed,
        arguments.habits,
    )
    truths = []
    try:
        for done in rig.drive(arguments.driver, wishes):
            lap = done.item.lap
            truths.append(done.truth)
            waits = f", {done.waiting} lines wait for the connection" if done.waiting else ""
            say(f"  lap {lap.number} ({lap.kind}): {format_time(lap.time_us)}{waits}")
        say("  everything is delivered")
    except DeliveryFailed as error:
        raise Failure(str(error)) from error
    finally:
        if arguments.truth:
            arguments.truth.write_text(
                "".join(json.dumps(item, ensure_ascii=False) + "\n" for item in truths), encoding="utf-8"
            )
    return 0
