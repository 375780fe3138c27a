"""Rights: who may make which change, and see what. This page is the whole policy."""

from __future__ import annotations

from enum import StrEnum

from hombi.hub.kernel.actor import Actor, ActorKind, Limit, Role


class Right(StrEnum):
    """What something needs a right to. The value completes "may …" in a refusal."""

    LOOK = "see what is theirs to see"
    SEE = "see the whole house"
    SWITCH = "switch what is theirs to switch"
    USE = "use the house's switches"
    TUNE = "change how a node works"
    ARRANGE = "name and arrange what is in the house"
    ADMIT = "let nodes in and take them out"
    WRITE = "write automations"
    TELL = "say who takes notices"
    SIGN = "change their own password, and sign programs in"
    PRESS = "press a button of a notice"
    KEEP = "look after the hub: people, keys, MQTT accounts, radios, backups"
    CLAIM = "make the hub theirs"


_HOUSEHOLD = frozenset({Role.OWNER, Role.ADULT})
_ALL = frozenset(Role)

# Which persons may.
ROLES: dict[Right, frozenset[Role]] = {
    Right.LOOK: _ALL,
    Right.SEE: _HOUSEHOLD,
    Right.SWITCH: _ALL,
    Right.USE: _HOUSEHOLD,
    Right.TUNE: _HOUSEHOLD,
    Right.ARRANGE: _HOUSEHOLD,
    Right.ADMIT: _HOUSEHOLD,
    Right.WRITE: _HOUSEHOLD,
    Right.TELL: _HOUSEHOLD,
    Right.SIGN: frozenset({Role.OWNER, Role.ADULT, Role.GUEST}),
    Right.PRESS: frozenset(),
    Right.KEEP: frozenset({Role.OWNER}),
    Right.CLAIM: frozenset(),
}

# Who else may. The right that comes with a button, and the codes for the first sign-in
# and joining, are checked by the changes themselves.
OTHERS: dict[ActorKind, frozenset[Right]] = {
    ActorKind.AUTOMATION: frozenset({Right.SWITCH, Right.USE, Right.TUNE}),
    ActorKind.HOUSE: frozenset({Right.USE, Right.TELL, Right.ARRANGE, Right.TUNE}),
    ActorKind.STRANGER: frozenset({Right.CLAIM, Right.PRESS}),
    ActorKind.NODE: frozenset(),
}

# What a program may do for a person: no more than the person, and no more than this.
LIMITS: dict[Limit, frozenset[Right]] = {
    Limit.READ: frozenset({Right.LOOK, Right.SEE}),
    Limit.SWITCH: frozenset({Right.LOOK, Right.SEE, Right.SWITCH, Right.USE}),
    Limit.CHANGE: frozenset(Right),
}


def allows(actor: Actor, right: Right) -> bool:
    """Whether this actor has this right."""
    if actor.kind is not ActorKind.PERSON:
        return right in OTHERS[actor.kind]
    if right is Right.SWITCH and actor.role is Role.WALL and not actor.switches:
        return False
    return actor.role in ROLES[right] and right in LIMITS[actor.limit]
