"""The account of a moment: where an automation stood, and which part said what. It is
made of the stored readings by the machine itself, so nothing needs to be logged."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, tzinfo

from hombi.core.automation.machine import Phase
from hombi.core.automation.program import Program
from hombi.core.automation.replay import Course, Replayed, replay
from hombi.core.quality import Quality
from hombi.core.values import show_span, show_value

# So much of the past is replayed before the moment, beside three times the hold.
BACK_MS = 86_400_000


@dataclass(frozen=True, slots=True)
class Line:
    """What one part said: yes, no, or (None) something beside."""

    holds: bool | None
    text: str


@dataclass(frozen=True, slots=True)
class Account:
    """Where an automation stood at a moment, in a sentence and part by part."""

    at_ms: int
    phase: Phase
    sentence: str
    lines: tuple[Line, ...]


def account(program: Program, courses: Mapping[str, Course], at_ms: int, zone: tzinfo) -> Account:
    """Where it would have stood at a moment, on duty and by this text."""
    start = at_ms - max(BACK_MS, 3 * program.watch.held_ms)
    found = replay(program, courses, start, at_ms + 1, zone)
    teller = _Teller(program, found, at_ms, zone)
    lines = tuple(teller.lines())
    when = teller.clock(at_ms)
    return Account(at_ms, found.state.phase, f"At {when} {teller.verdict()}", lines)


class _Teller:
    """Finds the words for one moment."""

    def __init__(self, program: Program, found: Replayed, at_ms: int, zone: tzinfo) -> None:
        self.program, self.found, self.at_ms, self.zone = program, found, at_ms, zone
        self.watch, self.state, self.sight = program.watch, found.state, found.sight

    def clock(self, at_ms: int) -> str:
        """A moment by the house's clock; with its day where that is another one."""
        when, now = (datetime.fromtimestamp(ms / 1000, self.zone) for ms in (at_ms, self.at_ms))
        same = when.date() == now.date() and at_ms != self.at_ms
        return when.strftime("%H:%M" if same else "%d %b %H:%M")

    def shown(self, value: float) -> str:
        return show_value(value, self.watch.kind)

    @property
    def wanted(self) -> str:
        """As in "under 82 %"."""
        return self.watch.comparison.sentence(self.watch.kind)

    @property
    def seen(self) -> bool:
        """Whether there was a value to act on."""
        return self.sight.known and self.state.value is not None

    @property
    def beyond(self) -> bool:
        value = self.state.value
        return value is not None and self.watch.comparison.starts_with(value)

    @property
    def allowed(self) -> bool:
        return self.program.only.allows(self.at_ms, self.zone)

    @property
    def held_ms(self) -> int:
        return self.at_ms - self.state.since_ms

    def lines(self) -> list[Line]:
        found = [self._value()]
        if self.state.phase is Phase.ON:
            found.append(Line(True, f"It was on since {self.clock(self.state.since_ms)}."))
            until = self.watch.comparison.sentence_until(self.watch.kind)
            found.append(Line(None, f"It ends when the value is {until or 'not ' + self.wanted}."))
        elif self.watch.held_ms and self.seen:
            found += self._hold()
        if self.program.only.sentence():
            hours = self.program.only.sentence().removeprefix(", ")
            found.append(Line(self.allowed, f"It may act {hours}."))
        return found

    def _value(self) -> Line:
        name = self.sight.spoken
        if not self.sight.known:
            return Line(False, f"{name} was not heard in the time before.")
        if self.sight.quality >= Quality.STUCK or self.sight.value is None:
            reason = self.sight.quality.reason or "no value"
            return Line(False, f"{name} was bad ({reason}); nothing is decided by that.")
        value = self.sight.value
        is_so = self.watch.comparison.starts_with(value)
        heard = self.clock(self.state.heard_ms)
        said = f"{name} was {self.shown(value)} ({heard})"
        return Line(is_so, f"{said}, {'' if is_so else 'not '}{self.wanted}.")

    def _hold(self) -> list[Line]:
        found, needed = [], show_span(self.watch.held_ms)
        if self.beyond:
            long = self.held_ms >= self.watch.held_ms
            of = "" if long else " of"
            begun = self.clock(self.state.since_ms)
            lasted = show_span(self.held_ms) if self.held_ms >= 1000 else "0 s"
            rest = f" {needed}" if not long else f", longer than {needed}"
            found.append(Line(long, f"It was {self.wanted} for {lasted}{of}{rest}, since {begun}."))
        broken = [one for one in self.found.moves if self._broke(one.before, one.after)]
        value = broken[-1].value if broken else None
        if value is not None:
            when = self.clock(broken[-1].at_ms)
            found.append(
                Line(None, f"A reading of {self.shown(value)} at {when} ended the hold before.")
            )
        return found

    @staticmethod
    def _broke(before: Phase, after: Phase) -> bool:
        return before in (Phase.HOLDING, Phase.WAITING) and after is Phase.IDLE

    def verdict(self) -> str:
        """The rest of the sentence that begins "At 02:10 …"."""
        if self.state.phase is Phase.ON:
            return f"it was on, since {self.clock(self.state.since_ms)}."
        if not self.seen:
            return "it had nothing to go by."
        if not self.beyond:
            return f"it did not start: the value was not {self.wanted}."
        if self.state.phase is Phase.WAITING or not self.allowed:
            return "it waited for its hours."
        left = self.watch.held_ms - self.held_ms
        return f"it was still holding, for another {show_span(max(1000, left))}."
