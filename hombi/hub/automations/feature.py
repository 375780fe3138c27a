"""Automations at work: what their machine wants done is done, and kept together with
the readings that caused it."""

from __future__ import annotations

import asyncio
import dataclasses
import logging
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any

import msgspec

from hombi.core.automation import (
    EdgeKind,
    Effect,
    Event,
    Handled,
    OnDuty,
    Parsed,
    Passed,
    Phase,
    Program,
    Seen,
    State,
    Step,
    Taken,
    Tell,
    Why,
    alone,
    due_ms,
    let_go,
    lost_ms,
    parse,
    rejoined,
    step,
)
from hombi.core.house_facts import HouseFacts, differs
from hombi.core.names import slug
from hombi.core.quality import Quality
from hombi.core.series import Reading
from hombi.core.toml_text import Mistake, Place
from hombi.hub.acting.events import HandChanged, SceneRecorded, SceneRemoved, SetByHand
from hombi.hub.automations.duties import Duties
from hombi.hub.automations.effects import Effects, Teller, first_switches
from hombi.hub.automations.events import (
    AutomationLeavesAlone,
    AutomationStopped,
    PhaseChanged,
    SequenceKept,
    SequenceRemoved,
)
from hombi.hub.automations.named import NamedValues
from hombi.hub.automations.port import AutomationRecord
from hombi.hub.automations.runner import HouseNow, Runner, state_of
from hombi.hub.automations.starts import Starts
from hombi.hub.automations.telling import buttons_of, edge_event, over_text
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity, House, SpokenNames
from hombi.hub.kernel import Actor, Change, Context, Feature, Need, Timer
from hombi.hub.lookup import find
from hombi.hub.machine.events import ClockSet, SettingsTakenUp
from hombi.hub.nodes.events import NodeSilent
from hombi.hub.nodes.settings import doings, settings_of
from hombi.hub.notices.events import PhonesChanged
from hombi.hub.readings.events import EntitiesChanged, EntitySilenceChanged, NodeBack
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config

log = logging.getLogger(__name__)

# Addresses beside those of the automations: /automations/new, /api/automations/check,
# /api/automations/schema, write, edit, replay, rehearse.
RESERVED = frozenset({"new", "check", "schema", "write", "edit", "replay", "rehearse"})
LOOK_EVERY_S, AGAIN_MS = 5.0, 1_000
# An automation that starts itself this often in one chain of causes is stopped.
ROUNDS = 5


