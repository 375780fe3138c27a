"""What a person makes of values that are there."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence

from hombi.core.formula import FormulaError, sources_of
from hombi.core.names import slug
from hombi.core.series import DAY_MS, HOUR_MS, Derivation
from hombi.core.series.methods import (
    FORMULA,
    MOST_SOURCES,
    MethodError,
    checked,
    limits_of,
    temperature_factor,
)
from hombi.hub.computed.events import ComputedAdded, ComputedRemoved
from hombi.hub.computed.feature import Computed
from hombi.hub.computed.origins import how_of
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import Entity
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.naming import proper_name

HOUSE = "house"
# What marks a value that is there for texts alone.
FOR_TEXTS = "for_texts"


class MakeComputed(Change[Computed, Entity], frozen=True):
    """Make an entity that is computed from others, with its past. Unless a room is
    named, it stands on the node that all of them are of, or in the room of the first.
    Raises NotFound, Invalid."""

    method: str
    sources: Sequence[str]
    parameters: Mapping[str, float | str] = {}
    title: str = ""
    room: str = ""
    # Whether it is there only as long as the text of an automation names it.
    for_texts: bool = False

    feature = Computed
    right = Right.ARRANGE

    async def do(self, feature: Computed, by: Actor) -> Done[Entity]:
        async with feature.one_by_one:
            return await self._made(feature)

    async def _made(self, feature: Computed) -> Done[Entity]:
        house = feature.house
        sources = self.sources
        if self.method == FORMULA:
            sources = await asyncio.to_thread(_named, str(self.parameters.get("text", "")))
        if len(sources) > MOST_SOURCES:
            raise Invalid(f"a value is computed from {MOST_SOURCES} others at most")
        entities = [house.entity(source) for source in sources]
        if len({one.address for one in entities}) < len(entities):
            raise Invalid("a source is named twice")
        try:
            kinds = [one.kind for one in entities]
            method, kind, parameters = await asyncio.to_thread(
                checked, self.method, kinds, self.parameters
            )
            if parameters.pop("surface", ""):
                parameters["frsi"] = _factor(str(self.parameters["surface"]), entities)
        except (MethodError, FormulaError) as error:
            raise Invalid(str(error)) from error
        if not entities:
            raise Invalid("name at least one value")
        host = None if self.room else house.host_of(entities)
        room = house.room(self.room) if self.room else entities[0].room
        title = proper_name(self.title, "the name of a value") or method.title
        if not slug(title):
            raise Invalid("a value needs a name with a letter or a digit")
        start = host.address if host else room.slug if room else HOUSE
        address = f"{start}/{slug(title)}"
        if address in house.entities:
            raise Invalid(f"{address} is there already; give this one another name")
        how = Derivation(
            method.name,
            tuple(one.address for one in entities),
            {n: v if isinstance(v, str) else f"{v:.12g}" for n, v in parameters.items()},
        )
        low, high = limits_of(method.name, kind)
        own_room = room if host is None else None
        entity = Entity(0, address, title, kind, how, low, high, own_room=own_room, host=host)
        entity.own = {FOR_TEXTS: True} if self.for_texts else {}
        port = feature.context.records.house
        entity.id = await feature.context.thread.run(port.add_computed, entity)
        house.add_entity(entity)
        feature.look()
        feature.touch(how.sources)
        feature.derive_past(entity)
        sources = ", ".join(how.sources)
        return Done(entity, ComputedAdded(entity=address, method=method.name, sources=sources))


def mean_of(entity: Entity, ms: int) -> MakeComputed:
    """The change that makes the moving mean of an entity over a time."""
    unit = next(one for one in (DAY_MS, HOUR_MS, 60_000, 1_000, 1) if ms % one == 0)
    words = {DAY_MS: "d", HOUR_MS: "h", 60_000: "min", 1_000: "s", 1: "ms"}
    window = f"{ms // unit} {words[unit]}"
    title = f"{entity.title} mean of {window}"
    return MakeComputed("moving-mean", [entity.address], {"window": window}, title, for_texts=True)


def _factor(surface: str, sources: Sequence[Entity]) -> float:
    """The temperature factor of a surface that was measured now. Raises
    MethodError."""
    inside, _, outside = (source.latest for source in sources)
    if inside is None or outside is None or not (inside.usable and outside.usable):
        raise MethodError("both temperatures must be heard when the surface is measured")
    assert inside.value is not None
    assert outside.value is not None
    try:
        measured = float(surface.replace(",", "."))
    except ValueError as error:
        raise MethodError(f"surface: {surface[:40]!r} is not a number") from error
    return round(temperature_factor(measured, inside.value, outside.value), 3)


def _named(text: str) -> Sequence[str]:
    """The values that a formula names. Raises Invalid."""
    try:
        result = sources_of(text)
    except FormulaError as error:
        raise Invalid(str(error)) from error
    if "value" in result:
        raise Invalid("`value` is what a step knows; name an entity by its address")
    return result


class RemoveComputed(Change[Computed, None], frozen=True):
    """Take a computed value away, with its history. Raises NotFound; Refused when
    others are computed from it."""

    entity: str

    feature = Computed
    right = Right.ARRANGE

    async def do(self, feature: Computed, by: Actor) -> Done[None]:
        entity = feature.house.entity(self.entity)
        if how_of(entity) is None:
            raise Refused(f"{entity.address} is not derived")
        others = [dependant.address for dependant in feature.dependants([entity.address])]
        if others:
            raise Refused(f"{', '.join(others)} is computed from it; remove that first")
        await feature.context.thread.run(feature.context.records.house.remove_entity, entity)
        feature.house.take_out_entity(entity)
        feature.look()
        return Done(None, ComputedRemoved(entity=entity.address))
