"""Automations over the past: replayed before they are kept, explained afterwards."""

from __future__ import annotations

from collections import Counter

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.automation import (
    EdgeKind,
    Named,
    Phase,
    Program,
    Said,
    State,
    rehearse,
)
from hombi.core.automation.account import BACK_MS, Beside, back_ms
from hombi.core.automation.advice import with_limit
from hombi.core.automation.lanes import Lane
from hombi.core.automation.rehearse import LONGEST_MS
from hombi.core.automation.replay import never
from hombi.core.errors import ValueTextError
from hombi.core.formula import past_of
from hombi.core.series import DAY_MS, HOUR_MS
from hombi.core.values import parse_span_ms, parse_value, show_limit, show_span
from hombi.hub.automations.looking_back import LookedBack, Turns, accounted, hands_in, looked_back
from hombi.hub.automations.starts import EVENT
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import OWN_STATES, Entity
from hombi.hub.household.own_state import state_of
from hombi.hub.hub import Hub
from hombi.hub.kernel.journal_port import JournalEntry, JournalPort
from hombi.service.api.entities import LATEST_MS
from hombi.service.api.parsing import body, text_of
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, actor, whole_number
from hombi.service.bridge import hub, read
from hombi.wire.automations import (
    Account,
    AccountDone,
    AccountLine,
    PretendValue,
    Rehearsal,
    RehearsedStep,
    RehearseRequest,
    Replay,
    ReplayedEdge,
    ReplayedEffect,
    ReplayRequest,
    SuggestedLimit,
)
from hombi.wire.automations import Lane as LaneShape

USUAL_MS = 30 * DAY_MS
WEEK_MS = 7 * DAY_MS
MOST_EDGES, MOST_MOVES, MOST_DONE = 500, 2000, 200
EDGES = ("AutomationStarted", "AutomationEnded", "AutomationBlind")
# What came of what an automation wanted done, and whether that is good.
DONE = {
    "CommandConfirmed": True,
    "CommandFailed": False,
    "SettingChanged": True,
    "ThingDone": True,
    "ActionFailed": False,
    "NoticeDelivered": True,
    "NoticeDelayed": None,
    "NoticeFailed": False,
    "NoticeUnsent": False,
    "AutomationAcknowledged": True,
}
_AT = [Query("at", int, description="the moment, in ms; now unless given")]


_turns = Turns()


class ReplayView(View):
    """A text over the past."""

    @operation(takes=ReplayRequest, gives=Replay)
    def post(self, request: Request) -> Response:
        """When it would have started and ended, and what is to be said of its limit;
        nothing is done. A text with mistakes is refused with all of them."""
        payload = body(request, ReplayRequest)
        text = text_of(payload.text)
        now = hub().context.clock.now_ms()
        end = payload.end or now
        start = payload.start or end - USUAL_MS
        if end > LATEST_MS:
            raise Invalid(f"end={end} is out of range; it is ms since 1970")

        def look(h: Hub) -> tuple[Program, dict[str, Entity], dict[str, str]]:
            program = h.automations.sound(text)
            return program, _snapshots(h, program), _names(h)

        program, entities, names = read(look)
        if payload.limit:
            program = _with_limit(program, payload.limit)
        records, zone = hub().context.records, hub().config.zone
        # A limit that is tried is being dragged.
        overtaken = _turns.begin(str(actor(request)), payload.text) if payload.limit else never
        hands = hands_in(records.journal, start - BACK_MS, end)
        back = looked_back(program, entities, records.history, (start, end), zone, overtaken, hands)
        lived = _lived(records.journal, payload.automation, (start, end))
        return Response(_replay(program, back, names, (start, end), lived))


