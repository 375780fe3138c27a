"""Moments: an automation that watches the clock, not a value.

at = "06:45"      at = "sunset - 20 min"      every = "15 min"
rule = "FREQ=MONTHLY;BYDAY=1SU;BYHOUR=9"      with lasts = "20 min" it also ends
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta, tzinfo

from msgspec.structs import replace

from hombi.core.automation.circumstances import Circumstances
from hombi.core.automation.rules import Rule
from hombi.core.automation.state import Began, EdgeKind, Event, Phase, State, Why, World
from hombi.core.automation.times import DayTime, SunTime
from hombi.core.house_time import moment_ms
from hombi.core.values import show_span

# One that was missed by more than this is not made up for.
LATE_MS = 10 * 60_000
# Beyond the polar circles the sun does not set for half a year: so far ahead is looked.
DAYS_AHEAD = 200
NEVER_MS = 366 * 86_400_000


@dataclass(frozen=True, slots=True)
class Moment:
    """At a time of the day, each `every_ms` from midnight on, or by a rule of the
    calendar, by the house's clock; with `lasts_ms` it also ends."""

    at: DayTime | None = None
    every_ms: int = 0
    rule: Rule | None = None
    lasts_ms: int = 0

    def next_ms(self, after_ms: int, zone: tzinfo) -> int:
        """The first such moment after another one; a year later where there is none."""
        if self.rule is not None:
            result = self.rule.next_ms(after_ms, zone)
            return after_ms + NEVER_MS if result is None else result
        today = datetime.fromtimestamp(after_ms / 1000, zone).date()
        for ahead in range(-2, DAYS_AHEAD):
            at_ms = self._on(today + timedelta(days=ahead), after_ms, zone)
            if at_ms is not None and at_ms > after_ms:
                return at_ms
        return after_ms + NEVER_MS

    def _on(self, day: date, after_ms: int, zone: tzinfo) -> int | None:
        """The first of a day after a moment, if there is one."""
        if self.at is not None:
            return self.at.on(day, zone)
        begin, end = moment_ms(day, 0, zone), moment_ms(day + timedelta(days=1), 0, zone)
        steps = max(0, (after_ms - begin) // self.every_ms + 1)
        return min(begin + steps * self.every_ms, end)

    def sentence(self) -> str:
        """As in "At 06:45, for 20 min"."""
        lasts = f", for {show_span(self.lasts_ms)}" if self.lasts_ms else ""
        if self.rule is not None:
            return f"By the rule {self.rule.text}{lasts}"
        if self.at is None:
            return f"Every {show_span(self.every_ms)}{lasts}"
        return f"At {self.at}{lasts}"


def step_moment(
    moment: Moment, state: State, event: Event, world: World, only: Circumstances
) -> tuple[State, Why | None]:
    """Step an automation that watches the clock. `heard_ms` is when it looked last."""
    now = world.now_ms
    if isinstance(event, Began) or not state.heard_ms:
        return replace(state, heard_ms=now), None
    held = now - state.since_ms
    if state.phase is Phase.ON:
        over = only.over(world)
        if held < moment.lasts_ms and not over:
            return replace(state, heard_ms=now), None
        sentence = f"{over}, after {show_span(held)}" if over else f"after {show_span(held)}"
        after = replace(state, phase=Phase.IDLE, since_ms=now, heard_ms=now)
        return after, _why(EdgeKind.END, now, held, sentence)
    looked = replace(state, heard_ms=now)
    # Of the moments that were missed, the latest ones may still be made up for.
    late = max(state.heard_ms, now - LATE_MS - 1)
    due = moment.next_ms(late, world.zone)
    if due > now:
        return (looked if late > state.heard_ms else state), None
    if not only.allow_start(world):
        return looked, None
    clock = datetime.fromtimestamp(due / 1000, world.zone).strftime("%H:%M")
    if isinstance(moment.at, SunTime):
        clock += f", {moment.at}"
    phase = Phase.ON if moment.lasts_ms else Phase.IDLE
    why = _why(EdgeKind.START, now, 0, f"it is {clock}")
    return replace(looked, phase=phase, since_ms=now), why


def due_moment(moment: Moment, state: State, world: World) -> int | None:
    """When to step next."""
    if state.phase is Phase.ON:
        return state.since_ms + moment.lasts_ms
    return moment.next_ms(state.heard_ms or world.now_ms, world.zone)


def _why(edge: EdgeKind, now: int, held: int, text: str) -> Why:
    return Why(edge, now, 0.0, 0.0, held, text)
