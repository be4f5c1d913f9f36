"""The season ahead, in sentences."""

__all__ = ["begin_words", "known_words"]


def begin_words(place: int, begin: int, short: float, needed: float) -> str:
    """When a driver has to begin with a week's races.

    Args:
        place, begin: of the week, and of the one in which to begin; 0: the week that runs.
        short: hours that aren't there even so.
    """
    if needed <= 0:
        return ""
    if begin == place:
        told = ""
    elif begin == 0:
        told = "begin now"
    else:
        told = "begin the week before" if place - begin == 1 else f"begin {place - begin} weeks before"
    lacking = f"{short:.1f} h are missing even so" if short else ""
    return "; ".join(part for part in (told, lacking) if part) or "fits"


def known_words(
    likely: int, track: int, same: int, *, entered: bool, has_layout: bool, has_target: bool, unread: int, own: bool
) -> tuple[list[str], list[str]]:
    """What must be learned or done before a race to come, and what is known.

    Args:
        likely: drivers who are entered, or drive in the series now.
        track, same: of those who know the track, and the car on it.
        own: told to a driver about themselves.
    """
    missing: list[str] = []
    known: list[str] = []
    if not has_layout:
        missing.append("the track isn’t in the book yet")
    elif own:
        (known if track else missing).append(
            "you know car and track" if same else "you know the track" if track else "you don’t know the track yet"
        )
    elif likely:
        if track == likely:
            known.append("all know the track")
        else:
            missing.append(f"{likely - track} of {likely} don’t know the track" if track else "nobody knows the track")
        if track and same == 0:
            missing.append("nobody knows this car on it")
        elif 0 < same < track:
            known.append(f"{same} of {likely} know this car on it")
    if not entered:
        missing.append("nobody is entered yet")
    if has_layout and not has_target:
        missing.append("no target yet")
    if unread:
        missing.append(
            f"{unread} corners without a braking reference" if unread > 1 else "one corner without a braking reference"
        )
    return missing, known
