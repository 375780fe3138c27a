"""Computed values: the methods, and making one."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.series.methods import METHODS
from hombi.hub.computed.changes import MakeComputed
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor
from hombi.service.bridge import change
from hombi.wire.entities import ComputedRequest, EntityDetail, MethodSort


class MethodsView(View):
    """The ways to compute a value."""

    @operation(name="methods_list", gives=list[MethodSort])
    def get(self, request: Request) -> Response:
        """All methods, with what they take and give."""
        return Response(
            [
                MethodSort(
                    method=method.name,
                    title=method.title,
                    about=method.about,
                    source=method.source,
                    sources=list(method.sources),
                    kind=method.kind,
                    parameters=[answers.parameter(some) for some in method.parameters],
                )
                for method in METHODS.values()
            ]
        )


class ComputedView(View):
    """Values that are computed from others."""

    @operation(takes=ComputedRequest, gives=EntityDetail, status=201)
    def post(self, request: Request) -> Response:
        """Make one; its past is computed in the background."""
        payload = body(request, ComputedRequest)
        made = MakeComputed(
            payload.method, payload.sources, payload.parameters, payload.title, payload.room
        )
        return Response(change(actor(request), made, answers.entity_detail), 201)
