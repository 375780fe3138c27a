"""Nodes: listing, renaming, moving, removing."""

from __future__ import annotations

from io import BytesIO
from urllib.parse import urlencode

import segno
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.errors import Invalid
from hombi.hub.pairing import fresh_setup_code
from hombi.links.wifi.discovery import own_address
from hombi.service.api.shapes import (
    EntityShape,
    NodeShape,
    SettingShape,
    Shape,
    checked,
    entity_data,
    node_data,
)
from hombi.service.bridge import call, hub

MAX_THING, MAX_CODE = 200, 40


class NodeChange(Shape):
    """What to change of a node; a room that does not exist is made, "" is none."""

    title = s.CharField(max_length=120, required=False)
    room = s.CharField(max_length=80, required=False, allow_blank=True)


class NodeRequest(Shape):
    """A node that posts its values: its name, and its room."""

    name = s.CharField(max_length=60)
    room = s.CharField(max_length=60, default="", allow_blank=True)


class NodeKeyShape(Shape):
    """A node's key, shown this once, with what it types to post a value."""

    node = s.CharField()
    key = s.CharField()
    curl = s.CharField(
        help_text="a line that posts 21.5; put the entity's name in the place of ENTITY"
    )
    get = s.CharField(help_text="an address for boards that can only fetch one")


class PostedRequest(Shape):
    """A value that a node posts: its name, kind and unit; `pointer` is where it stands
    when JSON is posted."""

    title = s.CharField(max_length=60)
    kind = s.CharField(max_length=20)
    unit = s.CharField(max_length=40, default="", allow_blank=True)
    pointer = s.CharField(max_length=300, default="", allow_blank=True)


class SettingRequest(Shape):
    """The value wanted."""

    value = s.JSONField()


class ActionRequest(Shape):
    """What the action asks for, by name."""

    inputs = s.DictField(child=s.JSONField(), default=dict)


class ActedShape(Shape):
    """What the node answered, if anything."""

    answer = s.JSONField(allow_null=True)


class SetupCodeShape(Shape):
    """A setup code, the address in its QR code, and the QR code as SVG."""

    code = s.CharField()
    address = s.CharField()
    svg = s.CharField()


def house_address(request: Request) -> str:
    """The hub's address as a node or a phone reaches it: not "localhost", which would
    be themselves."""
    host, _, port = request.get_host().rpartition(":")
    host = host or request.get_host()
    if host in ("localhost", "127.0.0.1", "[::1]", "testserver"):
        h = hub().config
        own = own_address(h.wifi_discovery) if h.http_host in ("0.0.0.0", "::") else h.http_host  # noqa: S104
        return f"{request.scheme}://{own}:{h.http_port}"
    return f"{request.scheme}://{request.get_host()}" if port else f"{request.scheme}://{host}"


def key_data(request: Request, node: str, key: str) -> dict[str, str]:
    """A node's key as it is shown once."""
    address = f"{house_address(request)}/api/intake/{node}/ENTITY"
    return {
        "node": node,
        "key": key,
        "curl": f"curl -u {node}:{key} -d 21.5 {address}",
        "get": f"{address}?key={key}&value=21.5",
    }


class NodesView(APIView):
    """All nodes."""

    @extend_schema(request=NodeRequest, responses={201: NodeKeyShape})
    def post(self, request: Request) -> Response:
        """Add a node that posts its values; its key is in the answer, this once."""
        node, key = call(hub().foreign.add_node(**checked(request, NodeRequest)))
        return Response(key_data(request, node.address, key), status=201)

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

    @extend_schema(
        parameters=[OpenApiParameter("history", str, enum=["keep", "delete"], default="keep")],
        responses={204: None},
    )
    def delete(self, request: Request, node: str) -> Response:
        """Take it out of the house. Its history is kept unless `history=delete`."""
        call(
            hub().remove_node(
                node, keep_history=request.query_params.get("history", "keep") != "delete"
            )
        )
        return Response(status=204)


class KeyView(APIView):
    """A node's key."""

    @extend_schema(request=None, responses=NodeKeyShape)
    def post(self, request: Request, node: str) -> Response:
        """Make a new key; the one before is void at once, and what came in with it is
        cut off."""
        key = call(hub().nodes.new_key(node))
        return Response(key_data(request, node, key))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, node: str) -> Response:
        """Take the key away: the node is shut out until it has a new one."""
        call(hub().nodes.revoke_key(node))
        return Response(status=204)


class NodeAgainView(APIView):
    """Asking a node again."""

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, node: str) -> Response:
        """Ask it anew what it has; what it did not say before becomes entities."""
        found = hub().house.node(node)
        call(hub().nodes.ask_again(found.link, found.thing_id))
        return Response(status=204)


class NodeEntitiesView(APIView):
    """What a node posts."""

    @extend_schema(request=PostedRequest, responses={201: EntityShape})
    def post(self, request: Request, node: str) -> Response:
        """Add a value that the node posts to /api/intake/<node>/<entity>."""
        given = checked(request, PostedRequest)
        entity = call(
            hub().foreign.add_entity(
                node, given["title"], given["kind"], given["unit"], given["pointer"]
            )
        )
        return Response(entity_data(entity), status=201)


class SettingsView(APIView):
    """A node's own settings."""

    @extend_schema(responses=SettingShape(many=True))
    def get(self, request: Request, node: str) -> Response:
        """The settings, as the node tells them now."""
        return Response(node_data(call(hub().settings.read(node)))["settings"])


class SettingView(APIView):
    """One of a node's own settings."""

    @extend_schema(request=SettingRequest, responses=NodeShape)
    def put(self, request: Request, node: str, setting: str) -> Response:
        """Change it; answered when the node has confirmed it."""
        return Response(
            node_data(
                call(
                    hub().settings.change(node, setting, checked(request, SettingRequest)["value"])
                )
            )
        )


class ActionView(APIView):
    """Something that a node can do."""

    @extend_schema(request=ActionRequest, responses=ActedShape)
    def post(self, request: Request, node: str, action: str) -> Response:
        """Have it done."""
        return Response(
            {
                "answer": call(
                    hub().settings.act(node, action, checked(request, ActionRequest)["inputs"])
                )
            }
        )


class SetupCodeView(APIView):
    """A setup code as a QR code."""

    @extend_schema(
        parameters=[OpenApiParameter("thing", str, required=True), OpenApiParameter("code", str)],
        responses=SetupCodeShape,
    )
    def get(self, request: Request) -> Response:
        """A node's setup code as a QR code that a phone's camera opens as the page that
        lets the node in.

        `thing` is the id in the node's description. Without `code` a new one is made,
        to be given to the node.
        """
        thing, code = (
            request.query_params.get("thing", "").strip(),
            request.query_params.get("code", "").strip(),
        )
        if not thing or len(thing) > MAX_THING or len(code) > MAX_CODE:
            raise Invalid(
                "thing is the id in the node's description, like urn:uuid:…; code is its setup code"
            )
        code = code or fresh_setup_code()
        address = f"{house_address(request)}/admit?{urlencode({'thing': thing, 'code': code})}"
        picture = BytesIO()
        segno.make(address, error="m").save(
            picture, kind="svg", scale=4, border=4, dark="#000", light="#fff", xmldecl=False
        )
        return Response({"code": code, "address": address, "svg": picture.getvalue().decode()})