class RehearseView(View):
    """A text with pretend values."""

    @operation(takes=RehearseRequest, gives=Rehearsal)
    def post(self, request: Request) -> Response:
        """What it would do with them, as time goes by; the house is not touched."""
        payload = body(request, RehearseRequest)
        text = text_of(payload.text)
        begin = payload.at or hub().context.clock.now_ms()
        if not 0 < begin <= LATEST_MS:
            raise Invalid(f"at={begin} is out of range; it is ms since 1970")

        def look(h: Hub) -> tuple[Program, dict[str, Entity], dict[str, str]]:
            program = h.automations.sound(text)
            return program, _snapshots(h, program), _names(h)

        program, entities, names = read(look)
        # One that watches only the clock has nothing to pretend.
        given = payload.said if program.entities else []
        saids = [_said(value, program, entities, begin) for value in given]
        usual = HOUR_MS if saids else DAY_MS
        end = max((one.at_ms for one in saids), default=begin) + (_span(payload.lasts) or usual)
        if end - begin > LONGEST_MS:
            raise Invalid(f"a rehearsal lasts {show_span(LONGEST_MS)} at most")
        saids += _as_now(entities, {one.entity for one in saids}, begin)
        known = {
            address: Named(entity.spoken, entity.room.name if entity.room else "", entity.kind)
            for address, entity in entities.items()
        }
        rehearsal = rehearse(program, known, saids, (begin, end), hub().config.zone)
        return Response(
            Rehearsal(
                sentence=program.sentence(names),
                start=begin,
                end=end,
                entities=list(program.entities),
                steps=[
                    RehearsedStep(
                        at=step.at_ms,
                        after_ms=step.at_ms - begin,
                        edge=step.edge,
                        text=step.text,
                        effects=[e.spoken(lambda a: names.get(a, a)) for e in step.effects],
                    )
                    for step in rehearsal.steps[:MOST_EDGES]
                ],
                stood_from=[move.at_ms for move in rehearsal.moves[-MOST_MOVES:]],
                stood=[move.after.value for move in rehearsal.moves[-MOST_MOVES:]],
                lanes=_lanes(rehearsal.lanes),
            )
        )


def _said(
    pretended: PretendValue, program: Program, entities: dict[str, Entity], begin: int
) -> Said:
    """A pretend value in the kind's unit. Raises Invalid."""
    address = pretended.entity or program.watch.entity
    if address not in entities:
        known = ", ".join(entities)
        raise Invalid(f"it does not look at {address}; it looks at {known}")
    try:
        value = (
            None
            if pretended.value == "bad"
            else parse_value(pretended.value, entities[address].kind, bare=True)
        )
    except ValueTextError as error:
        raise Invalid(f"{address}: {error}") from error
    return Said(begin + _span(pretended.after), address, value)


def _as_now(entities: dict[str, Entity], pretended: set[str], begin: int) -> list[Said]:
    """What nobody pretends is as it is now."""
    return [
        Said(begin, address, entity.latest.value)
        for address, entity in entities.items()
        if address not in pretended
        and past_of(address) is None
        and not entity.silent
        and entity.latest is not None
        and entity.latest.usable
    ]


def _span(text: str) -> int:
    if not text.strip() or text.strip() == "0":
        return 0
    try:
        return parse_span_ms(text)
    except ValueTextError as error:
        raise Invalid(str(error)) from error


class AccountView(View):
    """Why, or why not."""

    @operation(name="automations_why", gives=Account, parameters=_AT)
    def get(self, request: Request, automation: str) -> Response:
        """Where an automation stood at a moment, by its present text, and what each
        part said."""
        now = hub().context.clock.now_ms()
        at = min(whole_number(request, "at", now), now)

        def look(h: Hub) -> tuple[str, State, Program, dict[str, Entity], dict[str, str]]:
            runner = h.automations.find(automation)
            if runner.program is None:
                raise Refused(f"{runner.record.slug} cannot run: {runner.mistakes[0].what}")
            program = runner.program
            result = _snapshots(h, program)
            return runner.record.slug, runner.state, program, result, _names(h)

        slug, state, program, entities, names = read(look)
        records, stands = hub().context.records, state.phase
        on = state.since_ms if stands is Phase.ON and state.since_ms <= at else None
        hands = hands_in(records.journal, at - back_ms(program) - BACK_MS, at + 1)
        beside = Beside(on, state if at == now else None, names, hands)
        account = accounted(program, entities, records.history, at, hub().config.zone, beside)
        edge, done = _done(records.journal, slug, at)
        lines = [AccountLine(holds=line.holds, text=line.text) for line in account.lines]
        if at == now and stands is not account.phase:
            lines.append(AccountLine(holds=None, text=_in_fact(stands)))
        return Response(
            Account(
                automation=slug,
                at=at,
                phase=account.phase.value,
                sentence=account.sentence,
                lines=lines,
                edge=edge.text if edge is not None else "",
                done=done,
            )
        )


def _lanes(lanes: list[Lane]) -> list[LaneShape]:
    return [LaneShape(text=lane.text, since=lane.since_ms, said=lane.said) for lane in lanes]


