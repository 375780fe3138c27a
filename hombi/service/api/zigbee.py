"""The Zigbee stick and its network."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.hub import Hub
from hombi.hub.nodes.radios import ChooseNetwork, KeepProfile, profile_of, stick_of
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor
from hombi.service.bridge import change, read
from hombi.wire.nodes import ChoiceRequest, NodeProfile, ProfileRequest
from hombi.wire.nodes import Zigbee as ZigbeeShape


def _zigbee(h: Hub) -> ZigbeeShape:
    return ZigbeeShape(**stick_of(h.links).info())


def _profile(h: Hub, node: str) -> NodeProfile:
    path, text, unnamed = profile_of(h.links, h.house.node(node))
    return NodeProfile(path=str(path), text=text, unnamed=unnamed)


class ZigbeeView(View):
    """The stick."""

    @operation(gives=ZigbeeShape)
    def get(self, request: Request) -> Response:
        """The stick and its network; its key is never shown."""
        return Response(read(_zigbee))


class ZigbeeNetworkView(View):
    """A foreign network."""

    @operation(takes=ChoiceRequest, gives=ZigbeeShape, status=202)
    def post(self, request: Request) -> Response:
        """Keep the foreign network that the stick carries, or wipe it and go on with
        the house's own, else with a new one."""
        wanted = ChooseNetwork(body(request, ChoiceRequest).choice)
        return Response(change(actor(request), wanted, lambda h, _: _zigbee(h)), status=202)


class NodeProfileView(View):
    """A node's profile."""

    @operation(gives=NodeProfile)
    def get(self, request: Request, node: str) -> Response:
        """The profile of a Zigbee node's make and model, with each value that it says
        and that has no name yet."""
        return Response(read(lambda h: _profile(h, node)))

    @operation(takes=ProfileRequest, gives=NodeProfile)
    def put(self, request: Request, node: str) -> Response:
        """Keep another text as the house's profile of this make and model; its nodes
        have its values at once."""
        wanted = KeepProfile(node, body(request, ProfileRequest).text)
        return Response(change(actor(request), wanted, lambda h, _: _profile(h, node)))
