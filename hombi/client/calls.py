"""Every call that the hub takes, as a value: what to send, and what the answer is. The
one core of both clients, which take names, arguments and texts from here. Each raises
HubProblem or HubUnreachable when it is made."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Generic, TypeVar
from urllib.parse import quote

import msgspec

from hombi.client import models as m
from hombi.client.errors import problem

T = TypeVar("T")
Page = TypeVar("Page")
# What a person chose for the entities of an arrival: {name: {"title": ..., "hidden":
# ...}}.
Choices = Mapping[str, Mapping[str, Any]]
NO_CHOICES: Choices = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class Call(Generic[T]):
    """One request, and the type of its answer."""

    method: str
    path: str
    answer: Any
    params: Mapping[str, str | int] = field(default_factory=dict)
    body: Any = None

    def read(self, status: int, content: bytes) -> T:
        """The answer. Raises HubProblem."""
        if status >= 400:
            raise problem(status, content)
        if self.answer is None:
            return None  # type: ignore[return-value]
        result: T = msgspec.json.decode(content, type=self.answer)
        return result


@dataclass(frozen=True, slots=True)
class Pages(Generic[Page, T]):
    """A listing in pages: the call for the page at a place, and how a page is taken
    apart."""

    page: Callable[[int | None], Call[Page]]
    items: Callable[[Page], list[T]]
    next: Callable[[Page], int | None]


def _entity_path(entity: str, rest: str = "") -> str:
    return f"/api/entities/{quote(entity, safe='/')}{rest}"


def _given(**params: str | int | None) -> dict[str, str | int]:
    return {name: value for name, value in params.items() if value is not None and value != ""}


def house() -> Call[m.House]:
    """The house at a glance."""
    return Call("GET", "/api/house", m.House)


def add_floor(name: str, position: int | None = None) -> Call[m.Floor]:
    """Add a floor, on top unless a position says otherwise."""
    return Call("POST", "/api/floors", m.Floor, body=_given(name=name, position=position))


def add_room(name: str, floor: str = "") -> Call[m.Room]:
    """Add a room at the end of a floor, the lowest unless one is named."""
    return Call("POST", "/api/rooms", m.Room, body={"name": name, "floor": floor})


def change_room(room: str, **changes: Any) -> Call[m.Room]:
    """Rename or move a room: `name`, `floor`, `position`."""
    return Call("PATCH", f"/api/rooms/{quote(room)}", m.Room, body=changes)


def remove_room(room: str) -> Call[None]:
    """Take an empty room away."""
    return Call("DELETE", f"/api/rooms/{quote(room)}", None)


def nodes() -> Call[list[m.Node]]:
    """All nodes."""
    return Call("GET", "/api/nodes", list[m.Node])


def change_node(node: str, **changes: Any) -> Call[m.Node]:
    """Rename or move a node: `title`, `room`."""
    return Call("PATCH", f"/api/nodes/{quote(node)}", m.Node, body=changes)


def remove_node(node: str, *, keep_history: bool = True) -> Call[None]:
    """Take a node out of the house."""
    history = "keep" if keep_history else "delete"
    return Call("DELETE", f"/api/nodes/{quote(node)}", None, params={"history": history})


def entities(
    *, room: str | None = None, node: str | None = None, kind: str | None = None
) -> Call[list[m.Entity]]:
    """All entities with their latest readings, or those of a room, a node, a kind."""
    return Call(
        "GET", "/api/entities", list[m.Entity], params=_given(room=room, node=node, kind=kind)
    )


def entity(address: str) -> Call[m.Entity]:
    """One entity, by its address `node/entity`."""
    return Call("GET", _entity_path(address), m.Entity)


def history(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    points: int = 600,
) -> Call[m.History]:
    """An entity's history: the last hour, day, week or month, or from `start` to `end`
    in ms."""
    params = _given(span=span, start=start, end=end, points=points)
    return Call("GET", _entity_path(address, "/history"), m.History, params=params)


def rows(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    rows: str | None = None,
) -> Call[list[m.Row]]:
    """An entity's history in rows of house time ("minutes", "hours", "days"; by the
    span unless given), the empty ones too."""
    return Call(
        "GET",
        _entity_path(address, "/rows"),
        list[m.Row],
        params=_given(span=span, start=start, end=end, rows=rows),
    )


def readings(address: str, start: int, end: int | None = None) -> Pages[m.ReadingsPage, m.Reading]:
    """Single readings, oldest first, fetched page by page."""

    def page(at: int | None) -> Call[m.ReadingsPage]:
        params = _given(start=start if at is None else at, end=end)
        return Call("GET", _entity_path(address, "/readings"), m.ReadingsPage, params=params)

    return Pages(page, lambda p: p.readings, lambda p: p.next)


def command(address: str, to: str) -> Call[m.Command]:
    """Ask an entity to take a value ("on", "40 %"), and wait for its node. The answer's
    `state` says whether it did."""
    return Call("POST", _entity_path(address, "/command"), m.Command, body={"to": to})


def zigbee() -> Call[m.Zigbee]:
    """The Zigbee stick and its network."""
    return Call("GET", "/api/zigbee", m.Zigbee)


def choose_zigbee_network(choice: str) -> Call[m.Zigbee]:
    """What is to be done with a foreign network on the stick: "keep" it, or start
    "clean"."""
    return Call("POST", "/api/zigbee/network", m.Zigbee, body={"choice": choice})


def node_profile(node: str) -> Call[m.NodeProfile]:
    """A Zigbee node's profile, with each value that it says and that has no name
    yet."""
    return Call("GET", f"/api/nodes/{quote(node)}/profile", m.NodeProfile)


def put_node_profile(node: str, text: str) -> Call[m.NodeProfile]:
    """Keep a text as the profile of a Zigbee node's make and model; it is taken up at
    once. Raises Wrong with its mistakes."""
    return Call("PUT", f"/api/nodes/{quote(node)}/profile", m.NodeProfile, body={"text": text})


def pairing() -> Call[m.Window]:
    """The pairing window."""
    return Call("GET", "/api/pairing", m.Window)


def open_pairing(length: str = "2 min") -> Call[m.Window]:
    """Open the pairing window."""
    return Call("POST", "/api/pairing", m.Window, body={"length": length})


def close_pairing() -> Call[None]:
    """Close the pairing window."""
    return Call("DELETE", "/api/pairing", None)


def arrivals() -> Call[list[m.Arrival]]:
    """The nodes that ask to join."""
    return Call("GET", "/api/arrivals", list[m.Arrival])


def look(address: str) -> Call[m.Arrival]:
    """The node whose description is at an address, as an arrival."""
    return Call("POST", "/api/arrivals/look", m.Arrival, body={"address": address})


def admit(
    arrival: str,
    setup_code: str = "",
    name: str = "",
    room: str = "",
    *,
    secret: str = "",
    entities: Choices = NO_CHOICES,
    origins: Sequence[str] = (),
) -> Call[m.Node]:
    """Let an arrival in; a room that does not exist is made. `origins` are those of its
    `elsewhere` that it may use."""
    choices = [{"name": entity, **choice} for entity, choice in entities.items()]
    body = {
        "setup_code": setup_code,
        "name": name,
        "room": room,
        "secret": secret,
        "entities": choices,
    }
    body |= {"origins": list(origins)} if origins else {}
    return Call("POST", f"/api/arrivals/{quote(arrival)}/admit", m.Node, body=body)


def ask_again(arrival: str) -> Call[None]:
    """Ask an arrival anew what it has."""
    return Call("POST", f"/api/arrivals/{quote(arrival)}/again", None)


def ask_node_again(node: str) -> Call[None]:
    """Ask a node that is in anew what it has."""
    return Call("POST", f"/api/nodes/{quote(node)}/again", None)


def turn_away(arrival: str) -> Call[None]:
    """Turn an arrival away."""
    return Call("DELETE", f"/api/arrivals/{quote(arrival)}", None)


def automations() -> Call[list[m.Automation]]:
    """All automations."""
    return Call("GET", "/api/automations", list[m.Automation])


def automation(address: str) -> Call[m.Automation]:
    """One automation."""
    return Call("GET", f"/api/automations/{quote(address)}", m.Automation)


def check_automation(text: str) -> Call[m.Checked]:
    """Every mistake in a text; nothing is kept."""
    return Call("POST", "/api/automations/check", m.Checked, body={"text": text})


def add_automation(text: str) -> Call[m.Automation]:
    """Add an automation. Raises Wrong with its mistakes."""
    return Call("POST", "/api/automations", m.Automation, body={"text": text})


def change_automation(address: str, **changes: Any) -> Call[m.Automation]:
    """Give an automation another `text`, or put it on or off duty with `enabled`. With
    `leave` what is on stays as it is."""
    return Call("PATCH", f"/api/automations/{quote(address)}", m.Automation, body=changes)


def remove_automation(address: str, *, leave: bool = False) -> Call[None]:
    """Remove an automation. What is on ends first; with `leave` it stays as it is."""
    params = {"leave": "true"} if leave else {}
    return Call("DELETE", f"/api/automations/{quote(address)}", None, params)


def journal(
    *,
    event: str = "",
    node: str = "",
    automation: str = "",
    since: int | None = None,
    page_size: int = 100,
) -> Pages[m.JournalPage, m.JournalEntry]:
    """What happened, newest first, fetched page by page."""

    def page(before: int | None) -> Call[m.JournalPage]:
        params = _given(
            before=before,
            event=event,
            node=node,
            automation=automation,
            since=since,
            limit=page_size,
        )
        return Call("GET", "/api/journal", m.JournalPage, params=params)

    return Pages(page, lambda p: p.entries, lambda p: p.next)


def phones() -> Call[list[m.Phone]]:
    """The phones that take notifications."""
    return Call("GET", "/api/phones", list[m.Phone])


def add_phone(
    name: str, endpoint: str, keys: dict[str, str], person: str | None = None
) -> Call[m.Phone]:
    """Add a phone by its push subscription."""
    return Call(
        "POST",
        "/api/phones",
        m.Phone,
        body={**_given(name=name, endpoint=endpoint, person=person), "keys": keys},
    )


def remove_phone(phone: int) -> Call[None]:
    """Remove a phone."""
    return Call("DELETE", f"/api/phones/{phone}", None)


def test_phone(phone: int) -> Call[None]:
    """Send a phone a notice."""
    return Call("POST", f"/api/phones/{phone}/test", None)


def notices() -> Call[list[m.Notice]]:
    """The latest notices, newest first."""
    return Call("GET", "/api/notices", list[m.Notice])


def claimed() -> Call[m.Claimed]:
    """Whether the hub has an owner."""
    return Call("GET", "/api/claim", m.Claimed)


def claim_code() -> Call[m.ClaimCode]:
    """A new code for claiming the hub; only with the token of the hub's own machine."""
    return Call("POST", "/api/claim/code", m.ClaimCode)


