"""The journal."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.service.api.entities import whole_number
from hombi.service.api.shapes import JournalShape, Shape
from hombi.service.records import queries

PAGE = 100
MAX_PAGE = 500


class JournalPageShape(Shape):
    """A page of the journal, newest first; `next` is the `before` of the next page,
    null on the last one."""

    entries = JournalShape(many=True)
    next = s.IntegerField(allow_null=True)


class JournalView(APIView):
    """What happened."""

    @extend_schema(
        parameters=[
            OpenApiParameter("before", int, description="entries with a smaller id"),
            OpenApiParameter("after", int, description="entries with a larger id"),
            OpenApiParameter("since", int, description="ms"),
            OpenApiParameter("limit", int, default=PAGE),
            *(OpenApiParameter(name, str) for name in ("event", "node", "automation")),
        ],
        responses=JournalPageShape,
    )
    def get(self, request: Request) -> Response:
        """What happened, newest first."""
        limit = min(MAX_PAGE, max(1, whole_number(request, "limit", PAGE)))
        before, after, since = (
            whole_number(request, name, -1) for name in ("before", "after", "since")
        )
        words = {
            name: request.query_params.get(name, "") for name in ("event", "node", "automation")
        }
        found = queries.journal(
            before=before if before >= 0 else None,
            after=after if after >= 0 else None,
            since_ms=since if since >= 0 else None,
            **words,
        )
        entries = list(found[: limit + 1])
        more = len(entries) > limit
        entries = entries[:limit]
        return Response(
            {
                "entries": JournalShape(entries, many=True).data,
                "next": entries[-1].pk if more else None,
            }
        )
