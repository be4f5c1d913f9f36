"""A team's own rules of readiness and plans, and own kinds of blocks: read by who plans, changed by the manager."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from types import MappingProxyType
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.planning.blocks import BLOCKS, BadBlock, BlockKind, library_of
from fleet_rival.core.settings import CHECKS, BadRule, BadValue, Planning, Rules, rules_of
from fleet_rival.db.tables import PlanRules
from fleet_rival.services.shared.base import Actor, begin_change, check_version
from fleet_rival.services.shared.errors import Refused
from fleet_rival.wording.plan import BLOCK_WORDS, CHECK_TITLES, pass_words
from fleet_rival.wording.settings import PLANNING

__all__ = ["OwnRules", "change_rules", "own_rules", "rules_view"]


_TOLD: Final = "Changed the rules of readiness, plans and blocks"


@dataclass(frozen=True, slots=True)
class OwnRules:
    """What a team's plans and readiness go by."""

    readiness: Rules
    library: Mapping[str, BlockKind]
    planning: Planning


def own_rules(session: Session, actor: Actor) -> OwnRules:
    """The team's rules: the usual ones with what it has changed."""
    row = session.scalars(select(PlanRules).where(PlanRules.team_id == actor.team_id)).first()
    if row is None:
        return OwnRules(Rules(), BLOCKS, Planning())
    return OwnRules(
        rules_of(row.readiness, row.weights), library_of(row.blocks), Planning.from_mapping(row.planning or {})
    )


def rules_view(sessions: sessionmaker[Session], actor: Actor) -> dict[str, Any]:
    """The rules as they go out: each check and each kind of block, as it is and as it usually is."""
    with sessions() as session:
        row = session.scalars(select(PlanRules).where(PlanRules.team_id == actor.team_id)).first()
        rules = own_rules(session, actor)
    usual = Rules()
    weights, usual_weights = dict(rules.readiness.weights), dict(usual.weights)
    return {
        "version": row.version if row is not None else 0,
        "checks": [
            {
                "key": key,
                "title": CHECK_TITLES[key],
                "met": getattr(rules.readiness, field)[0],
                "close": getattr(rules.readiness, field)[1],
                "usual_met": getattr(usual, field)[0],
                "usual_close": getattr(usual, field)[1],
                "weight": weights.get(key, 1.0),
                "usual_weight": usual_weights.get(key, 1.0),
            }
            for key, field in CHECKS.items()
        ],
        "blocks": [
            {
                **asdict(kind),
                "words": BLOCK_WORDS.get(code, kind.name),
                "usual_pass_mark": pass_words(code, {}),
                "own": code not in BLOCKS,
            }
            for code, kind in rules.library.items()
        ],
        "planning": [
            {"key": key, "words": words, "value": getattr(rules.planning, key), "usual": getattr(Planning(), key)}
            for key, words in PLANNING.items()
        ],
    }


def change_rules(
    sessions: sessionmaker[Session],
    actor: Actor,
    version: int,
    checks: Mapping[str, Mapping[str, float]],
    blocks: Mapping[str, Mapping[str, Any]],
    planning: Mapping[str, float] = MappingProxyType({}),
) -> dict[str, Any]:
    """Write the team's rules. What is as usual isn't kept, so that it follows when the usual changes.

    Args:
        version: that was looked at; 0: nobody had changed anything yet.
        checks: check to `met`, `close` and `weight`.
        blocks: kind to its values; kinds of the team that are missing are gone.
        planning: setting of planning to its value; as usual where it is missing.

    Raises:
        Refused: a value that can't be.
        Outdated: somebody changed them meanwhile.
    """
    usual, weights = Rules(), dict(Rules().weights)
    pairs = {key: (item["met"], item["close"]) for key, item in checks.items()}
    told = {key: pair for key, pair in pairs.items() if pair != getattr(usual, CHECKS.get(key, ""), None)}
    heavy = {key: item["weight"] for key, item in checks.items() if item["weight"] != weights.get(key, 1.0)}
    other = {code: _other(code, values) for code, values in blocks.items()}
    changed = {code: values for code, values in other.items() if values}
    try:
        rules_of(told, heavy)
        library_of(changed)
        meant = asdict(Planning.from_mapping(planning))
    except BadValue as error:
        raise Refused(f"“{PLANNING.get(error.name, error.name)}” {error.wanted}.") from error
    except (BadRule, BadBlock) as error:
        raise Refused(str(error)) from error
    with sessions.begin() as session:
        row = session.scalars(select(PlanRules).where(PlanRules.team_id == actor.team_id).with_for_update()).first()
        if row is None:
            row = PlanRules(team_id=actor.team_id, readiness={}, weights={}, blocks={})
            begin_change(session, actor, "plan.rules", _TOLD)
            session.add(row)
        else:
            check_version(row, version, "set of rules")
            begin_change(session, actor, "plan.rules", _TOLD, row)
        row.readiness, row.weights, row.blocks = {key: list(pair) for key, pair in told.items()}, heavy, changed
        row.planning = {name: value for name, value in meant.items() if value != getattr(Planning(), name)}
    return rules_view(sessions, actor)


def _other(code: str, values: Mapping[str, Any]) -> dict[str, Any]:
    if code not in BLOCKS:
        return dict(values)
    usual = asdict(BLOCKS[code])
    return {name: value for name, value in values.items() if name in usual and value != usual[name]}