def claim(code: str, username: str, password: str) -> Call[m.Person]:
    """Make the owner's account with the code that the hub printed."""
    return Call(
        "POST",
        "/api/claim",
        m.Person,
        body={"code": code, "username": username, "password": password},
    )


def sign_in(username: str, password: str, name: str = "client") -> Call[m.Token]:
    """A token for a person; this client uses it from now on."""
    return Call(
        "POST",
        "/api/tokens",
        m.Token,
        body={"username": username, "password": password, "name": name},
    )


def sign_out() -> Call[None]:
    """Make this client's token void."""
    return Call("DELETE", "/api/tokens", None)


def tokens() -> Call[list[m.KnownToken]]:
    """The programs that are signed in."""
    return Call("GET", "/api/tokens", list[m.KnownToken])


def revoke_token(token: int) -> Call[None]:
    """Make a token void."""
    return Call("DELETE", f"/api/tokens/{token}", None)


def message_filter(via: str, topic: str, node: str, text: str) -> dict[str, str | int]:
    return _given(via=via, topic=topic, node=node, text=text)


def messages(
    *,
    via: str = "",
    topic: str = "",
    node: str = "",
    text: str = "",
    limit: int = 100,
    each_topic: bool = False,
) -> Call[list[m.Message]]:
    """The latest messages, newest first; with `each_topic` the last one of each
    topic."""
    params = {
        **message_filter(via, topic, node, text),
        "limit": limit,
        **({"each_topic": "true"} if each_topic else {}),
    }
    return Call("GET", "/api/messages", list[m.Message], params=params)


