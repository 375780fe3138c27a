"""The engine: feeds live readings and the passing of time to the automations, and does
what they say."""

from __future__ import annotations

import asyncio
import logging
from dataclasses import asdict, dataclass, replace
from datetime import tzinfo
from typing import Any, Protocol

from hombi.core.automation import (
    Automation,
    Edge,
    EdgeKind,
    Notify,
    Parsed,
    Phase,
    State,
    Switch,
    due_ms,
    ended,
    fill,
    parse,
    sentence,
    step,
)
from hombi.core.quality import Quality
from hombi.core.toml_text import Mistake, Place
from hombi.core.values import show_limit, show_span, show_value
from hombi.hub.actuation import Actuation
from hombi.hub.clock import Clock, Timer
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import Entity, House, Node, Reading
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import AutomationRecord, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.tasks import Tasks
from hombi.hub.writer import Writer
from hombi.links.thing_description import slug

log = logging.getLogger(__name__)

# Addresses beside those of the automations: /automations/new, /api/automations/check,
# /api/automations/write.
RESERVED = frozenset({"new", "check", "write"})


# An automation that starts itself this often in one chain of causes is stopped.
ROUNDS = 5
# How long what an automation switched counts as the cause of what happens there.
CAUSE_MS = 30_000
# How long the value may go unheard during a hold, while its rhythm is not known.
UNKNOWN_RHYTHM_MS = 60_000


class Teller(Protocol):
    """Who brings a notice to the phones."""

    def tell(self, to: str, title: str, text: str, path: str) -> None:
        """Send a notice to one person or to "everyone", after the commit; `path` is the
        console's page it opens."""


