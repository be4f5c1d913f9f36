"""What becomes of an import when a part of the installation is killed in the middle of it."""

import os
import random
import signal
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import DBAPIError

from fleet_rival.bench.load import made_laps, made_layout
from fleet_rival.db.tables import Combination, Job, Lap
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.tracks import write_track
from fleet_rival.jobs import kinds
from fleet_rival.jobs.messages import wake
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.drive import files
from fleet_rival.services.shared import jobs
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations

__all__ = ["VICTIMS", "Outcome", "Victim", "bench_kills", "kill_during_import"]

Victim = Literal["server", "worker", "messages", "database"]
VICTIMS: tuple[Victim, ...] = ("server", "worker", "messages", "database")
_WORDS = {"server": "web server", "worker": "worker", "messages": "message server", "database": "database server"}
_PATIENCE_SECONDS = 120.0


@dataclass(frozen=True)
class Outcome:
    """How an import ended that was disturbed."""

    state: str
    """What its job says."""
    trouble: str | None
    laps: int
    wanted: int
    attempts: int

    @property
    def sound(self) -> bool:
        """Whole or not there, and the job says which."""
        return self.laps == (self.wanted if self.state == "done" else 0) and self.state in ("done", "failed")


def kill_during_import(
    whole: Trial, actor: Actor, victim: Victim, share: float, name: str, laps: int = 12_000
) -> Outcome:
    """Import a file as a job, kill one part when the job has come so far, start that part again, and wait for the end.

    Args:
        share: how far the job must have come, 0 to 1.
        name: of a car; each import needs another one.
        laps: in the file, in dozens.

    Raises:
        TimeoutError: the job hasn't ended two minutes later.
    """
    layout = made_layout(11, "Killed")
    layout_id = tracks.add_track(whole.sessions, actor, write_track(layout)).id
    combination = combinations.add_combination(whole.sessions, actor, layout_id, name)
    file_id = files.upload(
        whole.sessions,
        actor,
        combination.id,
        f"{name}.laps.csv",
        write_laps(made_laps(layout, 12, laps // 12, 5), layout),
    )
    asked = kinds.AskedImport(file_id, combination.id, combination.revision)
    job = jobs.start(whole.sessions, actor, kinds.IMPORT, f"Import of {name}", asked)
    wake(jobs.key_of(whole.sessions, job.id))
    _wait(whole, job.id, lambda row: row.state == "running" and row.progress >= share)
    _kill(whole, victim)
    row = _wait(whole, job.id, lambda row: row.state not in ("waiting", "running"))
    with whole.sessions() as session:
        key = session.scalars(
            select(Combination.id).where(Combination.team_id == actor.team_id, Combination.public_id == combination.id)
        ).one()
        kept = session.scalars(
            select(func.count()).where(Lap.team_id == actor.team_id, Lap.combination_id == key)
        ).one()
    return Outcome(row.state, row.trouble, kept, laps, row.attempt)


def bench_kills(whole: Trial, actor: Actor, times: int) -> str:
    """Each part killed so many times, at moments chosen by a fixed seed; a table of how the imports ended."""
    moments = random.Random(20310410)  # noqa: S311  not a secret
    lines = [
        (
            "| killed in the middle of an import, then started again | times | whole | not there, told as failed | "
            "torn or silent |"
        ),
        "|---|---|---|---|---|",
    ]
    for victim in VICTIMS:
        ends: Counter[str] = Counter()
        for number in range(times):
            outcome = kill_during_import(whole, actor, victim, moments.uniform(0.02, 0.85), f"{victim} {number}")
            ends[outcome.state if outcome.sound else "unsound"] += 1
        lines.append(
            f"| the {_WORDS[victim]} | {times} | {ends['done']} | {ends['failed']} | {ends['unsound']} (aim 0) |"
        )
    return "\n".join([*lines, ""])


def _kill(whole: Trial, victim: Victim) -> None:
    part = whole.parts[victim]
    assert part.started is not None
    # The whole group: a web server has a child that would go on without it for a moment.
    os.killpg(os.getpgid(part.started.pid), signal.SIGKILL)
    end = time.monotonic() + 10
    while part.running and time.monotonic() < end:
        time.sleep(0.02)
    part.start()


def _wait(whole: Trial, job_id: UUID, over: Callable[[Job], bool]) -> Job:
    end = time.monotonic() + _PATIENCE_SECONDS
    while time.monotonic() < end:
        try:
            with whole.sessions() as session:
                row = session.scalars(select(Job).where(Job.public_id == job_id)).one()
                if over(row):
                    session.expunge(row)
                    return row
                if row.state not in ("waiting", "running"):
                    raise AssertionError(f"the job ended before it was disturbed: {row.state}")
        except DBAPIError:
            pass  # the database is being started again
        for part in whole.parts.values():
            if not part.running:
                part.start()  # as the start command does
        time.sleep(0.01)
    raise TimeoutError("the job hasn't ended")
