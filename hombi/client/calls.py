"""Every call that the hub takes, as a value: what to send, and what the answer is. The one core of both clients."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar
from urllib.parse import quote

import msgspec

from hombi.client import models as m
from hombi.client.errors import problem

T = TypeVar("T")
Page = TypeVar("Page")


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
    """A listing in pages: the call for the page at a place, and how a page is taken apart."""

    page: Callable[[int | None], Call[Page]]
    items: Callable[[Page], list[T]]
    next: Callable[[Page], int | None]


def _entity_path(entity: str, rest: str = "") -> str:
    return f"/api/entities/{quote(entity, safe='/')}{rest}"


def _given(**params: str | int | None) -> dict[str, str | int]:
    return {name: value for name, value in params.items() if value is not None and value != ""}


def house() -> Call[m.House]:
    return Call("GET", "/api/house", m.House)


def add_floor(name: str, position: int | None) -> Call[m.Floor]:
    return Call("POST", "/api/floors", m.Floor, body=_given(name=name, position=position))


def add_room(name: str, floor: str) -> Call[m.Room]:
    return Call("POST", "/api/rooms", m.Room, body={"name": name, "floor": floor})


def change_room(room: str, changes: dict[str, Any]) -> Call[m.Room]:
    return Call("PATCH", f"/api/rooms/{quote(room)}", m.Room, body=changes)


def remove_room(room: str) -> Call[None]:
    return Call("DELETE", f"/api/rooms/{quote(room)}", None)


def nodes() -> Call[list[m.Node]]:
    return Call("GET", "/api/nodes", list[m.Node])


def change_node(node: str, changes: dict[str, Any]) -> Call[m.Node]:
    return Call("PATCH", f"/api/nodes/{quote(node)}", m.Node, body=changes)


def remove_node(node: str, keep_history: bool) -> Call[None]:
    history = "keep" if keep_history else "delete"
    return Call("DELETE", f"/api/nodes/{quote(node)}", None, params={"history": history})


def entities(room: str | None, node: str | None, kind: str | None) -> Call[list[m.Entity]]:
    return Call("GET", "/api/entities", list[m.Entity], params=_given(room=room, node=node, kind=kind))


def entity(address: str) -> Call[m.Entity]:
    return Call("GET", _entity_path(address), m.Entity)


def history(address: str, span: str, start: int | None, end: int | None, points: int) -> Call[m.History]:
    params = _given(span=span, start=start, end=end, points=points)
    return Call("GET", _entity_path(address, "/history"), m.History, params=params)


def readings(address: str, start: int, end: int | None) -> Pages[m.ReadingsPage, m.Reading]:
    def page(at: int | None) -> Call[m.ReadingsPage]:
        params = _given(start=start if at is None else at, end=end)
        return Call("GET", _entity_path(address, "/readings"), m.ReadingsPage, params=params)

    return Pages(page, lambda p: p.readings, lambda p: p.next)


def command(address: str, to: str) -> Call[m.Command]:
    return Call("POST", _entity_path(address, "/command"), m.Command, body={"to": to})


def zigbee() -> Call[m.Zigbee]:
    return Call("GET", "/api/zigbee", m.Zigbee)


def choose_zigbee_network(choice: str) -> Call[m.Zigbee]:
    return Call("POST", "/api/zigbee/network", m.Zigbee, body={"choice": choice})


def pairing() -> Call[m.Window]:
    return Call("GET", "/api/pairing", m.Window)


def open_pairing(length: str) -> Call[m.Window]:
    return Call("POST", "/api/pairing", m.Window, body={"length": length})


def close_pairing() -> Call[None]:
    return Call("DELETE", "/api/pairing", None)


def arrivals() -> Call[list[m.Arrival]]:
    return Call("GET", "/api/arrivals", list[m.Arrival])


def look(address: str) -> Call[m.Arrival]:
    return Call("POST", "/api/arrivals/look", m.Arrival, body={"address": address})


def admit(
    arrival: str, setup_code: str, name: str, room: str, secret: str, entities: Mapping[str, Mapping[str, Any]]
) -> Call[m.Node]:
    choices = [{"name": entity, **choice} for entity, choice in entities.items()]
    body = {"setup_code": setup_code, "name": name, "room": room, "secret": secret, "entities": choices}
    return Call("POST", f"/api/arrivals/{quote(arrival)}/admit", m.Node, body=body)


def turn_away(arrival: str) -> Call[None]:
    return Call("DELETE", f"/api/arrivals/{quote(arrival)}", None)


def automations() -> Call[list[m.Automation]]:
    return Call("GET", "/api/automations", list[m.Automation])


def automation(address: str) -> Call[m.Automation]:
    return Call("GET", f"/api/automations/{quote(address)}", m.Automation)


def check_automation(text: str) -> Call[m.Checked]:
    return Call("POST", "/api/automations/check", m.Checked, body={"text": text})


def add_automation(text: str) -> Call[m.Automation]:
    return Call("POST", "/api/automations", m.Automation, body={"text": text})


def change_automation(address: str, changes: dict[str, Any]) -> Call[m.Automation]:
    return Call("PATCH", f"/api/automations/{quote(address)}", m.Automation, body=changes)


def remove_automation(address: str) -> Call[None]:
    return Call("DELETE", f"/api/automations/{quote(address)}", None)


def journal(event: str, node: str, automation: str, since: int | None, page_size: int) -> Pages[m.JournalPage, m.JournalEntry]:
    def page(before: int | None) -> Call[m.JournalPage]:
        params = _given(before=before, event=event, node=node, automation=automation, since=since, limit=page_size)
        return Call("GET", "/api/journal", m.JournalPage, params=params)

    return Pages(page, lambda p: p.entries, lambda p: p.next)


def phones() -> Call[list[m.Phone]]:
    return Call("GET", "/api/phones", list[m.Phone])


def add_phone(name: str, endpoint: str, keys: dict[str, str], person: str | None) -> Call[m.Phone]:
    return Call("POST", "/api/phones", m.Phone, body={**_given(name=name, endpoint=endpoint, person=person), "keys": keys})


def remove_phone(phone: int) -> Call[None]:
    return Call("DELETE", f"/api/phones/{phone}", None)


def test_phone(phone: int) -> Call[None]:
    return Call("POST", f"/api/phones/{phone}/test", None)


def notices() -> Call[list[m.Notice]]:
    return Call("GET", "/api/notices", list[m.Notice])


def claimed() -> Call[m.Claimed]:
    return Call("GET", "/api/claim", m.Claimed)


def claim(code: str, username: str, password: str) -> Call[m.Person]:
    return Call("POST", "/api/claim", m.Person, body={"code": code, "username": username, "password": password})


def sign_in(username: str, password: str, name: str) -> Call[m.Token]:
    return Call("POST", "/api/tokens", m.Token, body={"username": username, "password": password, "name": name})


def sign_out() -> Call[None]:
    return Call("DELETE", "/api/tokens", None)


def tokens() -> Call[list[m.KnownToken]]:
    return Call("GET", "/api/tokens", list[m.KnownToken])


def revoke_token(token: int) -> Call[None]:
    return Call("DELETE", f"/api/tokens/{token}", None)


def message_filter(topic: str, node: str, text: str) -> dict[str, str | int]:
    return _given(topic=topic, node=node, text=text)


def messages(topic: str, node: str, text: str, limit: int, each_topic: bool) -> Call[list[m.Message]]:
    params = {**message_filter(topic, node, text), "limit": limit, **({"each_topic": "true"} if each_topic else {})}
    return Call("GET", "/api/messages", list[m.Message], params=params)


def message(number: int) -> Call[m.MessageDetail]:
    return Call("GET", f"/api/messages/{number}", m.MessageDetail)


def preview(picking: Mapping[str, Any]) -> Call[list[m.Previewed]]:
    return Call("POST", "/api/picks/preview", list[m.Previewed], body=picking)


def pick(picking: Mapping[str, Any]) -> Call[list[m.Entity]]:
    return Call("POST", "/api/picks", list[m.Entity], body=picking)


def kinds() -> Call[list[m.KindOfEntity]]:
    return Call("GET", "/api/kinds", list[m.KindOfEntity])


def add_node(name: str, room: str) -> Call[m.NodeKey]:
    return Call("POST", "/api/nodes", m.NodeKey, body={"name": name, "room": room})


def add_entity(node: str, title: str, kind: str, unit: str, pointer: str) -> Call[m.Entity]:
    body = {"title": title, "kind": kind, "unit": unit, "pointer": pointer}
    return Call("POST", f"/api/nodes/{quote(node)}/entities", m.Entity, body=body)


def new_key(node: str) -> Call[m.NodeKey]:
    return Call("POST", f"/api/nodes/{quote(node)}/key", m.NodeKey)


def revoke_key(node: str) -> Call[None]:
    return Call("DELETE", f"/api/nodes/{quote(node)}/key", None)


def settings(node: str) -> Call[list[m.Setting]]:
    return Call("GET", f"/api/nodes/{quote(node)}/settings", list[m.Setting])


def change_setting(node: str, name: str, value: Any) -> Call[m.Node]:
    return Call("PUT", f"/api/nodes/{quote(node)}/settings/{quote(name)}", m.Node, body={"value": value})


def act(node: str, action: str, inputs: Mapping[str, Any]) -> Call[dict[str, Any]]:
    return Call("POST", f"/api/nodes/{quote(node)}/actions/{quote(action)}", dict[str, Any], body={"inputs": inputs})


def change_entity(address: str, changes: dict[str, Any]) -> Call[m.Entity]:
    return Call("PATCH", _entity_path(address), m.Entity, body=changes)


def remove_entity(address: str) -> Call[None]:
    return Call("DELETE", _entity_path(address), None)


def setup_code(thing: str, code: str) -> Call[m.SetupCode]:
    return Call("GET", "/api/setup-code", m.SetupCode, params=_given(thing=thing, code=code))


def tools() -> Call[list[m.Tool]]:
    return Call("GET", "/api/tools", list[m.Tool])


def add_tool(name: str, publish: Sequence[str], subscribe: Sequence[str]) -> Call[m.Tool]:
    return Call("POST", "/api/tools", m.Tool, body={"name": name, "publish": publish, "subscribe": subscribe})


def change_tool(name: str, changes: dict[str, Any]) -> Call[m.Tool]:
    return Call("PATCH", f"/api/tools/{quote(name)}", m.Tool, body=changes)


def new_tool_key(name: str) -> Call[m.Tool]:
    return Call("POST", f"/api/tools/{quote(name)}/key", m.Tool)


def remove_tool(name: str) -> Call[None]:
    return Call("DELETE", f"/api/tools/{quote(name)}", None)


def doctor() -> Call[list[m.Check]]:
    return Call("GET", "/api/doctor", list[m.Check])
