"""Who drives which race, in sentences: the reasons, and by how much the next-best choice loses."""

from typing import Final

from fleet_rival.wording.clinic import seconds

__all__ = ["choice_words", "form_words", "not_words", "rule_words"]

_NOT: Final = {
    "time": "No start fits their free time.",
    "car": "May not drive this car.",
    "full": "Their week is full with races in which they bring more.",
    "others": "The places go to others, who bring more.",
}


def choice_words(counts: bool, margin: float, instead: str | None) -> str:
    """Why somebody drives a race."""
    told = "" if counts else "Would not count: better weeks stand already. "
    if margin >= 0.05:
        other = f"with {instead} instead" if instead else "without it"
        return f"{told}The team would have {margin:.1f} points less {other}."
    return f"{told}Another choice would be as good."


def not_words(why_not: str) -> str:
    """Why somebody doesn't drive a race."""
    return _NOT[why_not]


def form_words(
    gap_pct: float, known: str, falloff_us: float, mistakes_us: float, clean_rate: float | None, starts: int | None
) -> str:
    """On what the points of a start stand."""
    away = f"{gap_pct:.2f} % over the target" if gap_pct > 0 else f"{-gap_pct:.2f} % below the target"
    if known == "nothing":
        parts = ["no lap anywhere: taken to be far from the target"]
    elif known == "elsewhere":
        parts = [f"no lap here: {away}, as elsewhere and a little more"]
    else:
        parts = [f"{away}, over qualifying and race"]
    if falloff_us > 0:
        parts.append(f"falloff {seconds(falloff_us, 3)} a lap")
    if mistakes_us > 0:
        parts.append(f"{seconds(mistakes_us)} a lap in recurring mistakes")
    if clean_rate is not None:
        parts.append(f"{100 * clean_rate:.0f} % of laps clean")
    if starts is not None:
        parts.append("one start fits" if starts == 1 else f"{starts} starts fit")
    return "; ".join(parts) + "."


def rule_words(points: float, slope: float, weeks: int) -> str:
    """How points follow from a gap."""
    source = f"learned from {weeks} starts" if weeks else "an opinion, as long as no points are entered"
    return f"{points:.0f} points at the target, {-slope:.0f} fewer for each per cent above it ({source})."
