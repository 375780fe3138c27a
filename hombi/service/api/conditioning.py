"""Conditioning: the steps that an entity's values go through, tried, set and undone."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.series.conditioning import STEP_KINDS, Plan, PlanError, checked, in_words
from hombi.hub.conditioning.changes import ConditionEntity, UndoConditioning, conditionable
from hombi.hub.conditioning.plans import Version
from hombi.hub.conditioning.trying import suggested, tried
from hombi.hub.errors import Invalid
from hombi.hub.hub import Hub
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor
from hombi.service.bridge import change, hub, read
from hombi.wire.conditioning import Conditioning as ConditioningShape
from hombi.wire.conditioning import (
    ConditioningRequest,
    PlanVersion,
    StepSort,
    TriedConditioning,
    TryRequest,
)

DAY_MS = 86_400_000
MOST_LOOKED_AT = 2_000
SORTS = [
    StepSort(
        step=kind.name,
        about=kind.about,
        parameters=[answers.parameter(parameter) for parameter in kind.parameters],
    )
    for kind in STEP_KINDS.values()
]


class StepsView(View):
    """The sorts of steps."""

    @operation(name="steps_list", gives=list[StepSort])
    def get(self, request: Request) -> Response:
        """All sorts, with their numbers."""
        return Response(SORTS)


class ConditioningView(View):
    """How an entity's values are conditioned."""

    @operation(gives=ConditioningShape)
    def get(self, request: Request, node: str, name: str) -> Response:
        """The steps, all plans, and what would be a beginning."""
        return Response(conditioning_of(f"{node}/{name}"))

    @operation(takes=ConditioningRequest, gives=ConditioningShape)
    def put(self, request: Request, node: str, name: str) -> Response:
        """Condition it by these steps from now on, or over its past too. The past is
        made again in the background; `progress` says how far that is."""
        payload = body(request, ConditioningRequest)
        address = f"{node}/{name}"
        change(
            actor(request), ConditionEntity(address, payload.steps, payload.past), lambda *_: None
        )
        return Response(conditioning_of(address))

    @operation(gives=ConditioningShape)
    def delete(self, request: Request, node: str, name: str) -> Response:
        """Take the latest plan back; the past becomes what it was before."""
        address = f"{node}/{name}"
        change(actor(request), UndoConditioning(address), lambda *_: None)
        return Response(conditioning_of(address))


class TryView(View):
    """What steps would make of the past."""

    @operation(takes=TryRequest, gives=TriedConditioning)
    def post(self, request: Request, node: str, name: str) -> Response:
        """Try steps on a stretch of the past; nothing is stored."""
        payload = body(request, TryRequest)
        entity = read(lambda h: conditionable(h.house, f"{node}/{name}").snapshot())
        plan = _plan(payload.steps, f"{node}/{name}")
        now = hub().context.clock.now_ms()
        end = payload.end or now
        start = payload.start or end - DAY_MS
        if not 0 <= start < end <= now + DAY_MS:
            raise Invalid("start must come before end, and end must not lie ahead")
        result = tried(hub().context.records.history, entity, plan, start, end)
        return Response(
            TriedConditioning(
                entity=entity.address,
                unit=entity.kind.unit,
                start=start,
                end=end,
                at=result.at,
                plain=result.plain,
                made=result.made,
                spikes=result.spikes,
                cut=result.cut,
            )
        )


def _plan(steps: list[dict[str, float | str]], address: str) -> Plan:
    kind = read(lambda h: h.house.entity(address).kind)
    try:
        return checked(steps, kind)
    except PlanError as error:
        raise Invalid(str(error)) from error


def conditioning_of(address: str) -> ConditioningShape:
    """How an entity is conditioned, as an answer."""

    def look(h: Hub) -> tuple[int, str, str, Plan, list[Version], float | None, int, bool]:
        entity = conditionable(h.house, address)
        latest = entity.latest.at_ms + 1 if entity.latest else 0
        states = entity.kind.words is not None
        conditioned = h.conditioning.of(entity)
        versions = conditioned.of_kind(entity.kind.name)
        progress = h.conditioning.progress(entity)
        about = (entity.id, entity.address, entity.kind.unit, entity.plan)
        return *about, versions, progress, latest, states

    number, address, unit, plan, versions, progress, latest, states = read(look)
    # What is suggested comes from the last samples, however far back they are.
    first = [] if states else _suggested(number, latest)
    return ConditioningShape(
        entity=address,
        unit=unit,
        steps=[dict(step) for step in plan],
        words=[in_words(step) for step in plan],
        versions=[
            PlanVersion(
                steps=[dict(step) for step in version.plan],
                words=[in_words(step) for step in version.plan],
                by=version.by,
                made_at=version.made_ms,
                since=version.since_ms,
            )
            for version in reversed(versions)
        ],
        progress=progress,
        suggested=first,
    )


def _suggested(number: int, latest_ms: int) -> list[dict[str, float | str]]:
    history = hub().context.records.history
    return suggested(history.single(number, latest_ms - DAY_MS, latest_ms, MOST_LOOKED_AT))
