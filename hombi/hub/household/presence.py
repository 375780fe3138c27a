"""Who is home. A person says so, or values are named that tell it: a tag that is heard,
a door code, a bed that is occupied.

It is kept as an entity of each person (`house/ada`), so it has a past, charts and tiles
like any other, and automations look at it in the same way.
"""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from hombi.core.errors import ValueTextError
from hombi.core.kinds import AT_HOME, KINDS
from hombi.core.names import slug
from hombi.core.series import Channel, Channels, Reading
from hombi.core.values import parse_span_ms
from hombi.hub.acting.actuation import Actuation
from hombi.hub.errors import Busy, Invalid, NotFound
from hombi.hub.house import PERSON, Entity, House
from hombi.hub.household.events import PersonFollows, PersonKept, PersonSaid
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right, while_stored
from hombi.hub.machine.events import ClockSet
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.told import tell
from hombi.hub.readings.writer import Writer

MOST_FOLLOWED, USUAL_LINGER_MS, LONGEST_LINGER_MS = 8, 10 * 60_000, 86_400_000
LOOK_EVERY_S, SAFE_S = 5.0, 5.0


@dataclass(slots=True)
class Person:
    """One of the household. `seen` says whether what is named for them says that they
    are here, None while there is nothing; `gone_ms` is since when it does not."""

    name: str
    entity: Entity | None = None
    seen: bool | None = None
    gone_ms: int = 0

    @property
    def follows(self) -> tuple[str, ...]:
        """The addresses that tell whether they are home."""
        return tuple(self.entity.own.get("follows", ())) if self.entity else ()

    @property
    def linger_ms(self) -> int:
        """How long they count as home after the last sign of them."""
        own = self.entity.own if self.entity else {}
        return int(own.get("linger_ms", USUAL_LINGER_MS))


class Presence(Feature):
    """Keeps who is home."""

    name = "presence"

    def __init__(
        self, context: Context, house: House, writer: Writer, intake: Intake, actuation: Actuation
    ) -> None:
        super().__init__(context)
        self.house, self._writer, self._intake = house, writer, intake
        self._people: dict[str, Person] = {}
        self.one_by_one = asyncio.Lock()
        actuation.takes[AT_HOME] = self.say
        intake.hear(self)
        context.hear(ClockSet, lambda event: self._clock_set(event.by_ms))

    async def open(self) -> None:
        self.context.tasks.watch("looking who is home", self._watch)

    @property
    def people(self) -> list[Person]:
        """Everybody of the household, by name."""
        return [self.person(name) for name in sorted(self.house.people, key=str.casefold)]

    def person(self, name: str) -> Person:
        """Someone of the household. Raises NotFound."""
        if name not in self.house.people:
            raise NotFound(f"nobody here is called {name}")
        person = self._people.setdefault(name, Person(name))
        entity = self.house.entities.get(address_of(name))
        # Another person's name may come to the same address.
        own = entity is not None and entity.own.get(PERSON) == name
        person.entity = entity if own else None
        return person

    async def entity_of(self, person: Person) -> Entity:
        """Their entity, made when it is needed first. Raises Invalid."""
        if person.entity is None:
            kind, now = KINDS[AT_HOME], self.context.clock.now_ms()
            address = address_of(person.name)
            if address in self.house.entities or address.endswith("/"):
                raise Invalid(f"{person.name} cannot be kept at {address}: that is another value")
            entity = Entity(
                0, address, person.name, kind, Channels([Channel(0, kind, "", now)]), 0, 1,
                writable=True, own={PERSON: person.name},
            )  # fmt: skip
            entity.id = await self.context.thread.run(self.context.records.house.add_told, entity)
            self.house.add_entity(entity)
            person.entity = entity
            self.context.announce(PersonKept(person=person.name, entity=address))
        return person.entity

    async def say(self, entity: Entity, value: float) -> None:
        """Somebody is home (1) or away (0) from now on; done when that is safe. Raises
        Busy when it is not within a while, because the disk is full or slow."""
        self._put(entity, value)
        try:
            async with asyncio.timeout(SAFE_S):
                await self._writer.flushed()
        except TimeoutError as error:
            raise Busy(f"{entity.address} holds, but is not on the disk yet") from error

    def _put(self, entity: Entity, value: float) -> None:
        tell(entity, value, self.context.clock, self._writer, self._intake)

    # What tells it

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A reading of a value that may tell it."""
        for person in self._people.values():
            if entity.address in person.follows:
                self._look_at(person)

    async def _watch(self) -> None:
        while True:
            self.look()
            await asyncio.sleep(LOOK_EVERY_S)

    def look(self) -> None:
        """See for each person whether a sign of them is there."""
        for person in self.people:
            if person.follows:
                self._look_at(person)

    def _clock_set(self, by_ms: int) -> None:
        """Who has just gone lingers for as long as before, by the new time."""
        for person in self._people.values():
            if person.gone_ms:
                person.gone_ms += by_ms

    def _look_at(self, person: Person) -> None:
        entity, now = person.entity, self.context.clock.now_ms()
        if entity is None:
            return
        seen = any(self._tells(address) for address in person.follows)
        if seen:
            if not person.seen and (entity.latest is None or entity.latest.value != 1.0):
                self._put(entity, 1.0)
            person.seen, person.gone_ms = True, 0
        elif person.seen is not False:
            person.gone_ms = person.gone_ms or now
            if now - person.gone_ms >= person.linger_ms:
                if entity.latest is None or entity.latest.value != 0.0:
                    self._put(entity, 0.0)
                person.seen, person.gone_ms = False, 0

    def _tells(self, address: str) -> bool:
        """Whether a value says that its person is here: it is on, or (one that
        measures) it is heard."""
        entity = self.house.entities.get(address)
        if entity is None or entity.unheard or entity.latest is None:
            return False
        if entity.node is not None and not entity.node.heard_in_this_run:
            return False
        return not entity.kind.two_states or entity.latest.value == 1.0


def address_of(person: str) -> str:
    """The address of a person's entity."""
    return f"house/{slug(person)}"


