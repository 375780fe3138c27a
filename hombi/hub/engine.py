"""The engine: feeds live readings and the passing of time to the automations, and does what they say."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from datetime import tzinfo
from typing import Any, Protocol

from hombi.core.automation import Automation, Edge, Notify, Phase, State, Switch, due_ms, parse, sentence, step
from hombi.core.quality import Quality
from hombi.core.toml_text import Mistake
from hombi.core.values import show_limit, show_span, show_value
from hombi.hub.actuation import Actuation
from hombi.hub.clock import Clock, Timer
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import Entity, House, Reading
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import AutomationRecord, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.tasks import Tasks
from hombi.links.thing_description import slug

# Addresses beside those of the automations: /automations/new, /api/automations/check, /api/automations/write.
RESERVED = frozenset({"new", "check", "write"})


class Teller(Protocol):
    """Who brings a notice to the phones."""

    async def tell(self, to: str, title: str, text: str, path: str) -> None:
        """Send a notice to one person or to "everyone"; `path` is the console's page it opens."""


@dataclass
class Runner:
    """One automation at work. `automation` is None while its text does not fit the house."""

    record: AutomationRecord
    automation: Automation | None
    mistakes: tuple[Mistake, ...]
    state: State
    due: int | None = None


def mistake_data(mistake: Mistake) -> dict[str, Any]:
    """A mistake as programs see it."""
    return {
        "line": mistake.place.line,
        "column": mistake.place.column,
        "what": mistake.what,
        "hint": mistake.hint,
        "source_line": mistake.source_line,
    }