def message(number: int) -> Call[m.MessageDetail]:
    """A message with the values that could be picked out of it."""
    return Call("GET", f"/api/messages/{number}", m.MessageDetail)


def preview(**picking: Any) -> Call[list[m.Previewed]]:
    """What the last messages would have given: via, topic, pointer, at, kind, unit."""
    return Call("POST", "/api/picks/preview", list[m.Previewed], body=picking)


def pick(**picking: Any) -> Call[list[m.Entity]]:
    """Make a value in messages an entity: as `preview`, with title, nodes, name, room,
    write."""
    return Call("POST", "/api/picks", list[m.Entity], body=picking)


def kinds() -> Call[list[m.KindOfEntity]]:
    """The kinds of entities there are."""
    return Call("GET", "/api/kinds", list[m.KindOfEntity])


def add_node(name: str, room: str = "") -> Call[m.NodeKey]:
    """Add a node that posts its values; its key is told this once."""
    return Call("POST", "/api/nodes", m.NodeKey, body={"name": name, "room": room})


def add_entity(
    node: str, title: str, kind: str, unit: str = "", pointer: str = ""
) -> Call[m.Entity]:
    """Add a value that a node posts."""
    body = {"title": title, "kind": kind, "unit": unit, "pointer": pointer}
    return Call("POST", f"/api/nodes/{quote(node)}/entities", m.Entity, body=body)