@dataclass
class Runner:
    """One automation at work. `automation` is None while its text does not fit the
    house; `mistakes` may also name what of it cannot be done while the rest is.
    `broken` says why it was stopped."""

    record: AutomationRecord
    automation: Automation | None
    mistakes: tuple[Mistake, ...]
    state: State
    due: int | None = None
    broken: str = ""

    @property
    def at_work(self) -> bool:
        """Whether it looks at its entity."""
        return self.automation is not None and self.record.enabled and not self.broken


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
        writer: Writer,
    ) -> None:
        self._house, self.zone, self._clock = house, zone, clock
        self._records, self._thread, self._live, self._journal, self._tasks = (
            records,
            thread,
            live,
            journal,
            tasks,
        )
        self._actuation, self._teller, self._writer = actuation, teller, writer
        self.runners: dict[str, Runner] = {}
        self._by_entity: dict[str, list[Runner]] = {}
        self._timer: Timer | None = None
        # What automations switched lately: by which chain of them, and when.
        self._causes: dict[str, tuple[tuple[str, ...], int, float]] = {}
        self._changing = asyncio.Lock()

    # Keeping automations

    def load(self, records: list[AutomationRecord]) -> None:
        """Take up the automations of before a restart, where they stood; holds that
        came due meanwhile act now, if their values were heard all the while."""
        now = self._clock.now_ms()
        for record in records:
            runner = self._take(record, _state(record.state))
            entity = (
                self._house.entities.get(runner.automation.watch.entity)
                if runner.automation
                else None
            )
            if entity is not None and entity.latest is not None and runner.state.value is not None:
                # What is on has its usual time to be heard; what was held was heard
                # when its last reading came.
                heard = now if runner.state.phase is Phase.ON else entity.latest.at_ms
                runner.state = replace(runner.state, heard_ms=heard)
        self.time_passed()

    def check(self, text: str) -> tuple[Parsed, str]:
        """What a text comes to, without keeping it: (what was understood, the
        sentence)."""
        parsed = parse(text, self._house.facts())
        return parsed, self.spoken(parsed.automation) if parsed.automation else ""

    def spoken(self, automation: Automation) -> str:
        """The automation as a sentence."""
        names = {address: entity.spoken for address, entity in self._house.entities.items()}
        return sentence(automation, names)

    async def add(self, text: str) -> Runner:
        """Keep a new automation. Raises Invalid with every mistake, or when there is
        one of this name."""
        async with self._changing:
            automation = self._sound(text)
            address = slug(automation.name)
            if address in self.runners:
                raise Invalid(
                    f"there is an automation {automation.name!r} already; give this one "
                    f"another name, or change that one"
                )
            record = await self._thread.run(self._records.add_automation, address, text)
            runner = self._take(record, State())
        self._journal.note("AutomationAdded", f"{automation.name} was added", automation=address)
        self._changed(runner)
        self._feed_latest(runner)
        return runner

    async def change(
        self,
        address: str,
        *,
        text: str | None = None,
        enabled: bool | None = None,
        leave: bool = False,
    ) -> Runner:
        """Give an automation another text (word for word), or put it on or off duty.

        One that is on and watches the same thing as before goes on as it was. One that
        watches another, or is taken off duty, ends first, as its text of before says;
        with `leave` what it switched stays as it is. Raises NotFound, Invalid.
        """
        async with self._changing:
            runner = self.find(address)
            record = runner.record
            if text is not None:
                automation = self._sound(text)
                if slug(automation.name) != address and slug(automation.name) in self.runners:
                    raise Invalid(f"there is an automation {automation.name!r} already")
            new = replace(
                record,
                text=record.text if text is None else text,
                enabled=record.enabled if enabled is None else enabled,
            )
            await self._thread.run(self._records.save_automation, new)
            if self.runners.get(address) is not runner:
                runner = self.find(address)
            before, state = runner.automation, runner.state
            off = runner.record.enabled and not new.enabled
            self._drop(runner)
            after = self._take(new, state)
            same = (
                before is not None
                and after.automation is not None
                and before.watch == after.automation.watch
            )
            if before is not None and (off or not same):
                because = "it was taken off duty" if off else "it watches something else now"
                after.state = self._end(runner, before, because, leave=leave)
            elif enabled and not record.enabled:
                after.state = State()
            self._save(after)
        what = (
            "was changed" if text is not None else ("is on duty" if new.enabled else "is off duty")
        )
        self._journal.note("AutomationChanged", f"{address} {what}", automation=address)
        self._changed(after)
        if after.at_work:
            self._plan(after)
            if after.state.phase is not Phase.ON:
                self._feed_latest(after)
            else:
                self._guarded(after, self._clock.now_ms(), None)
        return after

    async def remove(self, address: str, *, leave: bool = False) -> None:
        """Remove one; what is on ends first, or with `leave` stays as it is. Raises
        NotFound."""
        async with self._changing:
            runner = self.find(address)
            if runner.automation is not None and runner.record.enabled:
                self._end(runner, runner.automation, "it was removed", leave=leave)
            self._drop(runner)
            await self._thread.run(self._records.remove_automation, runner.record)
        self._journal.note("AutomationRemoved", f"{address} was removed", automation=address)
        self._live.publish("automation", {"automation": address, "phase": "removed"})

    def _end(self, runner: Runner, automation: Automation, because: str, *, leave: bool) -> State:
        state, edge = ended(automation, runner.state, self._clock.now_ms(), because)
        if edge is not None:
            self._act(runner, automation, edge, silent=leave)
        return state

    def find(self, address: str) -> Runner:
        """Raises NotFound."""
        runner = self.runners.get(address)
        if runner is None:
            raise NotFound(f"no automation {address}; `hombi automation list` names them")
        return runner

    def house_changed(self) -> None:
        """Entities came or went: read all texts again."""
        self._actuation.wishes.house_changed()
        for runner in list(self.runners.values()):
            self._drop(runner)
            self._take(runner.record, runner.state).broken = runner.broken

    def clock_set(self, by_ms: int) -> None:
        """The machine's clock was set: what is held is held for as long as before, by
        the new time."""
        for runner in list(self.runners.values()):
            if runner.automation is not None and runner.state.since_ms:
                state = runner.state
                runner.state = replace(
                    state, since_ms=state.since_ms + by_ms, heard_ms=state.heard_ms + by_ms
                )
                self._save(runner)
            if runner.at_work:
                self._plan(runner)

    def _sound(self, text: str) -> Automation:
        parsed, _ = self.check(text)
        if parsed.automation is None:
            count = len(parsed.mistakes)
            raise Invalid(
                f"the text has {count} mistake{'s' * (count != 1)}",
                [mistake_data(m) for m in parsed.mistakes],
            )
        automation = parsed.automation
        if not slug(automation.name):
            raise Invalid("the name has no letter and no digit")
        if slug(automation.name) in RESERVED:
            raise Invalid(
                f"{automation.name!r} is an address of the console's or the API's own; "
                f"give it a longer name"
            )
        return automation

    def _take(self, record: AutomationRecord, state: State) -> Runner:
        try:
            parsed = parse(record.text, self._house.facts())
        except Exception:  # no text, however odd, keeps the others from running
            log.exception("the text of %s cannot be understood", record.slug)
            mistake = Mistake(Place(1, 1), "this text cannot be understood; write it anew")
            parsed = Parsed(None, (mistake,))
        runner = Runner(record, parsed.automation or parsed.partly, parsed.mistakes, state)
        self.runners[record.slug] = runner
        if runner.at_work:
            assert runner.automation is not None
            self._by_entity.setdefault(runner.automation.watch.entity, []).append(runner)
            self._plan(runner)
        if runner.mistakes:
            how = "cannot do all that it says" if runner.automation is not None else "cannot run"
            self._journal.fault(
                "AutomationStopped",
                f"{record.slug} {how}: {runner.mistakes[0]}",
                automation=record.slug,
            )
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
        if runners:
            now = self._clock.now_ms()
            for runner in list(runners):
                if reading.quality < Quality.STUCK:
                    self._guarded(runner, now, reading.value)
                else:
                    self._guarded(runner, now, None, bad=True)

    def time_passed(self) -> None:
        """Step every automation whose time has come, and set the timer for the next."""
        now = self._clock.now_ms()
        for runner in list(self.runners.values()):
            if runner.due is not None and runner.due <= now:
                runner.due = None
                self._guarded(runner, now, None)
        self._set_timer()

    def look(self) -> None:
        """Look for what is on and not heard any more. Called every few seconds."""
        now = self._clock.now_ms()
        for runner in list(self.runners.values()):
            if runner.at_work and runner.state.phase is Phase.ON and not runner.state.blind:
                self._guarded(runner, now, None)

    def node_back(self, node: Node) -> None:
        """A node is heard again: what its states hold goes on."""
        for entity in node.entities.values():
            for runner in self._by_entity.get(entity.address, ()):
                if runner.state.phase in (Phase.HOLDING, Phase.WAITING):
                    self._plan(runner)

    def _patience_ms(self, runner: Runner) -> int | None:
        """How long the watched value may go unheard before it counts as unknown; None
        for ever."""
        assert runner.automation is not None
        entity = self._house.entities[runner.automation.watch.entity]
        node = entity.node
        if entity.kind.words is not None:
            # A door tells when it is opened, and then nothing for hours: it is known as
            # long as its node is.
            return None if node.heard_in_this_run and not (node.silent or node.left) else 0
        if entity.rhythm_ms:
            return round(entity.rhythm_ms)
        return None if runner.state.phase is Phase.ON else UNKNOWN_RHYTHM_MS

    def _feed_latest(self, runner: Runner) -> None:
        """A new automation looks at what is known now; it does not wait for the next
        reading."""
        if runner.at_work:
            assert runner.automation is not None
            entity = self._house.entities[runner.automation.watch.entity]
            latest = entity.latest
            if (
                latest is not None
                and latest.quality < Quality.STUCK
                and not (entity.silent or entity.node.silent)
            ):
                self._guarded(runner, self._clock.now_ms(), latest.value)

    def _guarded(self, runner: Runner, now: int, value: float | None, *, bad: bool = False) -> None:
        """Step one; whatever fails in it stops it alone."""
        try:
            self._step(runner, now, value, bad=bad)
        except Exception as error:
            log.exception("%s failed", runner.record.slug)
            self._stop(runner, f"it failed ({error!r})")

    def _stop(self, runner: Runner, why: str) -> None:
        runner.broken, runner.due = why, None
        self._journal.note(
            "AutomationStopped",
            f"{runner.record.slug} was stopped: {why}",
            automation=runner.record.slug,
        )
        self._changed(runner)

    def _step(self, runner: Runner, now: int, value: float | None, *, bad: bool = False) -> None:
        automation = runner.automation
        if automation is None or not runner.at_work:
            return
        before = runner.state
        runner.state, edge = step(
            automation,
            before,
            now,
            self.zone,
            value,
            bad=bad,
            patience_ms=self._patience_ms(runner),
        )
        if edge is not None:
            self._act(runner, automation, edge)
        after = runner.state
        if (after.phase, after.since_ms, after.blind) != (
            before.phase,
            before.since_ms,
            before.blind,
        ):
            self._save(runner)
            self._plan(runner)
            self._changed(runner)
        elif after.phase is Phase.HOLDING and runner.due is None:
            self._plan(runner)  # it was suspended

    def _save(self, runner: Runner) -> None:
        """Keep where it stands, with the readings and the effects that belong to it."""
        runner.record.state = asdict(runner.state)
        record = replace(runner.record)
        self._writer.also(lambda records: records.save_automation(record))

    def _plan(self, runner: Runner) -> None:
        assert runner.automation is not None
        now = self._clock.now_ms()
        runner.due = due_ms(
            runner.automation, runner.state, now, self.zone, patience_ms=self._patience_ms(runner)
        )
        self._set_timer()

    def _set_timer(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        due = min((r.due for r in self.runners.values() if r.due is not None), default=None)
        if due is not None:
            self._timer = self._clock.call_at_ms(due, self.time_passed)

    def _act(
        self, runner: Runner, automation: Automation, edge: Edge, *, silent: bool = False
    ) -> None:
        """Begin all actions of this edge, in their order. None waits for the one
        before: a notice about a mister is true whether or not the mister answers, and
        what fails is journaled by itself. With `silent` nothing is done."""
        slug_ = runner.record.slug
        verb, event = {
            EdgeKind.START: ("started", "AutomationStarted"),
            EdgeKind.END: ("ended", "AutomationEnded"),
            EdgeKind.LOST: ("cannot see", "AutomationBlind"),
        }[edge.kind]
        chain = self._chain(automation, edge)
        if edge.starts and chain.count(slug_) >= ROUNDS:
            runner.state = State()
            self._stop(
                runner,
                f"it starts itself again and again ({' → '.join(dict.fromkeys(chain))} → {slug_})",
            )
            return
        self._journal.note(
            event,
            f"{automation.name} {verb}: {edge.why.text}",
            automation=slug_,
            entity=automation.watch.entity,
            value=edge.why.seen,
            limit=edge.why.limit,
            held_ms=edge.why.held_ms,
        )
        if silent:
            return
        fields = self._fields(automation, edge)
        chain = (*chain, slug_)
        actions = {
            EdgeKind.START: automation.starts,
            EdgeKind.END: automation.ends,
            EdgeKind.LOST: (),
        }[edge.kind]
        for action in actions:
            if isinstance(action, Switch):
                entity = self._house.entities.get(action.entity)
                if entity is not None:
                    self._causes[action.entity] = (chain[-4 * ROUNDS :], edge.at_ms, action.to)
                    asked = self._actuation.begin(entity, action.to, automation.name)
                    self._tasks.start(asked, name=f"{slug_} switch")
            elif isinstance(action, Notify):
                title, text = fill(action.title, fields), fill(action.text, fields)
                self._teller.tell(action.to, title, text, f"/automations/{slug_}")
        if edge.lost:
            self._tell_lost(automation, edge, slug_)

    def _tell_lost(self, automation: Automation, edge: Edge, slug_: str) -> None:
        """Whoever is told of this automation is told that it cannot see any more; else
        everybody."""
        told = {a.to for a in (*automation.starts, *automation.ends) if isinstance(a, Notify)} or {
            "everyone"
        }
        entity = self._house.entities[automation.watch.entity]
        for to in sorted(told if "everyone" not in told else {"everyone"}):
            self._teller.tell(
                to,
                f"{entity.spoken} is not heard",
                f"{automation.name}: {edge.why.text}",
                f"/automations/{slug_}",
            )

    def _chain(self, automation: Automation, edge: Edge) -> tuple[str, ...]:
        """The automations that led to what this one sees: those that switched it to
        that a moment ago."""
        chain, at_ms, value = self._causes.get(automation.watch.entity, ((), 0, 0.0))
        return chain if edge.at_ms - at_ms <= CAUSE_MS and value == edge.why.seen else ()

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
            {
                "automation": runner.record.slug,
                "phase": runner.state.phase.value,
                "since": runner.state.since_ms,
            },
        )

    def close(self) -> None:
        """Set no more timers."""
        if self._timer is not None:
            self._timer.cancel()


def _state(stored: dict[str, Any]) -> State:
    """Where an automation stood; one that was stored in a way that is not known begins
    anew."""
    try:
        return State(**{**stored, "phase": Phase(stored["phase"])}) if stored else State()
    except (KeyError, TypeError, ValueError):
        return State()
