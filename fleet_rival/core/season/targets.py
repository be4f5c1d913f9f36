"""The lap that a combination's drivers prepare for: a rule, and what it comes to now."""

from dataclasses import dataclass

from fleet_rival.core.words import TARGET_RULES

__all__ = ["BadTarget", "Benchmark", "Target", "target_us"]


class BadTarget(ValueError):
    """A rule that can't be followed; the message is the reason."""


@dataclass(frozen=True, slots=True)
class Benchmark:
    """A lap to be measured against: whose, from where, under which conditions."""

    time_us: int
    whose: str = ""
    source: str = ""
    conditions: str = ""


@dataclass(frozen=True, slots=True)
class Target:
    """A rule for the target lap."""

    rule: str
    """`time`: as given. `benchmark`: a share of the benchmark. `ideal`: a share of our best linked ideal."""
    time_us: int | None = None
    per_cent: float | None = None
    """Of the benchmark or the ideal; 100 where nothing is said."""

    def check(self, benchmark: Benchmark | None) -> None:
        """Say what is missing.

        Raises:
            BadTarget: an unknown rule, a share out of all proportion, or nothing to take it of.
        """
        if self.rule not in TARGET_RULES:
            raise BadTarget(f"{self.rule} is not one of {', '.join(TARGET_RULES)}")
        if self.rule == "time" and not self.time_us:
            raise BadTarget("the target's time is missing")
        if self.rule == "benchmark" and benchmark is None:
            raise BadTarget("there is no benchmark yet to take a share of")
        if self.per_cent is not None and not 90 <= self.per_cent <= 150:
            raise BadTarget(f"{self.per_cent:g} % is outside of 90 to 150 %")


def target_us(target: Target | None, benchmark: Benchmark | None, ideal_us: int | None) -> int | None:
    """The target lap, to the microsecond; None where the rule has nothing to go by.

    Args:
        ideal_us: the best linked ideal of the team in the combination.

    >>> target_us(Target("benchmark", per_cent=101), Benchmark(92_000_000), None)
    92920000
    """
    if target is None:
        return None
    if target.rule == "time":
        return target.time_us
    base = (benchmark.time_us if benchmark else None) if target.rule == "benchmark" else ideal_us
    # Per cent with at most six decimals as a whole number, so that no float touches a time.
    return None if base is None else (base * round((target.per_cent or 100.0) * 1_000_000) + 50_000_000) // 100_000_000