def new_key(node: str) -> Call[m.NodeKey]:
    """A new key for a node; the one before is void at once."""
    return Call("POST", f"/api/nodes/{quote(node)}/key", m.NodeKey)


def revoke_key(node: str) -> Call[None]:
    """Take a node's key away."""
    return Call("DELETE", f"/api/nodes/{quote(node)}/key", None)


def settings(node: str) -> Call[list[m.Setting]]:
    """A node's own settings, as it tells them now."""
    return Call("GET", f"/api/nodes/{quote(node)}/settings", list[m.Setting])


def change_setting(node: str, name: str, value: Any) -> Call[m.Node]:
    """Change one of a node's own settings; returns when the node has confirmed it."""
    return Call(
        "PUT", f"/api/nodes/{quote(node)}/settings/{quote(name)}", m.Node, body={"value": value}
    )


def act(node: str, action: str, **inputs: Any) -> Call[dict[str, Any]]:
    """Have a node do something; what it answers, if anything."""
    return Call(
        "POST",
        f"/api/nodes/{quote(node)}/actions/{quote(action)}",
        dict[str, Any],
        body={"inputs": inputs},
    )


def change_entity(address: str, **changes: Any) -> Call[m.Entity]:
    """Rename an entity (title), hide or show it (hidden)."""
    return Call("PATCH", _entity_path(address), m.Entity, body=changes)


def remove_entity(address: str) -> Call[None]:
    """Take an entity that was picked away, with its history."""
    return Call("DELETE", _entity_path(address), None)


def setup_code(thing: str, code: str = "") -> Call[m.SetupCode]:
    """A setup code with its QR code; a new one unless it is given."""
    return Call("GET", "/api/setup-code", m.SetupCode, params=_given(thing=thing, code=code))


def tools() -> Call[list[m.Tool]]:
    """A person's own tools at the MQTT door."""
    return Call("GET", "/api/tools", list[m.Tool])


def add_tool(name: str, publish: Sequence[str] = (), subscribe: Sequence[str] = ()) -> Call[m.Tool]:
    """Let a tool in; its key is told this once."""
    return Call(
        "POST",
        "/api/tools",
        m.Tool,
        body={"name": name, "publish": publish, "subscribe": subscribe},
    )


def change_tool(name: str, **changes: Any) -> Call[m.Tool]:
    """Give a tool other topics (publish, subscribe)."""
    return Call("PATCH", f"/api/tools/{quote(name)}", m.Tool, body=changes)


def new_tool_key(name: str) -> Call[m.Tool]:
    """A new key for a tool; the one before is void at once."""
    return Call("POST", f"/api/tools/{quote(name)}/key", m.Tool)


def remove_tool(name: str) -> Call[None]:
    """Shut a tool out."""
    return Call("DELETE", f"/api/tools/{quote(name)}", None)


def doctor() -> Call[list[m.Check]]:
    """How every part of the hub is, and what to do."""
    return Call("GET", "/api/doctor", list[m.Check])
