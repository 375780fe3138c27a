"""Nodes: listing, renaming, moving, removing."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.service.api.shapes import NodeShape, Shape, checked, node_data
from hombi.service.bridge import call, hub


class NodeChange(Shape):
    """What to change of a node; a room that does not exist is made, "" is none."""

    title = s.CharField(max_length=120, required=False)
    room = s.CharField(max_length=80, required=False, allow_blank=True)


class NodesView(APIView):
    """All nodes."""

    @extend_schema(responses=NodeShape(many=True))
    def get(self, request: Request) -> Response:
        """All nodes, by address."""
        return Response([node_data(n) for _, n in sorted(hub().house.nodes.items())])


class NodeView(APIView):
    """One node."""

    @extend_schema(responses=NodeShape)
    def get(self, request: Request, node: str) -> Response:
        """The node."""
        return Response(node_data(hub().house.node(node)))

    @extend_schema(request=NodeChange, responses=NodeShape)
    def patch(self, request: Request, node: str) -> Response:
        """Rename it or move it."""
        return Response(node_data(call(hub().nodes.change(node, **checked(request, NodeChange)))))

    @extend_schema(parameters=[OpenApiParameter("history", str, enum=["keep", "delete"], default="keep")], responses={204: None})
    def delete(self, request: Request, node: str) -> Response:
        """Take it out of the house. Its history is kept unless `history=delete`."""
        call(hub().remove_node(node, keep_history=request.query_params.get("history", "keep") != "delete"))
        return Response(status=204)
