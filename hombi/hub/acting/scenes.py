"""Scenes: states of several entities, recorded as they are and recalled together."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from hombi.core.names import slug
from hombi.hub.acting.actuation import Command, CommandState, SwitchEntity
from hombi.hub.acting.events import SceneRecalled, SceneRecorded, SceneRemoved
from hombi.hub.acting.scenes_port import SceneRecord
from hombi.hub.errors import Invalid
from hombi.hub.house import House, Scene
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.lookup import find
from hombi.hub.naming import proper_name

MOST_SCENES, MOST_STATES, LONGEST_TITLE = 100, 60, 80


@dataclass(frozen=True, slots=True)
class Recalled:
    """What came of a recall: a command for each entity that is there, and the addresses
    of those that are not."""

    scene: Scene
    commands: tuple[Command, ...]
    gone: tuple[str, ...]


class Scenes(Feature):
    """Keeps them."""

    name = "scenes"

    def __init__(self, context: Context, house: House) -> None:
        super().__init__(context)
        self.house = house
        self.one_by_one = asyncio.Lock()

    async def open(self) -> None:
        for scene in await self.context.thread.run(self.context.records.scenes.all):
            self.house.scenes[scene.slug] = Scene(scene.slug, scene.title, scene.states)

    @property
    def all(self) -> list[Scene]:
        """All of them, by title."""
        return sorted(self.house.scenes.values(), key=lambda one: (one.title.casefold(), one.slug))

    def find(self, name: str) -> Scene:
        """The scene with this address or title. Raises NotFound, Refused."""
        return find(self.house.scenes, name, "scene", lambda one: (one.title,))

    def present(self, addresses: Sequence[str]) -> dict[str, float]:
        """The present states of some entities. Raises NotFound, Invalid."""
        if not addresses:
            raise Invalid("a scene needs an entity at least; name those that can be set")
        if len(addresses) > MOST_STATES:
            raise Invalid(f"a scene has {MOST_STATES} entities at most, not {len(addresses)}")
        states = {}
        for address in addresses:
            entity = self.house.entity(address)
            if not entity.writable:
                raise Invalid(f"{entity.address} is read-only; a scene holds what can be set")
            if entity.latest is None or entity.latest.value is None:
                raise Invalid(f"{entity.address} has not told its state yet")
            states[entity.address] = entity.latest.value
        return states


class RecordScene(Change[Scenes, Scene], frozen=True):
    """Record the present states of some entities; of a scene that is there, of its own
    ones unless others are named. Raises NotFound, Invalid."""

    title: str
    entities: Sequence[str] = ()

    feature = Scenes
    right = Right.ARRANGE

    async def do(self, feature: Scenes, by: Actor) -> Done[Scene]:
        async with feature.one_by_one:
            title = proper_name(self.title, "the name of a scene")
            address = slug(title)
            if not address or len(title) > LONGEST_TITLE:
                raise Invalid(
                    f"a scene needs a name with a letter or a digit, {LONGEST_TITLE} characters "
                    f"at most"
                )
            before = feature.house.scenes.get(address)
            if before is None and len(feature.house.scenes) >= MOST_SCENES:
                raise Invalid(f"there are {MOST_SCENES} scenes already; remove one first")
            named = self.entities or list(before.states if before else ())
            made = Scene(address, before.title if before else title, feature.present(named))
            record = SceneRecord(made.slug, made.title, made.states)
            await feature.context.thread.run(feature.context.records.scenes.save, record)
            feature.house.scenes[address] = made
        return Done(made, SceneRecorded(scene=made.title))


class RecallScene(Change[Scenes, Recalled], frozen=True):
    """Put all entities of a scene into its states, at once, and wait for their nodes.
    Raises NotFound."""

    scene: str

    feature = Scenes
    right = Right.USE

    async def do(self, feature: Scenes, by: Actor) -> Done[Recalled]:
        scene = feature.find(self.scene)
        known = feature.house.entities
        there = [state for state in scene.states if state in known and known[state].writable]
        asking = [
            feature.context.changes.do(SwitchEntity(known[one], scene.states[one]), by)
            for one in there
        ]
        commands = tuple(await asyncio.gather(*asking))
        gone = tuple(state for state in scene.states if state not in there)
        failed = [c.entity.spoken for c in commands if c.state is not CommandState.CONFIRMED]
        recalled = SceneRecalled(scene=scene.title, failed=", ".join([*failed, *gone]))
        return Done(Recalled(scene, commands, gone), recalled)


class RemoveScene(Change[Scenes, None], frozen=True):
    """Remove a scene. Raises NotFound."""

    scene: str

    feature = Scenes
    right = Right.ARRANGE

    async def do(self, feature: Scenes, by: Actor) -> Done[None]:
        async with feature.one_by_one:
            scene = feature.find(self.scene)
            await feature.context.thread.run(feature.context.records.scenes.remove, scene.slug)
            del feature.house.scenes[scene.slug]
        return Done(None, SceneRemoved(scene=scene.title))
