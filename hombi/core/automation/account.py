"""The account of a moment: where an automation stood, and which part said what. It is
made of the stored readings by the machine itself, so nothing needs to be logged."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime, tzinfo

import msgspec
from msgspec.structs import replace

from hombi.core.automation.actions import WaitUntil
from hombi.core.automation.comparisons.timed import Timed
from hombi.core.automation.flow import until_it_waits
from hombi.core.automation.machine import circumstances, somebody
from hombi.core.automation.moments import Moment
from hombi.core.automation.parts import is_so
from hombi.core.automation.program import Program
from hombi.core.automation.replay import Course, Hand, Replayed, replay
from hombi.core.automation.state import EdgeKind, GoesBack, Phase, State
from hombi.core.automation.watch import Watch
from hombi.core.quality import Quality
from hombi.core.values import show_span, show_value

# So much of the past is replayed before the moment, beside three times the hold.
BACK_MS = 86_400_000
LOOKS_AHEAD = 100


class Line(msgspec.Struct, frozen=True):
    """What one part said: yes, no, or (None) something beside."""

    holds: bool | None
    text: str


class Account(msgspec.Struct, frozen=True):
    """Where an automation stood at a moment, in a sentence and part by part."""

    at_ms: int
    phase: Phase
    sentence: str
    lines: tuple[Line, ...]
    # Whether the readings go back to before it was on.
    whole: bool = True


class Beside(msgspec.Struct, frozen=True):
    """What is known of a moment beside the readings: since when it was on then in fact,
    and, where the moment is now, how it stands, which says what is still to come.
    `hands` is what people set before it. `names` has spoken names beside those of what
    it watches."""

    on_ms: int | None = None
    live: State | None = None
    names: Mapping[str, str] = {}
    hands: tuple[Hand, ...] = ()


NOTHING = Beside()


def back_ms(program: Program) -> int:
    """So much of the past says where it stands."""
    return max(
        BACK_MS, program.pause_ms, *(3 * watch.held_ms for watch in (program.watch, *program.more))
    )


def account(
    program: Program,
    courses: Mapping[str, Course],
    at_ms: int,
    zone: tzinfo,
    beside: Beside = NOTHING,
) -> Account:
    """Where it would have stood at a moment, on duty and by this text; what is known
    `beside` the readings counts before them."""
    start = at_ms - back_ms(program)
    replayed = replay(program, courses, start, at_ms + 1, zone, hands=beside.hands)
    on, whole, live = replayed.state.phase is Phase.ON, True, beside.live
    if on and beside.on_ms is not None:
        replayed.state = replace(replayed.state, since_ms=beside.on_ms)
    elif on:
        began = [
            courses[part.entity].readings[0].at_ms + part.held_ms
            for part in program.parts
            if part.entity in courses and courses[part.entity].readings
        ]
        # What is so at the first reading that is known may have been so before.
        since = replayed.state.since_ms
        whole = not began or (since not in began and since > min(began))
    if live is not None:
        replayed.state = replace(
            replayed.state, waits=live.waits, reminded=live.reminded, by_hand=live.by_hand
        )
    teller = _Teller(program, replayed, at_ms, zone, beside, whole=whole)
    lines = tuple(teller.lines())
    when = teller.clock(at_ms)
    return Account(at_ms, replayed.state.phase, f"At {when} {teller.verdict()}", lines, whole)


class _Teller:
    """Finds the words for one moment."""

    def __init__(
        self,
        program: Program,
        replayed: Replayed,
        at_ms: int,
        zone: tzinfo,
        beside: Beside,
        *,
        whole: bool,
    ) -> None:
        self.names, self.hands, self.whole = beside.names, beside.hands, whole
        self.program, self.found, self.at_ms, self.zone = program, replayed, at_ms, zone
        self.state = replayed.state
        self.parts = replayed.state.parts if program.more else (replayed.state,)
        assert replayed.world is not None
        self.world = replayed.world
        # Limits that follow other values, as they were then.
        self.watched = tuple(part.now(replayed.world) or part for part in program.parts)

    def clock(self, at_ms: int) -> str:
        """A moment by the house's clock; with its day where that is another one."""
        when, now = (datetime.fromtimestamp(ms / 1000, self.zone) for ms in (at_ms, self.at_ms))
        same = when.date() == now.date() and at_ms != self.at_ms
        return when.strftime("%H:%M" if same else "%d %b %H:%M")

    @property
    def _since(self) -> str:
        since = self.clock(self.state.since_ms)
        return f"since {since}" if self.whole else f"since {since} at least"

    def lines(self) -> list[Line]:
        result: list[Line] = []
        moment = self.program.moment
        if moment is not None:
            at = self.clock(self._next_ms(moment))
            result.append(Line(None, f"{moment.sentence()}; the next time is {at}."))
        for watch, part in zip(self.watched, self.parts, strict=False):
            result.append(self._value(watch, part))
            if part.phase is not Phase.ON and watch.held_ms and part.value is not None:
                result += self._hold(watch, part)
        if self.state.phase is Phase.ON:
            result.append(Line(True, f"It was on {self._since}."))
            watch = self.program.watch
            if watch.happens:
                ends = self.clock(self.state.since_ms + watch.lasts_ms)
                result.append(Line(None, f"It ends at {ends}, unless it starts again."))
            elif len(self.program.parts) == 1:
                until = watch.wanted_back or f"not {watch.wanted}"
                if watch.until_held_ms:
                    until += f" for {show_span(watch.until_held_ms)}"
                result.append(Line(None, f"It ends when the value is {until}."))
        result += [*self._circumstances(), *self._left_alone()]
        return result + [Line(None, text) for text in self._to_come()]

    def _next_ms(self, moment: Moment) -> int:
        """The next moment at which its hours and days allow it, if one comes soon
        enough; else the next one."""
        only, zone = self.program.only, self.zone
        first = at_ms = moment.next_ms(self.at_ms, zone)
        for _ in range(LOOKS_AHEAD):
            if only.allows(at_ms, zone):
                return at_ms
            change = only.next_change_ms(at_ms, zone)
            at_ms = moment.next_ms(at_ms if change is None else change - 1, zone)
        return first

    def _value(self, watch: Watch, part: State) -> Line:
        sight = self.found.sights[watch.entity]
        name, wanted = self._name(watch), watch.wanted
        if watch.happens:
            return self._happened(watch, part, name)
        if not sight.known:
            return Line(False, f"{name} was not heard in the time before.")
        if sight.quality >= Quality.STUCK or sight.value is None:
            reason = sight.quality.reason or "no value"
            return Line(False, f"{name} was bad ({reason}); nothing is decided by that.")
        if watch.timed:
            return self._timed(watch, part, name)
        if watch.slope is not None:
            so = part.value is not None and watch.comparison.starts_with(part.value)
            did = "nothing" if part.value is None else show_value(part.value, watch.kind)
            when = f"{name} had moved by {did} ({self.clock(part.heard_ms)})"
            return Line(so, f"{when}, {'' if so else 'not '}{wanted}.")
        so = watch.comparison.starts_with(sight.value)
        sentence = f"{name} was {show_value(sight.value, watch.kind)} ({self.clock(part.heard_ms)})"
        then = watch.moving.then(watch.comparison, watch.kind) if watch.moving is not None else ""
        then = f" ({then})" if then else ""
        return Line(so, f"{sentence}, {'' if so else 'not '}{wanted}{then}.")

    def _happened(self, watch: Watch, part: State, name: str) -> Line:
        if part.value is None:
            return Line(None, f"{name} sent nothing in the time before.")
        last, at = show_value(part.value, watch.kind), self.clock(part.heard_ms)
        often = f" {watch.times} times" if watch.times > 1 else ""
        return Line(None, f"{name} last sent {last} ({at}); {watch.wanted}{often} starts it.")

    def _name(self, watch: Watch) -> str:
        return self._spoken(watch.entity)

    def _timed(self, watch: Watch, part: State, name: str) -> Line:
        so = part.phase in (Phase.ON, Phase.WAITING)
        assert isinstance(watch.comparison, Timed)
        what = watch.comparison.since
        when = f"{what} last {self.clock(part.heard_ms)}" if part.heard_ms else f"never {what}"
        return Line(so, f"{name} {when}: {'' if so else 'not '}{watch.wanted}.")

    def _hold(self, watch: Watch, part: State) -> list[Line]:
        lines, needed = [], show_span(watch.held_ms)
        if part.value is not None and watch.comparison.starts_with(part.value):
            held = self.at_ms - part.since_ms
            long = held >= watch.held_ms
            rest = f", longer than {needed}" if long else f" of {needed}"
            wanted, begun = watch.wanted, self.clock(part.since_ms)
            lines.append(Line(long, f"It was {wanted} for {show_span(held)}{rest}, since {begun}."))
        broken = [move for move in self.found.moves if self._broke(move.before, move.after)]
        value = broken[-1].value if broken else None
        if value is not None:
            when, shown = self.clock(broken[-1].at_ms), show_value(value, watch.kind)
            lines.append(Line(None, f"A reading of {shown} at {when} ended the hold before."))
        return lines

    @staticmethod
    def _broke(before: Phase, after: Phase) -> bool:
        return before in (Phase.HOLDING, Phase.WAITING) and after is Phase.IDLE

    @property
    def _allowed(self) -> bool:
        return self.program.only.allows(self.at_ms, self.zone)

    def _circumstances(self) -> list[Line]:
        lines: list[Line] = []
        if self.program.only.sentence():
            hours = self.program.only.sentence().removeprefix(", ")
            lines.append(Line(self._allowed, f"It may act {hours}."))
        for watch in self.program.when:
            sight = self.found.sights[watch.entity]
            wanted = watch.wanted
            value = "not known" if sight.value is None else show_value(sight.value, watch.kind)
            text = f"It may act only while {self._name(watch)} is {wanted}; it was {value}."
            lines.append(Line(is_so(watch, sight, self.world), text))
        if self.program.anyone:
            home = somebody(self.program, self.world)
            was = "somebody was" if home else "nobody was"
            lines.append(Line(home, f"It may act only while somebody is home; {was}."))
        if self.program.pause_ms and self.state.started_ms:
            rested = self.at_ms >= self.state.started_ms + self.program.pause_ms
            last = self.clock(self.state.started_ms)
            pause = show_span(self.program.pause_ms)
            lines.append(Line(rested, f"It rests for {pause} after its last start ({last})."))
        return lines

    def _left_alone(self) -> Iterator[Line]:
        """What a person has set since it started."""
        for entity in self.state.by_hand:
            name = self._spoken(entity)
            last = [hand for hand in self.hands if hand.entity == entity][-1:]
            who = f"by {last[0].by}" if last and last[0].by else "by hand"
            when = f" at {self.clock(last[0].at_ms)}" if last else ""
            text = f"{name} was set {who}{when}; it leaves that alone until it starts again."
            yield Line(None, text)

    def _to_come(self) -> Iterator[str]:
        """What is still to be done of its actions."""
        for wait in sorted(self.state.waits, key=lambda one: one.due_ms):
            due = self.clock(wait.due_ms)
            if isinstance(wait, GoesBack):
                yield f"At {due} {self._spoken(wait.entity)} goes back to what it was."
                continue
            flow = self.program.flows[EdgeKind(wait.edge)]
            steps = flow.steps[flow.place(wait.at, until=wait.until) :]
            if wait.until and steps and isinstance(until := steps[0], WaitUntil):
                name, wanted = self._spoken(until.watch.entity), until.watch.wanted
                begins = f"It goes on once {name} is {wanted}"
                begins += f", or at {due}" if until.goes_on else f", until {due} at most"
                steps = steps[1:]
            else:
                begins = f"At {due} it goes on"
            sentence = "; ".join(step.sentence(self._spoken) for step in until_it_waits(steps))
            yield f"{begins}: {sentence}." if sentence else f"{begins}."
        if self.state.phase is Phase.ON:
            for place, remind in enumerate(self.program.reminds):
                given = self.state.reminded[place] if place < len(self.state.reminded) else 0
                if given < remind.at_most:
                    due = self.clock(self.state.since_ms + (given + 1) * remind.every_ms)
                    yield f"At {due} it reminds: {remind.notify.sentence(self._spoken)}."

    def _spoken(self, entity: str) -> str:
        return self.names.get(entity) or self.world.called(entity).spoken

    def verdict(self) -> str:
        """The rest of the sentence that begins "At 02:10 …"."""
        if self.state.phase is Phase.ON:
            return f"it was on, {self._since}."
        if self.state.phase is Phase.WAITING:
            over = circumstances(self.program, self.state).over(self.world)
            if not over:
                return "it rested after its last start."
            return "it waited for its hours." if not self._allowed else f"it waited: {over}."
        if self.program.moment is not None:
            return "it was not its time."
        if self.program.watch.happens:
            starts = [one.why.at_ms for one in self.found.acted if one.why.edge is EdgeKind.START]
            if not starts:
                return "it had not started in the time before."
            return f"it had last started at {self.clock(starts[-1])}."
        if self.program.more:
            so = sum(state.phase is Phase.ON for state in self.parts)
            return f"it did not start: {so} of {len(self.program.parts)} were so."
        watch, part = self.watched[0], self.state
        if part.value is None or not self.found.sights[watch.entity].known:
            return "it had nothing to go by."
        if watch.timed or not watch.comparison.starts_with(part.value):
            wanted = watch.wanted
            return f"it did not start: the value was not {wanted}."
        left = watch.held_ms - (self.at_ms - part.since_ms)
        return f"it was still holding, for another {show_span(max(1000, left))}."