class SayHome(Change[Presence, Person], frozen=True):
    """Say that somebody is home, or away. Raises NotFound."""

    person: str
    home: bool

    feature = Presence
    right = Right.USE

    async def do(self, feature: Presence, by: Actor) -> Done[Person]:
        async with feature.one_by_one:
            person = feature.person(self.person)
            entity = await feature.entity_of(person)
            await feature.say(entity, float(self.home))
        said = PersonSaid(person=person.name, entity=entity.address, home=self.home)
        return Done(person, said)


class FollowPerson(Change[Presence, Person], frozen=True):
    """Name the values that tell whether somebody is home, and how long they count as
    home after the last sign; no values: their own word alone. Raises NotFound,
    Invalid."""

    person: str
    entities: Sequence[str]
    linger: str = ""

    feature = Presence
    right = Right.ARRANGE

    def _check(self, feature: Presence) -> None:
        if len(self.entities) > MOST_FOLLOWED:
            raise Invalid(f"{MOST_FOLLOWED} values at most tell whether somebody is home")
        named = [feature.house.entity(entity) for entity in self.entities]
        if any(entity.kind.name == AT_HOME for entity in named):
            raise Invalid("name values of nodes, not of people")
        self._linger(feature.person(self.person))

    async def do(self, feature: Presence, by: Actor) -> Done[Person]:
        self._check(feature)
        async with feature.one_by_one:
            person = feature.person(self.person)
            entity = await feature.entity_of(person)
            named = [feature.house.entity(one).address for one in self.entities]
            follows = list(dict.fromkeys(named))
            own = {**entity.own, "follows": follows, "linger_ms": self._linger(person)}
            with while_stored(entity, own=own):
                await feature.context.thread.run(feature.context.records.house.save_entity, entity)
            person.seen, person.gone_ms = None, 0
            feature.look()
        told = PersonFollows(person=person.name, entity=entity.address, follows=", ".join(follows))
        return Done(person, told)

    def _linger(self, person: Person) -> int:
        if not self.linger:
            return person.linger_ms
        try:
            result = parse_span_ms(self.linger)
        except ValueTextError as error:
            raise Invalid(str(error)) from error
        if result > LONGEST_LINGER_MS:
            raise Invalid("a day is the longest")
        return result
