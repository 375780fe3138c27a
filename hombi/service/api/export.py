"""Readings as a file, streamed: any number of them costs the memory of one page."""

from __future__ import annotations

from collections.abc import AsyncIterator

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from rest_framework.request import Request

from hombi.core.series import Derivation
from hombi.core.series.export import FORMATS, Exported, Format
from hombi.hub.errors import HubError, Invalid, NotFound
from hombi.hub.hub import Hub
from hombi.hub.kernel import Right, allows
from hombi.service.api.entities import span_of
from hombi.service.api.live import refused, who_asks
from hombi.service.bridge import hub, read

PAGE = 5_000


async def export(
    request: HttpRequest, node: str, name: str
) -> HttpResponse | StreamingHttpResponse:
    """`GET /api/entities/{node}/{name}/export`: an entity's single readings of a span,
    the bad ones too, as `format` csv or senml."""
    if request.method != "GET":
        return refused(405, "an export is read with GET")
    who = await sync_to_async(who_asks)(request)
    if who is None:
        return refused(401, "sign in, or send a token")
    if not allows(who, Right.SEE):
        return refused(403, f"{who} may not {Right.SEE}")
    try:
        number, of, wanted, span = await sync_to_async(_asked)(request, f"{node}/{name}")
    except NotFound as error:
        return refused(404, str(error))
    except HubError as error:
        return refused(422, str(error))
    response = StreamingHttpResponse(
        _written(number, of, wanted, span), content_type=wanted.media_type
    )
    file = of.entity.replace("/", "-") + (".senml.json" if wanted.name == "senml" else ".csv")
    response["Content-Disposition"] = f'attachment; filename="{file}"'
    response["Cache-Control"] = "no-store"
    # The compressing middleware would gather it all first.
    response["Content-Encoding"] = "identity"
    return response


def _asked(request: HttpRequest, address: str) -> tuple[int, Exported, Format, tuple[int, int]]:
    wanted = request.GET.get("format", "csv")
    if wanted not in FORMATS:
        raise Invalid(f"format={wanted} is not known; use {', '.join(FORMATS)}")

    def look(h: Hub) -> tuple[int, Exported]:
        entity = h.house.entity(address)
        numbers = entity.history_channels()
        derived = isinstance(entity.origin, Derivation)
        units = {n: "" if derived else entity.channels.unit_of(n) for n in numbers}
        return entity.id, Exported(entity.address, entity.kind, units, h.config.zone)

    number, of = read(look)
    return number, of, FORMATS[wanted], span_of(Request(request))


async def _written(
    number: int, of: Exported, wanted: Format, span: tuple[int, int]
) -> AsyncIterator[bytes]:
    single = sync_to_async(hub().context.records.history.single, thread_sensitive=False)
    yield wanted.begin.encode()
    at, end = span
    first = True
    while True:
        page = await single(number, at, end, PAGE)
        text = wanted.write(of, [reading for reading in page if reading.channel in of.units], first)
        if text:
            first = False
            yield text.encode()
        if len(page) < PAGE:
            break
        at = page[-1].at_ms + 1
    yield wanted.end.encode()
