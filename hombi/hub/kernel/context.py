"""What each feature of the hub is given, and what the hub expects of a feature."""

from __future__ import annotations

import contextlib
from collections.abc import AsyncIterator, Callable, Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar, TypeVar

from hombi.hub.kernel.actor import HOUSE, Actor
from hombi.hub.kernel.change import Changes
from hombi.hub.kernel.clock import Clock, HouseClock
from hombi.hub.kernel.events import Event
from hombi.hub.kernel.journal import Journal
from hombi.hub.kernel.live import Live
from hombi.hub.kernel.records_thread import RecordsThread
from hombi.hub.kernel.supervisor import Supervisor

if TYPE_CHECKING:
    from hombi.hub.records import Records
    from hombi.hub.settings.config import Config

E = TypeVar("E", bound=Event)


@dataclass(frozen=True, slots=True)
class Need:
    """Something that needs a person: what sort, in words, and the console's page."""

    kind: str
    text: str
    path: str


class Hearers:
    """Who hears of which events, beside the journal and the live stream."""

    def __init__(self) -> None:
        self._all: dict[type[Event], list[Callable[[Any], None]]] = {}
        # By the event's own type, as they are looked up.
        self._found: dict[type[Event], tuple[Callable[[Any], None], ...]] = {}

    def add(self, kind: type[Event], call: Callable[[Any], None]) -> None:
        """From now on this hears of these events."""
        self._all.setdefault(kind, []).append(call)
        self._found.clear()

    def of(self, event: Event) -> tuple[Callable[[Any], None], ...]:
        """Who hears of this one."""
        own = type(event)
        result = self._found.get(own)
        if result is None:
            result = tuple(call for kind in own.__mro__ for call in self._all.get(kind, ()))
            self._found[own] = result
        return result


@dataclass(frozen=True, slots=True)
class Context:
    """Clock, records, live stream, journal and tasks: what a feature works with."""

    clock: HouseClock
    records: Records
    thread: RecordsThread
    live: Live
    journal: Journal
    tasks: Supervisor
    changes: Changes
    _hearers: Hearers = field(default_factory=Hearers)

    @classmethod
    def fresh(cls, machine: Clock, records: Records) -> Context:
        """A context with nothing in it yet, by a machine's clock."""
        clock = HouseClock(machine)
        thread, live, hearers = RecordsThread(), Live(), Hearers()
        journal = Journal(clock, records, thread, live)
        tasks = Supervisor(clock, lambda event: context.announce(event))  # noqa: PLW0108 - there is no context yet
        changes = Changes(lambda event, by: context.announce(event, by))  # noqa: PLW0108
        context = cls(clock, records, thread, live, journal, tasks, changes, hearers)
        return context

    def announce(self, event: Event, by: Actor = HOUSE) -> None:
        """Something happened: into the journal, onto the live stream, and to the
        features that hear of it."""
        if event.journaled:
            self.journal.write(event, by)
        self.live.publish(event)
        for call in self._hearers.of(event):
            try:
                call(event)
            except Exception as error:  # noqa: BLE001 - one hearer's failure is its own
                self.tasks.failed(f"what follows {event.name}", error)

    def hear(self, kind: type[E], call: Callable[[E], None]) -> None:
        """Have this called with each event of a kind, at once when it is announced."""
        self._hearers.add(kind, call)


class Feature:
    """One feature of the hub. It opens and closes as an `async with`, and says itself
    what of it needs a person.

    The parameters of its constructor say what it needs: other features, by their types,
    and `Config`, where it depends on the settings.
    """

    name: ClassVar[str] = ""
    # What needs a person is listed in the rising order of these.
    pressing: ClassVar[int] = 100

    def __init__(self, context: Context) -> None:
        self.context = context
        context.changes.made_by(self)

    @contextlib.asynccontextmanager
    async def opened(self) -> AsyncIterator[None]:
        """Open, for as long as this context is."""
        await self.open()
        try:
            yield
        finally:
            await self.close()

    async def open(self) -> None:
        """Take up what is stored, and begin to work."""

    async def reconfigured(self, new: Config, old: Config) -> None:
        """Take up what of these settings is of this feature. It is called again with
        the same ones when another feature, or this one, could not take them up; what it
        raises is told to the person who wrote them."""

    async def close(self) -> None:
        """Begin nothing more."""

    def needs(self) -> Iterator[Need]:
        """What of this feature needs a person, most pressing first."""
        yield from ()
