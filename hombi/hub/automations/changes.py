"""The changes of automations: add one, give it another text or duty, remove it."""

from __future__ import annotations

from dataclasses import replace

from hombi.core.automation import (
    Acknowledged,
    Began,
    EdgeKind,
    Passed,
    Phase,
    Program,
    State,
    Taken,
)
from hombi.core.names import slug
from hombi.hub.automations.events import (
    ActionsRun,
    AutomationAcknowledged,
    AutomationAdded,
    AutomationChanged,
    AutomationRemoved,
)
from hombi.hub.automations.feature import Automations
from hombi.hub.automations.port import AutomationRecord, TextRecord
from hombi.hub.automations.runner import Runner
from hombi.hub.errors import Invalid, Refused
from hombi.hub.kernel import Actor, Change, Done, Right

# So many texts of an automation are kept.
MOST_TEXTS = 50


class AddAutomation(Change[Automations, Runner], frozen=True):
    """Keep a new automation, its text word for word. Raises Invalid with every mistake,
    or when there is one of this name."""

    text: str

    feature = Automations
    right = Right.WRITE

    async def do(self, feature: Automations, by: Actor) -> Done[Runner]:
        async with feature.changing:
            program = feature.sound(self.text)
            address = slug(program.name)
            if address in feature.runners:
                raise Invalid(
                    f"there is an automation {program.name!r} already; give this one "
                    f"another name, or change that one"
                )
            records = feature.context.records.automations
            record = await feature.context.thread.run(records.add, address, self.text)
            await _keep_text(feature, record, self.text, by)
            runner = feature.take(record, State())
        feature.changed(runner)
        feature.step(runner, Began())
        return Done(runner, AutomationAdded(automation=address, title=program.name))


class ChangeAutomation(Change[Automations, Runner], frozen=True):
    """Give an automation another text (word for word), or put it on or off duty.

    One that is on and watches the same thing as before goes on as it was. One that
    watches another, or is taken off duty, ends first, as its text of before says; with
    `leave` what it switched stays as it is. `was` is the text that the new one was
    written over. Raises NotFound, Invalid, Refused when that is another meanwhile.
    """

    automation: str
    text: str | None = None
    enabled: bool | None = None
    leave: bool = False
    was: str | None = None

    feature = Automations
    right = Right.WRITE

    async def do(self, feature: Automations, by: Actor) -> Done[Runner]:
        async with feature.changing:
            after = await self._change(feature, by)
        if self.text is not None:
            how = "was changed"
        else:
            how = "is on duty" if after.record.enabled else "is off duty"
        feature.changed(after)
        if after.at_work:
            on = after.state.phase is Phase.ON
            feature.step(after, Passed() if on else Began())
        return Done(after, AutomationChanged(automation=after.record.slug, how=how))

    async def _change(self, feature: Automations, by: Actor) -> Runner:
        runner = feature.find(self.automation)
        record = runner.record
        if self.was is not None and self.was != record.text:
            raise Refused(
                f"{record.slug} was changed elsewhere since you began; look at its text as it is"
            )
        if self.text is not None:
            name = feature.sound(self.text).name
            if slug(name) != runner.record.slug and slug(name) in feature.runners:
                raise Invalid(f"there is an automation {name!r} already")
        new = replace(
            record,
            text=record.text if self.text is None else self.text,
            enabled=record.enabled if self.enabled is None else self.enabled,
        )
        await feature.context.thread.run(feature.context.records.automations.save, new)
        if new.text != record.text:
            await _keep_text(feature, record, new.text, by)
        # It may have been stepped, or read again, meanwhile.
        runner = feature.find(self.automation)
        before, off = runner.program, runner.record.enabled and not new.enabled
        feature.drop(runner)
        after = feature.take(new, runner.state)
        same = before is not None and after.program is not None
        same = same and _watched(before) == _watched(after.program)
        if before is not None and (off or not same):
            off_duty = "it was taken off duty" if off else "it watches something else now"
            feature.step(after, Taken(off_duty, self.leave), before)
        elif self.enabled and not record.enabled:
            after.state = State()
        else:
            feature.let_go(after, before)
        feature.save(after)
        feature.tidy()
        return after


class Acknowledge(Change[Automations, Runner], frozen=True):
    """Say that somebody sees to what an automation has started for: it reminds nobody
    any more, until it starts again. Raises NotFound, Refused."""

    automation: str

    feature = Automations
    right = Right.USE

    async def do(self, feature: Automations, by: Actor) -> Done[Runner]:
        runner = feature.find(self.automation)
        if not runner.at_work or runner.state.phase is not Phase.ON:
            raise Refused(f"{runner.record.slug} is not on")
        feature.step(runner, Acknowledged())
        acknowledged = AutomationAcknowledged(
            automation=runner.record.slug, title=runner.names[0], person=str(by)
        )
        return Done(runner, acknowledged)


class PutOnDuty(Change[Automations, Runner], frozen=True):
    """Put an automation on duty, or take it off, as another one says. Raises
    NotFound."""

    automation: str
    on: bool

    feature = Automations
    right = Right.USE

    async def do(self, feature: Automations, by: Actor) -> Done[Runner]:
        return await ChangeAutomation(self.automation, enabled=self.on).do(feature, by)


def _watched(program: Program | None) -> object:
    return None if program is None else (program.parts, program.need, program.moment)


class RemoveAutomation(Change[Automations, None], frozen=True):
    """Remove an automation; what is on ends first, or with `leave` stays as it is.
    Raises NotFound."""

    automation: str
    leave: bool = False

    feature = Automations
    right = Right.WRITE

    async def do(self, feature: Automations, by: Actor) -> Done[None]:
        async with feature.changing:
            runner = feature.find(self.automation)
            if runner.program is not None and runner.record.enabled:
                feature.step(runner, Taken("it was removed", self.leave))
            feature.drop(runner)
            feature.forget(runner)
            records = feature.context.records.automations
            await feature.context.thread.run(records.remove, runner.record)
            feature.tidy()
        return Done(None, AutomationRemoved(automation=runner.record.slug))


class RunActions(Change[Automations, Runner], frozen=True):
    """Run the actions of an edge now. Raises NotFound, Refused."""

    automation: str
    edge: EdgeKind

    feature = Automations
    right = Right.USE

    async def do(self, feature: Automations, by: Actor) -> Done[Runner]:
        runner = feature.find(self.automation)
        program = runner.program
        if program is None:
            raise Refused(f"{runner.record.slug} cannot run: {runner.mistakes[0].what}")
        if not runner.at_work:
            # Nobody would see to what waits, or goes back.
            raise Refused(f"{program.name} is not on duty; put it on duty to run its actions")
        if not (program.starts if self.edge is EdgeKind.START else program.ends):
            raise Refused(f"{program.name} has no {self.edge.value} actions")
        feature.run_actions(runner, self.edge, by)
        ran = ActionsRun(automation=runner.record.slug, title=program.name, edge=self.edge.value)
        return Done(runner, ran)


async def _keep_text(feature: Automations, before: AutomationRecord, text: str, by: Actor) -> None:
    """Keep a text that an automation has from now on, and the one that it had."""
    keep, run = feature.context.records.automations.keep_text, feature.context.thread.run
    known = await run(feature.context.records.automations.texts, before.slug)
    if not known and before.text != text:
        await run(keep, before.slug, TextRecord(0, "", before.text), MOST_TEXTS)
    new = TextRecord(feature.context.clock.now_ms(), str(by), text)
    await run(keep, before.slug, new, MOST_TEXTS)
