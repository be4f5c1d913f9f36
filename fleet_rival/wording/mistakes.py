"""What mistakes are called, everywhere."""

from typing import Final

__all__ = ["MISTAKE_WORDS"]

MISTAKE_WORDS: Final = {
    "early-brake": "braked too early",
    "late-brake": "braked too late",
    "over-slow": "slower than needed",
    "double-input": "brake, wheel and gear at once",
    "lock-up": "locked wheels",
    "missed-apex": "missed the apex",
    "late-throttle": "throttle too late",
    "early-throttle": "throttle too early, then a lift",
    "slide": "slid",
    "wide-exit": "ran wide at the exit",
    "limits": "beyond the track limits",
    "kerb": "kerb that unsettles",
    "wrong-gear": "wrong gear",
    "limiter": "on the rev limiter",
    "spin": "spun",
    "contact": "contact",
    "other": "cause unknown",
}
