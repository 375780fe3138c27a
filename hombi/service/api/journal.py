"""The journal."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter
from rest_framework.request import Request
from rest_framework.response import Response

from hombi import wire
from hombi.service.api import answers
from hombi.service.api.schema import operation
from hombi.service.api.views import View, whole_number
from hombi.service.bridge import hub

PAGE = 100
MAX_PAGE = 500
_WHICH = [
    OpenApiParameter("before", int, description="entries with a smaller id"),
    OpenApiParameter("after", int, description="entries with a larger id"),
    OpenApiParameter("since", int, description="ms"),
    OpenApiParameter("limit", int, default=PAGE),
    *(OpenApiParameter(name, str) for name in ("event", "node", "automation")),
]


class JournalView(View):
    """What happened."""

    @operation(gives=wire.JournalPage, parameters=_WHICH)
    def get(self, request: Request) -> Response:
        """What happened, newest first."""
        limit = min(MAX_PAGE, max(1, whole_number(request, "limit", PAGE)))
        numbers = {n: whole_number(request, n, -1) for n in ("before", "after", "since")}
        before, after, since = (n if n >= 0 else None for n in numbers.values())
        found = hub().context.records.journal.entries(
            limit + 1,
            before=before,
            after=after,
            since_ms=since,
            event=request.query_params.get("event", ""),
            node=request.query_params.get("node", ""),
            automation=request.query_params.get("automation", ""),
        )
        more, entries = len(found) > limit, found[:limit]
        page = wire.JournalPage(
            entries=[answers.entry(one) for one in entries],
            next=entries[-1].id if more else None,
        )
        return Response(page)