class Engine:
    """All automations."""

    def __init__(
        self,
        house: House,
        zone: tzinfo,
        clock: Clock,
        records: Records,
        thread: RecordsThread,
        live: Live,
        journal: Journal,
        tasks: Tasks,
        actuation: Actuation,
        teller: Teller,
    ) -> None:
        self._house, self.zone, self._clock = house, zone, clock
        self._records, self._thread, self._live, self._journal, self._tasks = records, thread, live, journal, tasks
        self._actuation, self._teller = actuation, teller
        self.runners: dict[str, Runner] = {}
        self._by_entity: dict[str, list[Runner]] = {}
        self._timer: Timer | None = None

    # Keeping automations

    def load(self, records: list[AutomationRecord]) -> None:
        """Take up the automations of before a restart, where they stood; holds that came due meanwhile act now."""
        for record in records:
            self._take(record, _state(record.state))
        self.time_passed()

    def check(self, text: str) -> tuple[Automation | None, tuple[Mistake, ...], str]:
        """What a text comes to, without keeping it: (automation, mistakes, sentence)."""
        parsed = parse(text, self._house.facts())
        return parsed.automation, parsed.mistakes, self.spoken(parsed.automation) if parsed.automation else ""

    def spoken(self, automation: Automation) -> str:
        """The automation as a sentence."""
        names = {address: entity.spoken for address, entity in self._house.entities.items()}
        return sentence(automation, names)

    async def add(self, text: str) -> Runner:
        """Keep a new automation. Raises Invalid with every mistake, or when there is one of this name."""
        automation = self._sound(text)
        address = slug(automation.name)
        if address in self.runners:
            raise Invalid(f"there is an automation {automation.name!r} already; give this one another name, or change that one")
        record = await self._thread.run(self._records.add_automation, address, text)
        runner = self._take(record, State())
        self._journal.note("AutomationAdded", f"{automation.name} was added", automation=address)
        self._changed(runner)
        self._feed_latest(runner)
        return runner

    async def change(self, address: str, *, text: str | None = None, enabled: bool | None = None) -> Runner:
        """Give an automation another text (word for word), or switch it on or off. It begins anew.

        Raises NotFound, Invalid.
        """
        runner = self.find(address)
        record = runner.record
        if text is not None:
            automation = self._sound(text)
            if slug(automation.name) != address and slug(automation.name) in self.runners:
                raise Invalid(f"there is an automation {automation.name!r} already")
        record.text = record.text if text is None else text
        record.enabled = record.enabled if enabled is None else enabled
        record.state = {}
        await self._thread.run(self._records.save_automation, record)
        self._drop(runner)
        runner = self._take(record, State())
        what = "was changed" if text is not None else ("is on duty" if record.enabled else "is off duty")
        self._journal.note("AutomationChanged", f"{address} {what}", automation=address)
        self._changed(runner)
        self._feed_latest(runner)
        return runner

    async def remove(self, address: str) -> None:
        """Raises NotFound."""
        runner = self.find(address)
        await self._thread.run(self._records.remove_automation, runner.record)
        self._drop(runner)
        self._journal.note("AutomationRemoved", f"{address} was removed", automation=address)
        self._live.publish("automation", {"automation": address, "phase": "removed"})

    def find(self, address: str) -> Runner:
        """Raises NotFound."""
        runner = self.runners.get(address)
        if runner is None:
            raise NotFound(f"no automation {address}; `hombi automation list` names them")
        return runner

    def house_changed(self) -> None:
        """Entities came or went: read all texts again."""
        for runner in list(self.runners.values()):
            self._drop(runner)
            self._take(runner.record, runner.state)

    def clock_set(self, by_ms: int) -> None:
        """The machine's clock was set: what is held is held for as long as before, by the new time."""
        for runner in list(self.runners.values()):
            if runner.automation is not None and runner.state.since_ms:
                runner.state = replace(runner.state, since_ms=runner.state.since_ms + by_ms)
                runner.record.state = asdict(runner.state)
                self._tasks.start(self._thread.run(self._records.save_automation, runner.record), name="automation state")
            if runner.automation is not None and runner.record.enabled:
                self._plan(runner)

    def _sound(self, text: str) -> Automation:
        automation, mistakes, _ = self.check(text)
        if automation is None:
            count = len(mistakes)
            raise Invalid(f"the text has {count} mistake{'s' * (count != 1)}", [mistake_data(m) for m in mistakes])
        if not slug(automation.name):
            raise Invalid("the name has no letter and no digit")
        if slug(automation.name) in RESERVED:
            raise Invalid(f"{automation.name!r} is an address of the console's or the API's own; give it a longer name")
        return automation

    def _take(self, record: AutomationRecord, state: State) -> Runner:
        parsed = parse(record.text, self._house.facts())
        runner = Runner(record, parsed.automation, parsed.mistakes, state)
        self.runners[record.slug] = runner
        if runner.automation is not None and record.enabled:
            self._by_entity.setdefault(runner.automation.watch.entity, []).append(runner)
            self._plan(runner)
        elif runner.mistakes:
            self._journal.fault("AutomationStopped", f"{record.slug} cannot run: {runner.mistakes[0]}")
        return runner

    def _drop(self, runner: Runner) -> None:
        self.runners.pop(runner.record.slug, None)
        if runner.automation is not None:
            watching = self._by_entity.get(runner.automation.watch.entity, [])
            if runner in watching:
                watching.remove(runner)

    # Running them

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A fresh reading. One of bad quality is no ground to act on."""
        runners = self._by_entity.get(entity.address)
        if runners and reading.quality < Quality.STUCK:
            now = self._clock.now_ms()
            for runner in list(runners):
                self._step(runner, now, reading.value)

    def time_passed(self) -> None:
        """Step every automation whose time has come, and set the timer for the next."""
        now = self._clock.now_ms()
        for runner in list(self.runners.values()):
            if runner.due is not None and runner.due <= now:
                self._step(runner, now, None)
        self._set_timer()

    def _feed_latest(self, runner: Runner) -> None:
        """A new automation looks at what is known now; it does not wait for the next reading."""
        if runner.automation is not None and runner.record.enabled:
            latest = self._house.entities[runner.automation.watch.entity].latest
            if latest is not None and latest.quality < Quality.STUCK:
                self._step(runner, self._clock.now_ms(), latest.value)

    def _step(self, runner: Runner, now: int, value: float | None) -> None:
        automation = runner.automation
        if automation is None or not runner.record.enabled:
            return
        before = runner.state
        runner.state, edge = step(automation, before, now, self.zone, value)
        if edge is not None:
            self._act(runner, automation, edge)
        if runner.state.phase is not before.phase or runner.state.since_ms != before.since_ms:
            runner.record.state = asdict(runner.state)
            self._tasks.start(self._thread.run(self._records.save_automation, runner.record), name="automation state")
            self._plan(runner)
            self._changed(runner)

    def _plan(self, runner: Runner) -> None:
        assert runner.automation is not None
        runner.due = due_ms(runner.automation, runner.state, self._clock.now_ms(), self.zone)
        self._set_timer()

    def _set_timer(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        due = min((r.due for r in self.runners.values() if r.due is not None), default=None)
        if due is not None:
            self._timer = self._clock.call_at_ms(due, self.time_passed)

    def _act(self, runner: Runner, automation: Automation, edge: Edge) -> None:
        """Begin all actions of this edge, in their order. None waits for the one before: a notice about a mister is
        true whether or not the mister answers, and what fails is journaled by itself."""
        slug_ = runner.record.slug
        verb, event = ("started", "AutomationStarted") if edge.starts else ("ended", "AutomationEnded")
        fields = self._fields(automation, edge)
        for action in automation.starts if edge.starts else automation.ends:
            if isinstance(action, Switch):
                entity = self._house.entities[action.entity]
                self._tasks.start(self._actuation.command(entity, action.to, automation.name), name=f"{slug_} switch")
            elif isinstance(action, Notify):
                title, text = action.title.format(**fields), action.text.format(**fields)
                self._tasks.start(self._teller.tell(action.to, title, text, f"/automations/{slug_}"), name=f"{slug_} notice")
        self._journal.note(
            event,
            f"{automation.name} {verb}: {edge.why.text}",
            automation=slug_,
            entity=automation.watch.entity,
            value=edge.why.seen,
            limit=edge.why.limit,
            held_ms=edge.why.held_ms,
        )

    def _fields(self, automation: Automation, edge: Edge) -> dict[str, str]:
        entity = self._house.entities[automation.watch.entity]
        return {
            "name": automation.name,
            "entity": entity.spoken,
            "room": entity.node.room.name if entity.node.room else "",
            "value": show_value(edge.why.seen, entity.kind),
            "limit": show_limit(edge.why.limit, entity.kind),
            "held": show_span(edge.why.held_ms),
        }

    def _changed(self, runner: Runner) -> None:
        self._live.publish(
            "automation",
            {"automation": runner.record.slug, "phase": runner.state.phase.value, "since": runner.state.since_ms},
        )

    def close(self) -> None:
        """Set no more timers."""
        if self._timer is not None:
            self._timer.cancel()


def _state(stored: dict[str, Any]) -> State:
    if not stored:
        return State()
    return State(Phase(stored["phase"]), stored["since_ms"], stored["value"])
