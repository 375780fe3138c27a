"""Nodes: listing, renaming, moving, removing."""

from __future__ import annotations

from urllib.parse import urlencode

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.acting.whole_node import CommandNode
from hombi.hub.errors import Invalid
from hombi.hub.hub import Hub
from hombi.hub.kernel import Right
from hombi.hub.nodes.feature import AskAgain, ChangeNode, RemoveNode
from hombi.hub.nodes.pairing import fresh_setup_code
from hombi.hub.nodes.picks import AddNode, AddPosted
from hombi.hub.nodes.secrets import ChangeSecret, NewNodeKey, RevokeNodeKey
from hombi.hub.nodes.settings import Act, ChangeSetting
from hombi.service.addresses import house_address
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import Query, operation
from hombi.service.api.trust import drawn
from hombi.service.api.views import View, actor, done, given
from hombi.service.bridge import call, change, hub, read
from hombi.wire.entities import Command, Entity, NodeCommandRequest
from hombi.wire.nodes import (
    Acted,
    ActionRequest,
    Node,
    NodeChange,
    NodeKey,
    NodeRequest,
    NodeSecret,
    PostedRequest,
    Setting,
    SettingRequest,
    SetupCode,
)

MAX_THING, MAX_CODE = 200, 40
_HISTORY = [Query("history", str, enum=["keep", "delete"], default="keep")]
_SETUP = [Query("thing", str, required=True), Query("code", str)]


def _key(request: Request, node: str, key: str) -> NodeKey:
    """A node's key as it is shown once."""
    address = f"{house_address(request)}/api/intake/{node}/ENTITY"
    return NodeKey(
        node=node,
        key=key,
        curl=f"curl -u {node}:{key} -d 21.5 {address}",
        get=f"{address}?key={key}&value=21.5",
    )


class NodesView(View):
    """All nodes."""

    @operation(takes=NodeRequest, gives=NodeKey, status=201)
    def post(self, request: Request) -> Response:
        """Add a node that posts its values; its key is in the answer, this once."""
        payload = body(request, NodeRequest)
        made = change(
            actor(request), AddNode(payload.name, payload.room), lambda _, m: (m[0].address, m[1])
        )
        return Response(_key(request, *made), status=201)

    @operation(name="nodes_list", gives=list[Node])
    def get(self, request: Request) -> Response:
        """All nodes, by address."""
        return Response(
            read(lambda h: [answers.node(h, n) for _, n in sorted(h.house.nodes.items())])
        )


class NodeView(View):
    """One node."""

    @operation(gives=Node)
    def get(self, request: Request, node: str) -> Response:
        """The node."""
        return Response(read(lambda h: answers.node(h, h.house.node(node))))

    @operation(takes=NodeChange, gives=Node)
    def patch(self, request: Request, node: str) -> Response:
        """Rename it or move it."""
        payload = body(request, NodeChange)
        title, room = given(payload.title), given(payload.room)
        if title is None and room is None:
            raise Invalid("say a title or a room")
        wanted = ChangeNode(node, title, room)
        return Response(change(actor(request), wanted, answers.node))

    @operation(parameters=_HISTORY)
    def delete(self, request: Request, node: str) -> Response:
        """Take it out of the house. Its history is kept unless `history=delete`."""
        keep = request.query_params.get("history", "keep") != "delete"
        return done(request, RemoveNode(node, keep_history=keep))


class NodeCommandView(View):
    """Commands to a node: several of its values at once."""

    does = Right.USE

    @operation(takes=NodeCommandRequest, gives=list[Command])
    def post(self, request: Request, node: str) -> Response:
        """Ask the node to take several values, or to be something as a whole, and wait
        until it confirms them or time is up."""
        asked = body(request, NodeCommandRequest)
        wanted = CommandNode(node, asked.to, asked.values, asked.taking)
        return Response(
            change(actor(request), wanted, lambda _, all_: [answers.command(c) for c in all_])
        )


class SecretView(View):
    """The secret that a node asks the hub for."""

    @operation(takes=NodeSecret, gives=Node)
    def put(self, request: Request, node: str) -> Response:
        """Give the hub another one; it is tried first."""
        wanted = ChangeSecret(node, body(request, NodeSecret).secret)
        return Response(change(actor(request), wanted, answers.node))


class KeyView(View):
    """A node's key."""

    @operation(gives=NodeKey)
    def post(self, request: Request, node: str) -> Response:
        """Make a new key; the one before is void at once, and what came in with it is
        cut off."""
        key = change(actor(request), NewNodeKey(node), lambda _, made: made)
        return Response(_key(request, node, key))

    @operation()
    def delete(self, request: Request, node: str) -> Response:
        """Take the key away: the node is shut out until it has a new one."""
        return done(request, RevokeNodeKey(node))


class NodeAgainView(View):
    """Asking a node again."""

    @operation()
    def post(self, request: Request, node: str) -> Response:
        """Ask it again what it has; what it did not say before becomes entities."""
        return done(request, AskAgain(node=node))


class NodeEntitiesView(View):
    """What a node posts."""

    @operation(takes=PostedRequest, gives=Entity, status=201)
    def post(self, request: Request, node: str) -> Response:
        """Add a value that the node posts to /api/intake/<node>/<entity>."""
        payload = body(request, PostedRequest)
        wanted = AddPosted(node, payload.title, payload.kind, payload.unit, payload.pointer)
        return Response(change(actor(request), wanted, answers.entity), status=201)


class SettingsView(View):
    """A node's own settings."""

    @operation(gives=list[Setting])
    def get(self, request: Request, node: str) -> Response:
        """The settings, as the node tells them now."""

        async def asked(h: Hub) -> list[Setting]:
            return answers.node(h, await h.settings.read(node)).settings

        return Response(call(asked(hub())))


class SettingView(View):
    """One of a node's own settings."""

    @operation(takes=SettingRequest, gives=Node)
    def put(self, request: Request, node: str, setting: str) -> Response:
        """Change it; answered when the node has confirmed it."""
        value = body(request, SettingRequest).value
        wanted = ChangeSetting(node, setting, value)
        return Response(change(actor(request), wanted, answers.node))


class ActionView(View):
    """Something that a node can do."""

    @operation(takes=ActionRequest, gives=Acted)
    def post(self, request: Request, node: str, action: str) -> Response:
        """Have it done."""
        wanted = Act(node, action, body(request, ActionRequest).inputs)
        return Response(
            change(actor(request), wanted, lambda _, a: Acted(done=a.done, answer=a.answer))
        )


class SetupCodeView(View):
    """A setup code as a QR code."""

    @operation(gives=SetupCode, parameters=_SETUP)
    def get(self, request: Request) -> Response:
        """A node's setup code as a QR code that a phone's camera opens as the page that
        lets the node in.

        `thing` is the id in the node's description. Without `code` a new one is made,
        to be given to the node.
        """
        thing, code = (request.query_params.get(name, "").strip() for name in ("thing", "code"))
        if not thing or len(thing) > MAX_THING or len(code) > MAX_CODE:
            raise Invalid(
                "thing is the id in the node's description, like urn:uuid:…; code is its setup code"
            )
        code = code or fresh_setup_code()
        address = f"{house_address(request)}/admit?{urlencode({'thing': thing, 'code': code})}"
        return Response(SetupCode(code=code, address=address, svg=drawn(address)))