def _snapshots(h: Hub, program: Program) -> dict[str, Entity]:
    """What is there once a text names it may not be there yet."""
    house, now = h.house, h.context.clock.now_ms()
    of = {entity: past[0] if (past := past_of(entity)) else entity for entity in program.entities}
    return {
        one: state_of(address, now)
        if address in OWN_STATES and address not in house.entities
        else house.entity(address).snapshot()
        for one, address in of.items()
    }


def _names(h: Hub) -> dict[str, str]:
    return h.house.spoken_names()


def _with_limit(program: Program, text: str) -> Program:
    """The same with another limit; what ends it keeps its distance."""
    watch = program.watch
    if not watch.comparison.side or watch.moving is not None or program.more:
        raise Invalid("only one value with over or under has a limit that can be moved")
    try:
        limit = parse_value(text, watch.kind, bare=True)
    except ValueTextError as error:
        raise Invalid(str(error)) from error
    return with_limit(program, limit)


def _lived(journal: JournalPort, name: str, span: tuple[int, int]) -> list[int] | None:
    """When an automation did start in a span; None without one."""
    if not name:
        return None
    entries = journal.entries(MOST_EDGES, since_ms=span[0], event=EVENT, automation=name)
    return [entry.at_ms for entry in reversed(entries) if entry.at_ms < span[1]]


def _in_fact(stands: Phase) -> str:
    """The past is accounted for as if it had been on duty all the while."""
    return f"It is {stands.value} in fact: it goes by what came while it was on duty."


def _done(
    journal: JournalPort, slug: str, at: int
) -> tuple[JournalEntry | None, list[AccountDone]]:
    """The last edge until a moment, by the journal, and what was done about it within
    the hour after that moment."""
    rows = journal.entries(MOST_DONE, until_ms=at + HOUR_MS, automation=slug)[::-1]
    places = [n for n, entry in enumerate(rows) if entry.event in EDGES]
    before = [n for n in places if rows[n].at_ms <= at]
    if not before:
        return None, []
    edge, end = rows[before[-1]], next((n for n in places if n > before[-1]), len(rows))
    return edge, [
        AccountDone(
            at=row.at_ms,
            text=row.text,
            done=DONE[row.event] if row.data.get("done", True) else None,
            took_ms=row.data.get("took_ms") or row.at_ms - edge.at_ms,
        )
        for row in rows[before[-1] + 1 : end]
        if row.event in DONE
    ]


def _replay(
    program: Program,
    back: LookedBack,
    names: dict[str, str],
    span: tuple[int, int],
    lived: list[int] | None,
) -> Replay:
    start, end = span
    replayed, watch = back.replayed, program.watch
    seen = watch.kind.as_seen
    on = replayed.on(start, end)
    starts = sum(acted.why.edge is EdgeKind.START for acted in replayed.acted)
    # What happened once in an hour does not happen 168 times a week.
    weeks = max(DAY_MS, end - (back.known_from or start)) / WEEK_MS
    done = Counter(
        effect.spoken(lambda address: names.get(address, address)) for effect in replayed.effects
    )
    sided = bool(watch.comparison.side) and not (program.more or watch.moving)
    until = watch.comparison.until
    return Replay(
        sentence=program.sentence(names),
        entity=watch.entity,
        entities=list(program.entities),
        unit=seen.unit,
        start=start,
        end=end,
        known_from=back.known_from,
        starts=starts,
        a_week=round(starts / weeks, 1) if back.known_from else 0.0,
        on_ms=sum(b - a for a, b in on),
        longest_ms=max((b - a for a, b in on), default=0),
        short=sum(m.before is Phase.HOLDING and m.after is Phase.IDLE for m in replayed.moves),
        on_from=[a for a, _ in on],
        on_until=[b for _, b in on],
        edges=[
            ReplayedEdge(at=acted.why.at_ms, edge=acted.why.edge.value, text=acted.why.text)
            for acted in replayed.acted[-MOST_EDGES:]
        ],
        stood_from=[move.at_ms for move in replayed.moves[-MOST_MOVES:]],
        stood=[move.after.value for move in replayed.moves[-MOST_MOVES:]],
        effects=[ReplayedEffect(text=text, times=times) for text, times in done.items()],
        lanes=_lanes(back.lanes),
        advice=back.advice,
        lived=lived,
        condition=watch.comparison.word,
        limit=seen.limit(watch.comparison.limit) if sided else None,
        until=seen.limit(until) if sided and until is not None else None,
        limits=[
            SuggestedLimit(limit=show_limit(limit.limit, watch.kind), a_week=round(limit.a_week, 1))
            for limit in back.limits
        ],
    )
