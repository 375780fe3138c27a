"""Who somebody is, as an actor: their role, and what of the house is theirs to see."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from hombi.hub.house import Entity
from hombi.hub.hub import Hub
from hombi.hub.kernel import Actor, ActorKind, Limit, Role
from hombi.hub.lookup import find
from hombi.service.accounts.models import AccessToken, Account


def actor_of(user: Any, auth: Any = None) -> Actor:
    """The actor that makes the changes of a request; `auth` is the token that it came
    with."""
    if not isinstance(user, User):  # the command line on the hub's own machine
        return Actor.person(str(user.username))
    limit = Limit(auth.limit) if isinstance(auth, AccessToken) else Limit.CHANGE
    account = Account.objects.filter(user=user).first()
    if account is None:
        role = Role.OWNER if user.is_superuser else Role.ADULT
        return Actor(ActorKind.PERSON, user.username, role, limit=limit)
    return Actor(
        ActorKind.PERSON,
        user.username,
        Role(account.role),
        frozenset(account.rooms),
        account.dashboard,
        account.switches,
        limit,
    )


def sees(h: Hub, actor: Actor, entity: Entity) -> bool:
    """Whether an entity is theirs to see."""
    if not actor.scoped:
        return True
    if actor.role is Role.GUEST:
        return entity.room is not None and entity.room.slug in actor.rooms
    return entity.address in shown_on(h, actor.dashboard)


def meant_by(h: Hub, actor: Actor, name: str) -> Entity:
    """The entity that somebody means by an address or a name. For guests and walls,
    what is not theirs is not there: not in a hint, nor among several of one name.
    Raises NotFound, Refused."""
    if not actor.scoped:
        return h.house.entity(name)
    theirs = {a: e for a, e in h.house.entities.items() if sees(h, actor, e)}
    return find(theirs, name, "entity", lambda e: (e.address, e.title, e.spoken))


def sees_room(actor: Actor, room: str) -> bool:
    """Whether a room is theirs to see."""
    return not actor.scoped or room in actor.rooms


def shown_on(h: Hub, dashboard: str) -> frozenset[str]:
    """The addresses of what a dashboard shows."""
    result = next((one for one in h.dashboards.all if one.slug == dashboard), None)
    return frozenset(of for tile in result.tiles for of in tile.of) if result else frozenset()