class Automations(Feature):
    """All automations."""

    name = "automations"
    pressing = 9

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        intake: Intake,
        teller: Teller,
        config: Config,
        duty: Callable[[str, bool], Change[Any, Any]],
        makes: Callable[[str], Change[Any, Any] | None],
        present: Callable[[Entity], float],
    ) -> None:
        super().__init__(context)
        self._duty, self._named = duty, NamedValues(context, house, makes)
        self._house, self._writer, self.zone = house, writer, config.zone
        self.runners: dict[str, Runner] = {}
        self.starts = Starts()
        self._by_entity: dict[str, list[Runner]] = {}
        self._timer: Timer | None = None
        self._timer_ms = 0
        self._effects = Effects(context, house, teller, self._put_on_duty, self._buttons, present)
        # Those that a reading has stepped, while it does, and what is left to do about
        # each.
        self._stepped: list[tuple[Runner, Callable[[], None]]] | None = None
        self._duties = Duties()
        # What the automations leave to people, each by its name.
        self._hands: dict[str, tuple[str, ...]] = {}
        # What all texts were read by last.
        self._read_by = HouseFacts()
        self.changing = asyncio.Lock()
        intake.hear(self)
        context.hear(EntitiesChanged, lambda _: self.read_again())
        context.hear(SettingsTakenUp, lambda _: self.read_again())
        context.hear(SceneRecorded, lambda _: self.read_again())
        context.hear(SceneRemoved, lambda _: self.read_again())
        context.hear(SequenceKept, lambda _: self.read_again())
        context.hear(SequenceRemoved, lambda _: self.read_again())
        context.hear(PhonesChanged, lambda _: self.read_again())
        context.hear(NodeBack, lambda event: self._node_back(event.node))
        context.hear(NodeSilent, lambda event: self._node_back(event.node))
        context.hear(EntitySilenceChanged, lambda event: self._unheard(event.entity))
        context.hear(SetByHand, self._by_hand)
        context.hear(ClockSet, lambda event: self._clock_set(event.by_ms))

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.zone = new.zone

    async def open(self) -> None:
        """Take up the automations of before a restart, where they stood; holds that
        came due meanwhile act now, if their values were heard all the while."""
        now = self.context.clock.now_ms()
        records = self.context.records
        stored = await self.context.thread.run(records.automations.all)
        names = {record.slug for record in stored}
        await self.context.thread.run(self.starts.load, records.journal, names, now)
        self._read_by = self._facts()
        for record in stored:
            runner = self.take(record, state_of(record.state), self._read_by)
            if runner.program is not None:
                runner.state = rejoined(runner.program, runner.state, self._heard_at, now)
            self.let_go(runner, runner.program)
            self._note_hands(runner.record.slug, runner.state.by_hand)
        # Hours may have begun while the hub was away, and what must be so may be so no
        # more: each takes one step.
        for runner in list(self.runners.values()):
            self.step(runner, Passed())
        self.time_passed()
        self.context.tasks.watch("looking for what is not heard", self._watch)

    async def close(self) -> None:
        if self._timer is not None:
            self._timer.cancel()

    def world(self) -> HouseNow:
        """What automations see now."""
        clock = self.context.clock
        return HouseNow(self._house, clock.now_ms(), self.zone, not clock.doubtful)

    # Their texts

    def check(self, text: str) -> tuple[Parsed, str]:
        """What a text comes to, without keeping it: (what was understood, the
        sentence)."""
        others = {
            name: runner.program
            for name, runner in self.runners.items()
            if runner.program is not None and runner.at_work
        }
        facts = dataclasses.replace(self._facts(), automations=frozenset(self.runners))
        parsed = parse(text, facts, others)
        return parsed, self.spoken(parsed.program) if parsed.program else ""

    def _facts(self) -> HouseFacts:
        house = self._house
        return dataclasses.replace(house.facts(), doings=doings(house), settings=settings_of(house))

    def spoken(self, program: Program) -> str:
        """The automation as a sentence."""
        return program.sentence(SpokenNames(self._house))

    def sound(self, text: str) -> Program:
        """The program of a text. Raises Invalid with every mistake."""
        parsed, _ = self.check(text)
        program = parsed.program
        if program is None:
            count = len(parsed.mistakes)
            raise Invalid(f"the text has {count} mistake{'s' * (count != 1)}", parsed.mistakes)
        if not slug(program.name):
            raise Invalid("the name needs a letter or a digit")
        if slug(program.name) in RESERVED:
            raise Invalid(
                f"{program.name!r} is an address of the console's or the API's own; give "
                f"it a longer name"
            )
        return program

    def find(self, address: str) -> Runner:
        """The automation with this address or name. Raises NotFound; Refused when
        several have the name."""
        return find(self.runners, address, "automation", lambda one: one.names)

    def read_again(self) -> None:
        """The house is another than before: read those texts again that name something
        which came, went or changed, and those with mistakes."""
        facts = self._facts()
        touches, self._read_by = differs(self._read_by, facts), facts
        for runner in list(self.runners.values()):
            if not runner.mistakes and not touches(runner.record.text):
                continue
            self.drop(runner)
            after = self.take(runner.record, runner.state, facts, runner.mistakes)
            after.broken = runner.broken
            after.chain = runner.chain
            self.let_go(after, runner.program)

    def take(
        self,
        record: AutomationRecord,
        state: State,
        facts: HouseFacts | None = None,
        mistakes: tuple[Mistake, ...] = (),
    ) -> Runner:
        """Put an automation to work; `told` are the mistakes of its text that were
        journaled already."""
        try:
            parsed = parse(record.text, facts or self._facts())
        except Exception:  # no text, however odd, keeps the others from running
            log.exception("the text of %s cannot be understood", record.slug)
            mistake = Mistake(Place(1, 1), "this text cannot be understood; write it again")
            parsed = Parsed(None, (mistake,))
        runner = Runner(record, parsed.program or parsed.partly, parsed.mistakes, state)
        self.runners[record.slug] = runner
        if runner.program is not None and runner.at_work:
            for entity in runner.program.entities:
                self._by_entity.setdefault(entity, []).append(runner)
            self._plan(runner)
        if runner.program is not None:
            self._named.want(runner.program.entities, record.slug)
        if runner.mistakes and runner.mistakes != mistakes:
            how = "cannot run" if runner.program is None else "cannot do all that it says"
            what = f"{how}: {runner.mistakes[0]}"
            self.context.announce(AutomationStopped(automation=record.slug, what=what))
        return runner

    def let_go(self, runner: Runner, before: Program | None) -> None:
        """Let go of what waits where its actions are others than before, or where
        nobody goes on with them."""
        after = runner.program
        if before is None or after is None:
            goes_on = False
        else:
            goes_on = (before.starts, before.ends) == (after.starts, after.ends)
        if not runner.state.waits or (goes_on and runner.at_work):
            return
        whole, world = not runner.at_work, self.world()
        runner.state, effects = let_go(before, runner.state, world, wholly=whole)
        self._do(runner, effects, runner.actor)
        self.save(runner)
        if runner.at_work:
            self._plan(runner)

    def _do(self, runner: Runner, effects: Sequence[Effect], actor: Actor) -> None:
        """Carry out what comes of no reading."""
        name, now = runner.record.slug, self.context.clock.now_ms()
        self._effects.carry_out(effects, name, actor, (name,), now)

    def drop(self, runner: Runner) -> None:
        """Take an automation from its work."""
        self.runners.pop(runner.record.slug, None)
        self._note_hands(runner.record.slug, ())
        for entity in runner.program.entities if runner.program is not None else ():
            watching = self._by_entity.get(entity, [])
            if runner in watching:
                watching.remove(runner)

    def tidy(self) -> None:
        """Let those values go that were made for texts which name them no more. A text
        with mistakes may name one."""
        runners = self.runners.values()
        if all(runner.program is not None for runner in runners):
            self._named.tidy(
                a for runner in runners if runner.program for a in runner.program.entities
            )

    def _heard_at(self, address: str) -> int | None:
        entity = self._house.entities.get(address)
        latest = None if entity is None else entity.latest
        # A bad value was no sight of it: how long ago the last good one came is kept
        # with its state.
        good = latest is not None and latest.value is not None and latest.quality < Quality.STUCK
        return latest.at_ms if latest is not None and good else None

    # Stepping them

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A fresh reading."""
        runners = self._by_entity.get(entity.address)
        if runners:
            seen = Seen(reading.value, reading.quality, entity.address)
            led_to = self._stepped is not None  # by another reading
            if not led_to:
                self._stepped = []
            try:
                for runner in list(runners):
                    self.step(runner, seen)
            finally:
                if not led_to:
                    self._keep_stepped()

    def _keep_stepped(self) -> None:
        """Only now: what one does because of a reading does not wait until those before
        it are told of and kept."""
        stepped, self._stepped = self._stepped, None
        for runner, rest in stepped or ():
            try:
                rest()
            except Exception as error:  # noqa: BLE001 - told, and the others go on
                self._failed(runner, error)

    def time_passed(self) -> None:
        """Step every automation whose time has come, and set the timer for the next."""
        now = self.context.clock.now_ms()
        for runner in list(self.runners.values()):
            if runner.due is not None and runner.due <= now:
                runner.due = None
                self.step(runner, Passed())
                if runner.due is not None and runner.due <= now:
                    # What a step did not settle must not keep the hub from all else.
                    runner.due = now + AGAIN_MS
        self._set_timer(self._next_due())

    async def _watch(self) -> None:
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            self.look()

    def look(self) -> None:
        """Look for what is on and not heard any more."""
        now = self.context.clock.now_ms()
        for runner in list(self.runners.values()):
            if runner.at_work and runner.program is not None:
                lost = lost_ms(runner.program, runner.state, self.world())
                if lost is not None and lost <= now:
                    self.step(runner, Passed())

    def step(self, runner: Runner, event: Event, program: Program | None = None) -> None:
        """Step one, by another program than its own if one is given; whatever fails in
        it stops it alone."""
        try:
            self._step(runner, event, program or runner.program)
        except Exception as error:  # noqa: BLE001 - told, and the others go on
            self._failed(runner, error)

    def _failed(self, runner: Runner, error: Exception) -> None:
        log.error("%s failed", runner.record.slug, exc_info=error)
        self._stop(runner, f"it failed ({error!r})")

    def _step(self, runner: Runner, event: Event, program: Program | None) -> None:
        if program is None or not (runner.at_work or isinstance(event, Taken)):
            return
        before, world = runner.state, self.world()
        done = step(program, before, event, world)
        runner.state = done.state
        chain = self._chain(runner, program, done.why)
        if done.why is not None:
            if not self._may_act(runner, done.why, chain):
                return
            runner.chain = chain

        def rest() -> None:
            self._act(runner, program, done, chain)
            if not isinstance(event, Taken):
                self._follow_up(runner, before)

        stepped = self._stepped
        place = len(stepped or ())
        # Nothing is told, kept or put into words before.
        if first := done.effects[: first_switches(done.effects)]:
            name = runner.record.slug
            self._effects.carry_out(first, name, runner.actor, chain, world.now_ms)
        if stepped is None:
            rest()
        else:
            stepped.insert(place, (runner, rest))  # before that of what it led to

    def _follow_up(self, runner: Runner, before: State) -> None:
        """Keep where it stands after a step, and see when it is to be stepped next."""
        after, program = runner.state, runner.program
        clock = program is not None and program.moment is not None
        looked = clock and after.heard_ms != before.heard_ms  # which moments are behind it
        if after.standing != before.standing or looked:
            self.save(runner)
            self._plan(runner)
            if (after.phase, after.since_ms) != (before.phase, before.since_ms):
                self.changed(runner)
        elif runner.due is None and (
            after.phase is not Phase.IDLE or (program is not None and program.clocked)
        ):
            self._plan(runner)  # it was suspended, or its moment was not to be

    def run_actions(self, runner: Runner, edge: EdgeKind, actor: Actor) -> None:
        """Do what belongs to an edge, whatever is so."""
        if runner.program is None:
            return
        runner.state, effects = alone(runner.program, runner.state, edge, self.world())
        self._do(runner, effects, actor)
        self.save(runner)
        self._plan(runner)

    def _may_act(self, runner: Runner, why: Why, chain: tuple[str, ...]) -> bool:
        """Whether it may act; one that starts itself again and again is stopped."""
        name = runner.record.slug
        if why.edge is not EdgeKind.START or chain.count(name) <= ROUNDS:
            return True
        way = " → ".join(dict.fromkeys(chain[:-1]))
        self._stop(runner, f"it starts itself again and again ({way} → {name})")
        return False

    def _chain(self, runner: Runner, program: Program, why: Why | None) -> tuple[str, ...]:
        """The automations that led to this step, this one last."""
        if why is None:  # what waited goes on: for the same cause
            return runner.chain or (runner.record.slug,)
        before = self._effects.chain(program, why) if program.moment is None else ()
        return (*before, runner.record.slug)[-4 * ROUNDS :]

    def _act(self, runner: Runner, program: Program, done: Step, chain: tuple[str, ...]) -> None:
        """Say why, and do the rest of what is to be done, in its order."""
        if done.why is None and not done.effects:
            return
        why, name, now = done.why, runner.record.slug, self.context.clock.now_ms()
        if why is not None:
            self.context.announce(edge_event(name, program, why), runner.actor)
            if why.edge is EdgeKind.START:
                self.starts.add(name, now)
                self._effects.forget(name)
        rest = done.effects[first_switches(done.effects) :]
        self._effects.carry_out(rest, name, runner.actor, chain, now)
        told = any(isinstance(effect, Tell) for effect in done.effects)
        if why is None or why.edge is EdgeKind.START:
            return
        if why.edge is EdgeKind.END and not told:
            watched = self._house.entities.get(why.entity or program.watch.entity)
            self._effects.over(name, partial(over_text, watched))
        else:
            self._effects.forget(name)

    def forget(self, runner: Runner) -> None:
        """Nothing more is said of what an automation told people."""
        self.starts.forget(runner.record.slug)
        self._effects.forget(runner.record.slug)

    def _buttons(self, name: str) -> tuple[dict[str, Any], ...]:
        """What a phone offers to do about an automation that has started."""
        runner = self.runners.get(name)
        program = runner.program if runner is not None else None
        return () if program is None else buttons_of(name, program, self._house)

    def _put_on_duty(self, effect: OnDuty, name: str, actor: Actor) -> None:
        runner = self.runners.get(effect.automation)
        if runner is None:
            what = f"cannot do all that it says: no automation {effect.automation}"
            self.context.announce(AutomationStopped(automation=name, what=what))
        elif self._duties.too_often(name, self.context.clock.now_ms()):
            self._stop(self.runners[name], "it puts others on and off duty again and again")
        elif runner.record.enabled != effect.on:
            self._effects.ask(self._duty(effect.automation, effect.on), name, actor)

    def _stop(self, runner: Runner, why: str) -> None:
        runner.broken, runner.due = why, None
        _, effects = let_go(runner.program, runner.state, self.world(), wholly=True)
        runner.state = State()
        self._do(runner, effects, runner.actor)
        self.save(runner)
        name = runner.record.slug
        self.context.announce(AutomationStopped(automation=name, what=f"was stopped: {why}"))
        self.changed(runner)

    def _node_back(self, node: str) -> None:
        """A node is heard again: what its states hold goes on."""
        result = self._house.nodes.get(node)
        for entity in result.entities.values() if result else ():
            for runner in self._by_entity.get(entity.address, ()):
                if runner.at_work:
                    self.step(runner, Passed())  # it may have been silent
                    self._plan(runner)

    def _unheard(self, address: str) -> None:
        """A value is silent now, or heard again."""
        for runner in list(self._by_entity.get(address, ())):
            if runner.at_work:
                self.step(runner, Passed())
                self._plan(runner)

    def _by_hand(self, event: SetByHand) -> None:
        """A person has set an entity: what is under way leaves it alone."""
        for runner in list(self.runners.values()):
            program, before = runner.program, runner.state.by_hand
            if program is None or event.entity not in program.acted_on:
                continue
            self.step(runner, Handled(event.entity))
            if runner.state.by_hand != before:
                left = AutomationLeavesAlone(
                    automation=runner.record.slug, entity=event.entity, by=event.by
                )
                self.context.announce(left)

    def _clock_set(self, by_ms: int) -> None:
        """The machine's clock was set: what is held is held for as long as before, by
        the new time."""
        for runner in list(self.runners.values()):
            if runner.program is not None and runner.state != State():
                runner.state = runner.state.shifted(by_ms)
                self.save(runner)
            if runner.at_work:
                self.step(runner, Passed())  # it may have waited for the right time
                self._plan(runner)
        self._set_timer(self._next_due())

    # Keeping them

    def save(self, runner: Runner) -> None:
        """Keep where it stands, with the readings and the effects that belong to it."""
        runner.record.state = msgspec.to_builtins(runner.state)
        record = dataclasses.replace(runner.record)  # what is written must not change any more
        self._writer.also(lambda records: records.automations.save(record))
        self._note_hands(record.slug, runner.state.by_hand)

    def _note_hands(self, name: str, hands: tuple[str, ...]) -> None:
        """What an automation leaves to people is known of each entity too."""
        before = self._hands.pop(name, ())
        if hands:
            self._hands[name] = hands
        for entity in {*before} ^ {*hands}:
            node = entity.partition("/")[0]
            self.context.announce(HandChanged(node=node, entity=entity))

    def left_alone(self, entity: str) -> bool:
        """Whether a person has set an entity that an automation would set, and that
        leaves it alone until it starts anew."""
        return any(entity in hands for hands in self._hands.values())

    def _plan(self, runner: Runner) -> None:
        if runner.program is not None:
            runner.due = due_ms(runner.program, runner.state, self.world())
        # A timer that comes too early looks for the next one.
        if runner.due is not None and (self._timer is None or runner.due < self._timer_ms):
            self._set_timer(runner.due)

    def _set_timer(self, due: int | None) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        if due is not None:
            self._timer_ms = due
            self._timer = self.context.tasks.at(due, self.time_passed, "the time of automations")

    def _next_due(self) -> int | None:
        return min((r.due for r in self.runners.values() if r.due is not None), default=None)

    def changed(self, runner: Runner) -> None:
        """Tell who listens where it stands."""
        state = runner.state
        event = PhaseChanged(
            automation=runner.record.slug, phase=state.phase.value, since_ms=state.since_ms
        )
        self.context.announce(event)

    def needs(self) -> Iterator[Need]:
        for name, runner in self.runners.items():
            path = f"/automations/{name}"
            if runner.broken:
                yield Need("automation", f"{name} was stopped: {runner.broken}", path)
            if runner.mistakes:
                how = "cannot run" if runner.program is None else "cannot do all that it says"
                yield Need("automation", f"{name} {how}: {runner.mistakes[0].what}", path)
