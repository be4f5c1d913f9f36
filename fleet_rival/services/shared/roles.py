"""Who may do what: a role is a set of permissions, and this is the one table of them.

A permission has the name of the act that it allows, as the history keeps it (`lap.overrule`); `<step>.see` allows
looking at
a step's pages. Routes, the history, the description of the interface and the pages' own menus ask here. A new role is a
line
in `ROLES`.
"""

from typing import Final

from fleet_rival.core.words import Role

__all__ = ["ALL", "ROLES", "SEE_ALL", "may", "permissions_of"]

SEE_ALL: Final = "drivers.see_all"
"""Every driver's laps, figures and work, to see and to act on; without it only the own."""


def _acts(thing: str, *acts: str) -> frozenset[str]:
    return frozenset(f"{thing}.{act}" for act in acts)


_EVERYBODYS: Final = frozenset().union(
    {
        f"{step}.see"
        for step in ("week", "track", "drive", "find", "fix", "plan", "race", "log", "team", "history", "job")
    },
    _acts("calendar", "address", "revoke"),
    _acts("driver", "profile"),
    _acts("entry", "change"),
    _acts("exchange", "take"),
    _acts("history", "turn"),
    _acts("job", "change"),
    _acts("lap", "answer", "change", "mend", "overrule", "remark"),
    _acts("laps", "import", "time", "type"),
    _acts("lesson", "add", "change", "remove"),
    _acts("me", "change"),
    _acts("pass", "correct"),
    _acts("question", "answer", "ask", "remove"),
    _acts("reference", "change", "picture", "propose", "remove"),
    _acts("result", "add", "change", "remove"),
    _acts("run", "begin", "change", "declare", "feel", "remove"),
    _acts("setup", "add", "change"),
    _acts("telemetry", "import"),
)
"""On what is the own, where `SEE_ALL` is missing."""
_OF_WHO_PREPARES: Final = frozenset().union(
    {SEE_ALL},
    _acts("car", "add", "change", "remove"),
    _acts("combination", "add", "change", "remove", "target"),
    _acts("corner", "change"),
    _acts("driver", "add", "change", "remove"),
    _acts("entry", "add", "move", "remove"),
    _acts("exercise", "assign", "change", "end", "remove"),
    _acts("laps", "deliver"),
    _acts("lesson", "confirm"),
    _acts("plan", "change", "make", "remove"),
    _acts("question", "close"),
    _acts("race", "change", "sheet"),
    _acts("reference", "carry", "confirm", "decline"),
    _acts("resource", "add", "change", "remove"),
    _acts("season", "import"),
    _acts("series", "add", "change", "counting", "remove"),
    _acts("session", "change", "merge", "move", "split"),
    _acts("setup", "remove"),
    _acts("track", "add", "boundaries", "change", "remove"),
    _acts("week", "add", "change", "remove"),
)
_OF_WHO_IS_IN_CHARGE: Final = frozenset().union(
    _acts("people", "change", "invite", "invite.withdraw", "join", "leave", "remove", "rig", "rig.revoke", "see"),
    _acts("plan", "rules"),
    _acts("team", "bring", "change", "package"),
)
_OF_WHO_DRIVES: Final = _acts("race", "read")

ROLES: Final[dict[Role, frozenset[str]]] = {
    "manager": _EVERYBODYS | _OF_WHO_PREPARES | _OF_WHO_IS_IN_CHARGE,
    "coach": _EVERYBODYS | _OF_WHO_PREPARES,
    "driver": _EVERYBODYS | _OF_WHO_DRIVES,
}
"""Role to what it may, in the order in which they are chosen from."""
ALL: Final = frozenset().union(*ROLES.values())


def permissions_of(role: str) -> frozenset[str]:
    """What a role may; nothing for one that isn't known."""
    return next((allowed for known, allowed in ROLES.items() if known == role), frozenset())


def may(role: str, permission: str) -> bool:
    """Whether a role may do an act.

    Raises:
        KeyError: nobody may; the permission stands in no role, so that a slip of the pen refuses everybody at once.
    """
    if permission not in ALL:
        raise KeyError(permission)
    return permission in permissions_of(role)
