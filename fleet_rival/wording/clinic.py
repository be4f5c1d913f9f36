"""Mistakes, their circumstances and their causes in sentences. They speak of laps and passes, never of what somebody
is.
"""

from collections.abc import Mapping, Sequence
from typing import Final

from fleet_rival.core.corners.audit import BrakeScatter, Sides
from fleet_rival.core.corners.helped import Helped
from fleet_rival.core.corners.inputs import Cause
from fleet_rival.core.corners.priorities import SharedMistake
from fleet_rival.core.corners.recurring import Mistake
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.temptations import Temptation
from fleet_rival.core.corners.when import Trend, When
from fleet_rival.core.corners.work import Judged
from fleet_rival.core.units import measure
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = [
    "PHASE_WORDS",
    "audit_words",
    "card_text",
    "corner_words",
    "depth_words",
    "evidence",
    "gain_words",
    "helped_words",
    "mistake_words",
    "rate_words",
    "seconds",
    "shared_words",
    "standing_words",
    "temptation_words",
    "together_words",
    "trend_words",
    "when_words",
    "work_words",
]

PHASE_WORDS: Final = {
    "approach": "on the way there",
    "entry": "at the entry",
    "middle": "in the middle",
    "exit": "at the exit",
}
_DOING: Final = {
    "early-brake": "The brakes come too early at {at}",
    "late-brake": "The brakes come too late at {at}",
    "over-slow": "The car is slowed more than {at} needs",
    "double-input": "Brake, wheel and gear come at once at {at}",
    "lock-up": "The wheels lock on the way into {at}",
    "missed-apex": "The apex of {at} is missed",
    "late-throttle": "The throttle comes too late at {at}",
    "early-throttle": "The throttle comes too early at {at} and is lifted again",
    "slide": "The car slides at {at}",
    "wide-exit": "The exit of {at} runs wide, and the throttle has to give way",
    "limits": "The exit of {at} goes beyond the limits",
    "kerb": "A kerb at {at} unsettles the car",
    "wrong-gear": "{at} is driven in the wrong gear",
    "limiter": "The engine stands at its limiter out of {at}",
    "spin": "The car spins at {at}",
    "contact": "There is contact at {at}",
    "other": "Time goes at {at}, the times alone don't tell how,",
}
_NUMBERS: Final = ("", "", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def seconds(value_us: float, digits: int = 2) -> str:
    """A duration as people say it."""
    return f"{value_us / 1e6:.{digits}f} s".replace("-", "−")


def _per_cent(share: float) -> str:
    return f"{100 * share:.0f} %"


def corner_words(code: str, names: Mapping[str, str | None]) -> str:
    """A corner by code and name."""
    name = names.get(code)
    return f"{code} {name}" if name else code


def rate_words(slips: int, passes: int) -> str:
    """How often, in words where they are true to a tenth: on one lap in five; else counted."""
    if not passes or not slips:
        return "on no lap"
    every = passes / slips
    whole = round(every)
    if slips >= 3 and 2 <= whole <= 10 and abs(every - whole) <= 0.1 * whole:
        return f"on one lap in {_NUMBERS[whole]}"
    return f"on {slips} of {passes} laps"


def temptation_words(item: Temptation, names: Mapping[str, str | None]) -> str:
    """Track limits at a corner: how often, what it wins, and what it voids."""
    told = [f"{corner_words(item.corner, names)}: beyond the limits {rate_words(item.strikes, item.passes)}"]
    if item.won_us is not None:
        gain = seconds(abs(item.won_us.value_us))
        if item.tempts:
            told[0] += f", {gain} faster each time: that is what the legal pass costs, and only the legal one counts"
        elif item.won_us.low_us > 0:
            told[0] += f", and {gain} slower for it"
        else:
            told[0] += ", and no faster for it"
    if item.voided:
        laps = "1 lap" if len(item.voided) == 1 else f"{len(item.voided)} laps"
        among = f", {item.among_fastest} of the five fastest among them" if item.among_fastest else ""
        told.append(f"It alone voided {laps}{among}")
    if item.would_be_best_us is not None:
        told.append(f"The best of these would be the best lap by {seconds(item.would_be_best_us, 3)}")
    return ". ".join(told) + "."


def together_words(stretches: Sequence[Sequence[str]], names: Mapping[str, str | None]) -> list[str]:
    """Parts that are judged as one: the first of each is given up for the last."""
    said = []
    for first, *between, last in (stretch for stretch in stretches if len(stretch) > 1):
        over = f", over {', '.join(between)}" if between else ""
        said.append(
            f"{corner_words(first, names)} is given up for {corner_words(last, names)}{over}: they are judged "
            "together. What is lost in one and won back in the other is no mistake."
        )
    return said


def mistake_words(mistake: Mistake, names: Mapping[str, str | None], race_laps: float | None) -> str:
    """One mistake as a sentence with its numbers."""
    told = _DOING.get(mistake.kind, _DOING["other"]).format(at=corner_words(mistake.corner, names))
    told += f" {rate_words(len(mistake.slips), mistake.passes)}: {seconds(mistake.mean_loss_us)} each time"
    if abs(mistake.knock_on_us) >= 20_000:
        told += (
            f" and {seconds(mistake.knock_on_us)} behind it"
            if mistake.knock_on_us > 0
            else f", of which {seconds(-mistake.knock_on_us)} come back"
        )
    told += f", {seconds(mistake.cost_us)} a lap"
    if race_laps:
        told += f", {seconds(mistake.cost_us * race_laps, 1)} in the race"
    return told + "."


def standing_words(
    loss: StandingLoss, names: Mapping[str, str | None], race_laps: float | None, against: str | None
) -> str:
    """A standing loss as a sentence.

    Args:
        against: who does it best; None where that isn't told.
    """
    told = (
        f"Every lap loses {seconds(loss.loss_us)} at {corner_words(loss.corner, names)} against "
        f"{against or 'the best of the team'}"
    )
    if loss.kind != "other":
        told += f": {MISTAKE_WORDS[loss.kind]}"
    if race_laps:
        told += f"; {seconds(loss.loss_us * race_laps, 1)} in the race"
    return told + "."


def evidence(cause: Cause | None, source: str) -> str:
    """What telemetry shows against the good pass."""
    if cause is None:
        return {
            "file": "As reported.",
            "person": "As somebody said.",
            "times": "Known by its time alone.",
            "telemetry": "The trace shows nothing that explains it.",
        }[source]
    facts = cause.facts
    told = []
    if "brake_shift_m" in facts:
        shift = facts["brake_shift_m"]
        told.append(f"brakes {abs(shift):.0f} m {'later' if shift > 0 else 'earlier'} than on good passes")
    if "pick_up_m" in facts and abs(facts["pick_up_m"]) >= 2:
        shift = facts["pick_up_m"]
        told.append(f"throttle {abs(shift):.0f} m {'later' if shift > 0 else 'earlier'} than on good passes")
    if "widest_m" in facts:
        told.append(f"carried {facts['widest_m']:.1f} m further out")
    if "outward_m" in facts:
        told.append(f"{facts['outward_m']:.1f} m from where good passes touch the apex")
    if "lock_pct" in facts:
        told.append(f"wheels locked by {facts['lock_pct']:.0f} %")
    if "slip_pct" in facts:
        told.append(f"wheels spinning by {facts['slip_pct']:.0f} %")
    if "against_deg" in facts:
        told.append(f"wheel {facts['against_deg']:.0f}° against the corner")
    if "good_gear" in facts:
        told.append(f"gear {facts['gear']:.0f} where good passes have {facts['good_gear']:.0f}")
    elif "gear" in facts:
        told.append(f"down to gear {facts['gear']:.0f} while braking and turning")
    if "limiter_s" in facts:
        told.append(f"{facts['limiter_s']:.1f} s at the limiter")
    if "slowest_kmh" in facts:
        slower = facts["slowest_kmh"]
        told.append(
            "minimum speed the same"
            if abs(slower) < 1.5
            else f"minimum speed {measure('speed', abs(slower), apart=True)} {'higher' if slower > 0 else 'lower'}"
        )
    text = ", ".join(told)
    return f"{text[0].upper()}{text[1:]}." if told else "By its trace."


def when_words(when: When) -> list[str]:
    """Circumstances under which a mistake is clearly more frequent."""
    told = []
    for share, words in (
        (when.early, "in the first laps of a run"),
        (when.late, "late in a run"),
        (when.after_slip, "after something else went wrong"),
        (when.in_traffic, "with others close"),
    ):
        if share.clear:
            told.append(
                f"More often {words}: {share.slips} of {share.passes} passes, else {share.other_slips} of "
                f"{share.other_passes}."
            )
    return told


def trend_words(trend: Trend) -> str:
    """Whether it gets better, and since when."""
    if trend.closed:
        quiet = 0
        for rate in reversed(trend.runs):
            if rate.slips:
                break
            quiet += rate.passes
        return (
            f"Closed: not once in the last {quiet} passes."
            if quiet
            else "Closed: over the last runs it costs next to nothing."
        )
    if trend.returned:
        return "It was gone, and came back."
    if trend.clear:
        middle = len(trend.runs) // 2
        first, last = (
            (sum(run.slips for run in runs), sum(run.passes for run in runs))
            for runs in (trend.runs[:middle], trend.runs[middle:])
        )
        turn = trend.runs[middle]
        return (
            f"{'Getting better' if trend.falls else 'Getting worse'}: {first[0]} of {first[1]} passes at first, "
            f"{last[0]} of {last[1]} "
            f"since session {turn.session}, run {turn.run}."
        )
    return "No clear change from run to run."


def shared_words(shared: SharedMistake, names: Mapping[str, str | None]) -> str:
    """A mistake of half the team, as a question to the track book."""
    told = (
        f"{corner_words(shared.corner, names)}: {MISTAKE_WORDS[shared.kind]} with {len(shared.drivers)} of {shared.of} "
        "drivers."
    )
    return f"{told} That is a matter of the track book: is its reference right?"


def work_words(judged: Judged, of_passes: int, good_passes: int) -> str:
    """Where the work on an exercise stands, as a sentence."""
    if not judged.driven:
        return "Not driven yet: runs that begin from now on judge it."
    told = f"{judged.best} of {judged.of} without it"
    if judged.passed:
        as_before = (
            judged.rate_before is not None and judged.rate_since is not None and judged.rate_since >= judged.rate_before
        )
        return f"{told}: passed." + (" Over all passes since, it comes as often as before." if as_before else "")
    left = of_passes - judged.driven
    return f"{told} so far; {left} more passes to judge." if left > 0 else f"{told}: {good_passes} are needed."


def helped_words(helped: Helped) -> str:
    """What work has brought so far, and how sure that is."""
    if not helped.judged:
        return "Not judged by laps yet: half of such mistakes is what work usually takes away."
    told = (
        f"Driven by {helped.judged} of {helped.given} who were given it, passed by {helped.passed}: {helped.failed} "
        "such mistakes since"
    )
    told += f", at the rates from before {helped.expected:.0f}. "
    return (
        f"{told}It likely takes {_per_cent(helped.removed)} away, with 90 % between {_per_cent(helped.low)} and "
        f"{_per_cent(helped.high)}."
    )


def gain_words(cost_us: float, helped: Helped) -> str:
    """What work on a mistake will likely bring a lap, with where that comes from."""
    told = f"Work on it is worth about {seconds(cost_us * helped.removed)} a lap: "
    if not helped.judged:
        return f"{told}half of what it costs, as long as nothing is known of such work here."
    times = "once" if helped.judged == 1 else f"{helped.judged} times"
    return f"{told}{_per_cent(helped.removed)} of what it costs, as such work took away {times} before."


def audit_words(item: BrakeScatter, sides: Sides | None, names: Mapping[str, str | None]) -> str:
    """How braking for a corner scatters, and what came of confirming its reference."""
    told = f"Braking for {corner_words(item.corner, names)} scatters by {item.scatter_m:.1f} m"
    if item.others_m is not None:
        told += f", elsewhere by {item.others_m:.1f} m"
    told += ": its reference isn’t really used." if item.unused else "."
    if sides is None:
        return told
    if sides.before_m is None or sides.after_m is None:
        times = f"{sides.after} times, before {sides.before} times"
        return f"{told} Since the reference was confirmed or changed it was braked for {times}: too few to compare."
    told += f" Before the reference was confirmed or changed {sides.before_m:.1f} m, since then {sides.after_m:.1f} m"
    told += "" if sides.clear else ", which may be chance"
    if sides.moved_m is not None and abs(sides.moved_m) >= 1:
        told += f"; it is braked for {abs(sides.moved_m):.0f} m {'later' if sides.moved_m > 0 else 'earlier'}"
    return f"{told}."


def card_text(heading: str, items: Sequence[tuple[str, str | None, str, str]]) -> str:
    """The card of three as plain text, for a chat: at most a dozen lines.

    Args:
        items: each as sentence, reference, exercise and pass mark.
    """
    lines = [heading]
    for number, (words, reference, exercise, mark) in enumerate(items, 1):
        lines.append(f"{number}. {words}")
        lines.append(f"   Go by: {reference or 'nothing confirmed yet; ask for it in the track book'}")
        lines.append(f"   {exercise} Passed with {mark}.")
    if not items:
        lines.append("Nothing recurs, and nothing is lost on every lap. Long runs show more.")
    return "\n".join(lines) + "\n"


def depth_words(depth: str, with_traces: bool) -> str | None:
    """What would tell more of a driver's losses; None where everything is known.

    Args:
        depth: `segments` or `sectors`: what is timed.
    """
    if depth == "sectors":
        return (
            "Only sector times are known: a loss is located in a sector, and its kind isn't known. Times of corners, "
            "or telemetry, tell more."
        )
    if not with_traces:
        return "No lap has a trace: losses are located, their kinds aren't known. Telemetry tells them."
    return None
