"""`./fleet rig`: a stand-in rig that drives a run of the demo's league and delivers it live."""

import argparse
import os
from pathlib import Path

from fleet_rival.cli.console import Failure, say
from fleet_rival.cli.demo_data import rig_token
from fleet_rival.cli.processes import recorded
from fleet_rival.core.times import format_time
from fleet_rival.simulator.league import SEED
from fleet_rival.simulator.rig import DeliveryFailed, Rig

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--driver", required=True, help='a driver of the demo\'s league, e.g. "Ysolde Farrand"')
    parser.add_argument("--laps", type=int, default=10, help="flying laps (default 10)")
    parser.add_argument("--speed", type=float, default=1.0, help="how many times faster than in reality (default 1)")
    parser.add_argument("--address", help="of the application; the one that runs here where missing")
    parser.add_argument("--token", help="of the rig; that of the demo's stand-in rig, or FLEET_RIG_TOKEN, where missing")
    parser.add_argument("--seed", type=int, default=SEED, help="the same seed drives the same laps")


def run(arguments: argparse.Namespace) -> int:
    var = Path(os.environ["FLEET_HOME"]) / "var"
    address = arguments.address or recorded(var)[0]
    if not address:
        raise Failure("Fleet Rival isn't running here. Start it (./fleet demo), or say where it is: --address http://…")
    token = arguments.token or os.environ.get("FLEET_RIG_TOKEN") or rig_token(var / "demo")
    if not token:
        raise Failure("this rig has no token. A manager makes one under People; hand it over with --token or in FLEET_RIG_TOKEN.")
    if not (1 <= arguments.laps <= 200 and 0 < arguments.speed <= 10_000):
        raise Failure("drive 1 to 200 laps, at a speed above 0 and up to 10000.")
    rig = Rig(address, token)
    try:
        for lap, said in rig.drive(arguments.driver, arguments.laps, arguments.speed, arguments.seed):
            what = "delivered" if said["added"] else "was there already" if said["same"] else "is there with another time, which stays"
            say(f"  lap {lap.number} ({lap.kind}): {format_time(lap.time_us)}, {what}")
    except (DeliveryFailed, ValueError) as error:
        raise Failure(str(error)) from error
    return 0
