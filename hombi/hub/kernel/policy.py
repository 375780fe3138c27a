"""Rights: which sort of actor may make which change. This page is the whole policy."""

from __future__ import annotations

from enum import StrEnum

from hombi.hub.kernel.actor import Actor, ActorKind


class Right(StrEnum):
    """What a change needs a right to. The value completes "may …" in a refusal."""

    USE = "use the house's switches"
    TUNE = "change how a node works"
    ARRANGE = "name and arrange what is in the house"
    ADMIT = "let nodes in and take them out"
    WRITE = "write automations"
    TELL = "say who takes notices"
    KEEP = "look after the hub: keys, tools, radios, accounts"
    CLAIM = "make the hub theirs"


_PERSON = frozenset({ActorKind.PERSON})

# Every person of the household is its owner today.
MAY: dict[Right, frozenset[ActorKind]] = {
    Right.USE: _PERSON | {ActorKind.AUTOMATION},
    Right.TUNE: _PERSON,
    Right.ARRANGE: _PERSON,
    Right.ADMIT: _PERSON,
    Right.WRITE: _PERSON,
    Right.TELL: _PERSON | {ActorKind.HOUSE},
    Right.KEEP: _PERSON,
    Right.CLAIM: frozenset({ActorKind.STRANGER}),
}


def allows(actor: Actor, right: Right) -> bool:
    """Whether this actor has this right."""
    return actor.kind in MAY[right]
