"""Starters: ready-made automations with blanks to fill in."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.automation.starters import STARTERS, Blank, Starter, StarterError, filled
from hombi.core.series import DAY_MS
from hombi.core.series.statistics import quantiles
from hombi.core.values import show_limit
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import Entity
from hombi.hub.hub import Hub
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View
from hombi.service.bridge import hub, read
from hombi.wire.automations import FirstValue, StarterBlank, StarterRequest, Written
from hombi.wire.automations import Starter as StarterShape

PAST_DAYS = 30
_OF = [
    Query("entity", str, required=True, description="the entity in the blank"),
    Query("blank", str, description="the blank that it is in, sensor unless given"),
]


class StartersView(View):
    """All starters."""

    @operation(name="starters_list", gives=list[StarterShape])
    def get(self, request: Request) -> Response:
        """All of them, with their blanks."""
        return Response([_starter(starter) for starter in STARTERS.values()])


class StarterView(View):
    """One starter."""

    @operation(name="starters_fill", takes=StarterRequest, gives=Written)
    def post(self, request: Request, starter: str) -> Response:
        """The text that its blanks make, checked; nothing is kept."""
        payload = body(request, StarterRequest)
        try:
            text = filled(_known(starter), payload.blanks)
        except StarterError as error:
            raise Invalid(str(error)) from error
        return Response(read(lambda h: Written(text=text, **answers.checked(h, text))))


class FirstValuesView(View):
    """First values of a starter."""

    @operation(name="starters_values", gives=list[FirstValue], parameters=_OF)
    def get(self, request: Request, starter: str) -> Response:
        """Limits for the blanks that belong to an entity, from its last 30 days."""
        result, place = _known(starter), request.query_params.get("blank") or "sensor"
        address = request.query_params.get("entity", "")
        entity = read(lambda h: _snapshot(h, address))
        blanks = [blank for blank in result.blanks if blank.of == place and blank.part is not None]
        return Response(_first_values(entity, blanks))


def _snapshot(h: Hub, address: str) -> Entity:
    return h.house.entity(address).snapshot()


def _first_values(entity: Entity, blanks: list[Blank]) -> list[FirstValue]:
    if not entity.kind.measures or not blanks:
        return []
    now = hub().context.clock.now_ms()
    history = hub().context.records.history
    held = history.held(entity.past, now - PAST_DAYS * DAY_MS, now)
    if not sum(ms for _, ms in held):
        return []
    values = []
    for blank in blanks:
        part = blank.part or 0.0
        (limit,) = quantiles(held, [part])
        value = show_limit(round(limit, entity.kind.decimals), entity.kind)
        reason = f"it lay under {value} for {part * 100:.0f} % of the last {PAST_DAYS} days here"
        values.append(FirstValue(blank=blank.name, value=value, reason=reason))
    return values


def _known(name: str) -> Starter:
    starter = STARTERS.get(name)
    if starter is None:
        raise NotFound(f"there is no starter {name[:40]}; there are {', '.join(STARTERS)}")
    return starter


def _starter(starter: Starter) -> StarterShape:
    return StarterShape(
        starter=starter.name,
        title=starter.title,
        about=starter.about,
        blanks=[
            StarterBlank(
                name=blank.name,
                label=blank.label,
                sort=blank.sort,
                kinds=list(blank.kinds),
                usual=blank.usual,
                needed=blank.needed,
                set=blank.set,
                of=blank.of,
            )
            for blank in starter.blanks
        ],
    )
