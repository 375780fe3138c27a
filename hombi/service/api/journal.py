"""The journal."""

from __future__ import annotations

import contextlib

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.house_facts import did_you_mean
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.hub import Hub
from hombi.hub.kernel import journaled
from hombi.service.api import answers
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, whole_number
from hombi.service.bridge import call, hub, read
from hombi.wire.people import JournalEvents, JournalPage

PAGE = 100
MAX_PAGE = 500
_WHICH = [
    Query("before", int, description="entries with a smaller id"),
    Query("after", int, description="entries with a larger id"),
    Query("since", int, description="ms"),
    Query("limit", int, default=PAGE),
    *(Query(name, str) for name in ("event", "node", "automation")),
]


class JournalView(View):
    """What happened."""

    @operation(gives=JournalPage, parameters=_WHICH)
    def get(self, request: Request) -> Response:
        """What happened, newest first."""
        limit = min(MAX_PAGE, max(1, whole_number(request, "limit", PAGE)))
        numbers = {n: whole_number(request, n, -1) for n in ("before", "after", "since")}
        before, after, since = (n if n >= 0 else None for n in numbers.values())
        about = _about(request)
        call(hub().context.journal.settled())
        result = hub().context.records.journal.entries(
            limit + 1,
            before=before,
            after=after,
            since_ms=since,
            until_ms=None,
            **about,
        )
        more, entries = len(result) > limit, result[:limit]
        page = JournalPage(
            entries=[answers.entry(entry) for entry in entries],
            next=entries[-1].id if more else None,
        )
        return Response(page)


class JournalEventsView(View):
    """What the journal can tell of."""

    @operation(name="journal_events", gives=JournalEvents)
    def get(self, request: Request) -> Response:
        """The names of all events that are written down, in the order of the
        alphabet."""
        return Response(JournalEvents(events=sorted(journaled())))


def _about(request: Request) -> dict[str, str]:
    """What is asked for: an event, a node, an automation. One that is not in the house
    any more is found by the address it had. Raises Invalid, Refused."""
    given = {name: request.query_params.get(name, "") for name in ("event", "node", "automation")}
    if (event := given["event"]) and event not in journaled():
        hint = did_you_mean(event, journaled()) or "GET /api/journal/events lists them"
        raise Invalid(f"there is no event {event}; {hint}")

    def look(h: Hub) -> dict[str, str]:
        with contextlib.suppress(NotFound):
            if given["node"]:
                given["node"] = h.house.node(given["node"]).address
        with contextlib.suppress(NotFound):
            if given["automation"]:
                given["automation"] = h.automations.find(given["automation"]).record.slug
        return given

    return read(look)
