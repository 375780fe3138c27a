"""The two clients: the same calls, blocking and asynchronous, on the core in `calls`."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Iterator, Mapping, Sequence
from http.cookiejar import CookieJar, DefaultCookiePolicy
from types import MappingProxyType, TracebackType
from typing import Any, Self, TypeVar

import httpx
import msgspec

from hombi.client import calls
from hombi.client import models as m
from hombi.client.calls import Call, Pages
from hombi.client.errors import problem, unreachable
from hombi.client.stream import MESSAGES_PATH, PATH, EventReader, LiveEvent

T = TypeVar("T")
Page = TypeVar("Page")
TIMEOUT_S = 15.0
# The hub sends a sign of life every 15 s.
QUIET_S = 40.0
RETRY_S = 1.0
# What a person chose for the entities of an arrival: {name: {"title": ..., "hidden": ...}}.
Choices = Mapping[str, Mapping[str, Any]]
NO_CHOICES: Choices = MappingProxyType({})


def _request(call: Call[Any]) -> dict[str, Any]:
    request: dict[str, Any] = {"method": call.method, "url": call.path, "params": dict(call.params)}
    if call.body is not None:
        request["content"] = msgspec.json.encode(call.body)
        request["headers"] = {"Content-Type": "application/json"}
    return request


def _no_cookies() -> CookieJar:
    """Tokens say who is asking; a session's cookie beside them would only contradict them."""
    return CookieJar(DefaultCookiePolicy(allowed_domains=[]))


def _headers(token: str | None) -> dict[str, str]:
    return {"Authorization": f"Bearer {token}"} if token else {}


class Hub:
    """The hub at an address, with blocking calls. Calls raise HubProblem or HubUnreachable."""

    def __init__(self, url: str = "http://127.0.0.1:4662", token: str | None = None) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.Client(
            base_url=self.url, headers=_headers(token), cookies=_no_cookies(), timeout=TIMEOUT_S, trust_env=False
        )

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """Close the connections."""
        self._http.close()

    def _run(self, call: Call[T]) -> T:
        try:
            response = self._http.request(**_request(call))
        except httpx.TransportError as error:
            raise unreachable(error, self.url) from error
        return call.read(response.status_code, response.content)

    def _iterate(self, pages: Pages[Page, T]) -> Iterator[T]:
        place: int | None = None
        while True:
            page = self._run(pages.page(place))
            yield from pages.items(page)
            place = pages.next(page)
            if place is None:
                return

    def live(self) -> Iterator[LiveEvent]:
        """The live stream from now on. A connection that drops is taken up again where it stopped; a hub that is gone for
        good raises HubUnreachable."""
        return self._stream(PATH, {})

    def follow_messages(self, *, topic: str = "", node: str = "", text: str = "") -> Iterator[m.Messages]:
        """The messages that fit, as they come."""
        for event in self._stream(MESSAGES_PATH, calls.message_filter(topic, node, text)):
            yield msgspec.convert(event.data, m.Messages)

    def _stream(self, path: str, params: dict[str, str | int]) -> Iterator[LiveEvent]:
        reader, failures = EventReader(), 0
        while True:
            try:
                timeout = httpx.Timeout(TIMEOUT_S, read=QUIET_S)
                with self._http.stream("GET", path, params=params, headers=reader.headers, timeout=timeout) as response:
                    if response.status_code >= 400:
                        raise problem(response.status_code, response.read())
                    failures = 0
                    for line in response.iter_lines():
                        if (event := reader.line(line)) is not None:
                            yield event
            except httpx.TransportError as error:
                failures += 1
                if failures > 10:
                    raise unreachable(error, self.url) from error
            time.sleep(RETRY_S)

    def house(self) -> m.House:
        """The house at a glance."""
        return self._run(calls.house())

    def add_floor(self, name: str, position: int | None = None) -> m.Floor:
        """Add a floor, on top unless a position says otherwise."""
        return self._run(calls.add_floor(name, position))

    def add_room(self, name: str, floor: str = "") -> m.Room:
        """Add a room at the end of a floor, the lowest unless one is named."""
        return self._run(calls.add_room(name, floor))

    def change_room(self, room: str, **changes: Any) -> m.Room:
        """Rename or move a room: `name`, `floor`, `position`."""
        return self._run(calls.change_room(room, changes))

    def remove_room(self, room: str) -> None:
        """Take an empty room away."""
        self._run(calls.remove_room(room))

    def nodes(self) -> list[m.Node]:
        """All nodes."""
        return self._run(calls.nodes())

    def change_node(self, node: str, **changes: Any) -> m.Node:
        """Rename or move a node: `title`, `room`."""
        return self._run(calls.change_node(node, changes))

    def remove_node(self, node: str, *, keep_history: bool = True) -> None:
        """Take a node out of the house."""
        self._run(calls.remove_node(node, keep_history))

    def entities(self, *, room: str | None = None, node: str | None = None, kind: str | None = None) -> list[m.Entity]:
        """All entities with their latest readings, or those of a room, a node, a kind."""
        return self._run(calls.entities(room, node, kind))

    def entity(self, address: str) -> m.Entity:
        """One entity, by its address `node/entity`."""
        return self._run(calls.entity(address))

    def zigbee(self) -> m.Zigbee:
        """The Zigbee stick and its network."""
        return self._run(calls.zigbee())

    def choose_zigbee_network(self, choice: str) -> m.Zigbee:
        """What is to be done with a foreign network on the stick: "keep" it, or start "clean"."""
        return self._run(calls.choose_zigbee_network(choice))

    def history(
        self, address: str, span: str = "day", *, start: int | None = None, end: int | None = None, points: int = 600
    ) -> m.History:
        """An entity's history: the last hour, day, week or month, or from `start` to `end` in ms."""
        return self._run(calls.history(address, span, start, end, points))

    def command(self, address: str, to: str) -> m.Command:
        """Ask an entity to take a value ("on", "40 %"), and wait for its node. The answer's `state` says whether it did."""
        return self._run(calls.command(address, to))

    def pairing(self) -> m.Window:
        """The pairing window."""
        return self._run(calls.pairing())

    def open_pairing(self, length: str = "2 min") -> m.Window:
        """Open the pairing window."""
        return self._run(calls.open_pairing(length))

    def close_pairing(self) -> None:
        """Close the pairing window."""
        self._run(calls.close_pairing())

    def arrivals(self) -> list[m.Arrival]:
        """The nodes that ask to join."""
        return self._run(calls.arrivals())

    def admit(
        self,
        arrival: str,
        setup_code: str = "",
        name: str = "",
        room: str = "",
        *,
        secret: str = "",
        entities: Choices = NO_CHOICES,
    ) -> m.Node:
        """Let an arrival in; a room that does not exist is made."""
        return self._run(calls.admit(arrival, setup_code, name, room, secret, entities))

    def turn_away(self, arrival: str) -> None:
        """Turn an arrival away."""
        self._run(calls.turn_away(arrival))

    def automations(self) -> list[m.Automation]:
        """All automations."""
        return self._run(calls.automations())

    def automation(self, address: str) -> m.Automation:
        """One automation."""
        return self._run(calls.automation(address))

    def check_automation(self, text: str) -> m.Checked:
        """Every mistake in a text; nothing is kept."""
        return self._run(calls.check_automation(text))

    def add_automation(self, text: str) -> m.Automation:
        """Add an automation. Raises Wrong with its mistakes."""
        return self._run(calls.add_automation(text))

    def change_automation(self, address: str, **changes: Any) -> m.Automation:
        """Give an automation another `text`, or put it on or off duty with `enabled`."""
        return self._run(calls.change_automation(address, changes))

    def remove_automation(self, address: str) -> None:
        """Remove an automation."""
        self._run(calls.remove_automation(address))

    def phones(self) -> list[m.Phone]:
        """The phones that take notifications."""
        return self._run(calls.phones())

    def add_phone(self, name: str, endpoint: str, keys: dict[str, str], person: str | None = None) -> m.Phone:
        """Add a phone by its push subscription."""
        return self._run(calls.add_phone(name, endpoint, keys, person))

    def remove_phone(self, phone: int) -> None:
        """Remove a phone."""
        self._run(calls.remove_phone(phone))

    def test_phone(self, phone: int) -> None:
        """Send a phone a notice."""
        self._run(calls.test_phone(phone))

    def notices(self) -> list[m.Notice]:
        """The latest notices, newest first."""
        return self._run(calls.notices())

    def claimed(self) -> m.Claimed:
        """Whether the hub has an owner."""
        return self._run(calls.claimed())

    def claim(self, code: str, username: str, password: str) -> m.Person:
        """Make the owner's account with the code that the hub printed."""
        return self._run(calls.claim(code, username, password))

    def sign_in(self, username: str, password: str, name: str = "client") -> m.Token:
        """A token for a person; this client uses it from now on."""
        token = self._run(calls.sign_in(username, password, name))
        self._http.headers.update(_headers(token.token))
        return token

    def sign_out(self) -> None:
        """Make this client's token void."""
        self._run(calls.sign_out())

    def look(self, address: str) -> m.Arrival:
        """The node whose description is at an address, as an arrival."""
        return self._run(calls.look(address))

    def tokens(self) -> list[m.KnownToken]:
        """The programs that are signed in."""
        return self._run(calls.tokens())

    def revoke_token(self, token: int) -> None:
        """Make a token void."""
        self._run(calls.revoke_token(token))

    def messages(
        self, *, topic: str = "", node: str = "", text: str = "", limit: int = 100, each_topic: bool = False
    ) -> list[m.Message]:
        """The latest messages, newest first; with `each_topic` the last one of each topic."""
        return self._run(calls.messages(topic, node, text, limit, each_topic))

    def message(self, number: int) -> m.MessageDetail:
        """A message with the values that could be picked out of it."""
        return self._run(calls.message(number))

    def preview(self, **picking: Any) -> list[m.Previewed]:
        """What the last messages would have given: via, topic, pointer, at, kind, unit."""
        return self._run(calls.preview(picking))

    def pick(self, **picking: Any) -> list[m.Entity]:
        """Make a value in messages an entity: as `preview`, with title, nodes, name, room, write."""
        return self._run(calls.pick(picking))

    def kinds(self) -> list[m.KindOfEntity]:
        """The kinds of entities there are."""
        return self._run(calls.kinds())

    def add_node(self, name: str, room: str = "") -> m.NodeKey:
        """Add a node that posts its values; its key is told this once."""
        return self._run(calls.add_node(name, room))

    def add_entity(self, node: str, title: str, kind: str, unit: str = "", pointer: str = "") -> m.Entity:
        """Add a value that a node posts."""
        return self._run(calls.add_entity(node, title, kind, unit, pointer))

    def new_key(self, node: str) -> m.NodeKey:
        """A new key for a node; the one before is void at once."""
        return self._run(calls.new_key(node))

    def revoke_key(self, node: str) -> None:
        """Take a node's key away."""
        self._run(calls.revoke_key(node))

    def settings(self, node: str) -> list[m.Setting]:
        """A node's own settings, as it tells them now."""
        return self._run(calls.settings(node))

    def change_setting(self, node: str, name: str, value: Any) -> m.Node:
        """Change one of a node's own settings; returns when the node has confirmed it."""
        return self._run(calls.change_setting(node, name, value))

    def act(self, node: str, action: str, **inputs: Any) -> Any:
        """Have a node do something; what it answers, if anything."""
        return self._run(calls.act(node, action, inputs))["answer"]

    def change_entity(self, address: str, **changes: Any) -> m.Entity:
        """Rename an entity (title), hide or show it (hidden)."""
        return self._run(calls.change_entity(address, changes))

    def remove_entity(self, address: str) -> None:
        """Take an entity that was picked away, with its history."""
        self._run(calls.remove_entity(address))

    def setup_code(self, thing: str, code: str = "") -> m.SetupCode:
        """A setup code with its QR code; a new one unless it is given."""
        return self._run(calls.setup_code(thing, code))

    def tools(self) -> list[m.Tool]:
        """A person's own tools at the MQTT door."""
        return self._run(calls.tools())

    def add_tool(self, name: str, publish: Sequence[str] = (), subscribe: Sequence[str] = ()) -> m.Tool:
        """Let a tool in; its key is told this once."""
        return self._run(calls.add_tool(name, publish, subscribe))

    def change_tool(self, name: str, **changes: Any) -> m.Tool:
        """Give a tool other topics (publish, subscribe)."""
        return self._run(calls.change_tool(name, changes))

    def new_tool_key(self, name: str) -> m.Tool:
        """A new key for a tool; the one before is void at once."""
        return self._run(calls.new_tool_key(name))

    def remove_tool(self, name: str) -> None:
        """Shut a tool out."""
        self._run(calls.remove_tool(name))

    def doctor(self) -> list[m.Check]:
        """How every part of the hub is, and what to do."""
        return self._run(calls.doctor())

    def readings(self, address: str, start: int, end: int | None = None) -> Iterator[m.Reading]:
        """Single readings, oldest first, fetched page by page."""
        return self._iterate(calls.readings(address, start, end))

    def journal(
        self, *, event: str = "", node: str = "", automation: str = "", since: int | None = None, page_size: int = 100
    ) -> Iterator[m.JournalEntry]:
        """What happened, newest first, fetched page by page."""
        return self._iterate(calls.journal(event, node, automation, since, page_size))


class AsyncHub:
    """The hub at an address, asynchronously. Calls raise HubProblem or HubUnreachable."""

    def __init__(self, url: str = "http://127.0.0.1:4662", token: str | None = None) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.AsyncClient(
            base_url=self.url, headers=_headers(token), cookies=_no_cookies(), timeout=TIMEOUT_S, trust_env=False
        )

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        await self.close()

    async def close(self) -> None:
        """Close the connections."""
        await self._http.aclose()

    async def _run(self, call: Call[T]) -> T:
        try:
            response = await self._http.request(**_request(call))
        except httpx.TransportError as error:
            raise unreachable(error, self.url) from error
        return call.read(response.status_code, response.content)

    async def _iterate(self, pages: Pages[Page, T]) -> AsyncIterator[T]:
        place: int | None = None
        while True:
            page = await self._run(pages.page(place))
            for item in pages.items(page):
                yield item
            place = pages.next(page)
            if place is None:
                return

    def live(self) -> AsyncIterator[LiveEvent]:
        """The live stream from now on. A connection that drops is taken up again where it stopped; a hub that is gone for
        good raises HubUnreachable."""
        return self._stream(PATH, {})

    async def follow_messages(self, *, topic: str = "", node: str = "", text: str = "") -> AsyncIterator[m.Messages]:
        """The messages that fit, as they come."""
        async for event in self._stream(MESSAGES_PATH, calls.message_filter(topic, node, text)):
            yield msgspec.convert(event.data, m.Messages)

    async def _stream(self, path: str, params: dict[str, str | int]) -> AsyncIterator[LiveEvent]:
        reader, failures = EventReader(), 0
        while True:
            try:
                timeout = httpx.Timeout(TIMEOUT_S, read=QUIET_S)
                async with self._http.stream("GET", path, params=params, headers=reader.headers, timeout=timeout) as response:
                    if response.status_code >= 400:
                        raise problem(response.status_code, await response.aread())
                    failures = 0
                    async for line in response.aiter_lines():
                        if (event := reader.line(line)) is not None:
                            yield event
            except httpx.TransportError as error:
                failures += 1
                if failures > 10:
                    raise unreachable(error, self.url) from error
            await asyncio.sleep(RETRY_S)

    async def house(self) -> m.House:
        """The house at a glance."""
        return await self._run(calls.house())

    async def add_floor(self, name: str, position: int | None = None) -> m.Floor:
        """Add a floor, on top unless a position says otherwise."""
        return await self._run(calls.add_floor(name, position))

    async def add_room(self, name: str, floor: str = "") -> m.Room:
        """Add a room at the end of a floor, the lowest unless one is named."""
        return await self._run(calls.add_room(name, floor))

    async def change_room(self, room: str, **changes: Any) -> m.Room:
        """Rename or move a room: `name`, `floor`, `position`."""
        return await self._run(calls.change_room(room, changes))

    async def remove_room(self, room: str) -> None:
        """Take an empty room away."""
        await self._run(calls.remove_room(room))

    async def nodes(self) -> list[m.Node]:
        """All nodes."""
        return await self._run(calls.nodes())

    async def change_node(self, node: str, **changes: Any) -> m.Node:
        """Rename or move a node: `title`, `room`."""
        return await self._run(calls.change_node(node, changes))

    async def remove_node(self, node: str, *, keep_history: bool = True) -> None:
        """Take a node out of the house."""
        await self._run(calls.remove_node(node, keep_history))

    async def entities(self, *, room: str | None = None, node: str | None = None, kind: str | None = None) -> list[m.Entity]:
        """All entities with their latest readings, or those of a room, a node, a kind."""
        return await self._run(calls.entities(room, node, kind))

    async def entity(self, address: str) -> m.Entity:
        """One entity, by its address `node/entity`."""
        return await self._run(calls.entity(address))

    async def zigbee(self) -> m.Zigbee:
        """The Zigbee stick and its network."""
        return await self._run(calls.zigbee())

    async def choose_zigbee_network(self, choice: str) -> m.Zigbee:
        """What is to be done with a foreign network on the stick: "keep" it, or start "clean"."""
        return await self._run(calls.choose_zigbee_network(choice))

    async def history(
        self, address: str, span: str = "day", *, start: int | None = None, end: int | None = None, points: int = 600
    ) -> m.History:
        """An entity's history: the last hour, day, week or month, or from `start` to `end` in ms."""
        return await self._run(calls.history(address, span, start, end, points))

    async def command(self, address: str, to: str) -> m.Command:
        """Ask an entity to take a value ("on", "40 %"), and wait for its node. The answer's `state` says whether it did."""
        return await self._run(calls.command(address, to))

    async def pairing(self) -> m.Window:
        """The pairing window."""
        return await self._run(calls.pairing())

    async def open_pairing(self, length: str = "2 min") -> m.Window:
        """Open the pairing window."""
        return await self._run(calls.open_pairing(length))

    async def close_pairing(self) -> None:
        """Close the pairing window."""
        await self._run(calls.close_pairing())

    async def arrivals(self) -> list[m.Arrival]:
        """The nodes that ask to join."""
        return await self._run(calls.arrivals())

    async def admit(
        self,
        arrival: str,
        setup_code: str = "",
        name: str = "",
        room: str = "",
        *,
        secret: str = "",
        entities: Choices = NO_CHOICES,
    ) -> m.Node:
        """Let an arrival in; a room that does not exist is made."""
        return await self._run(calls.admit(arrival, setup_code, name, room, secret, entities))

    async def turn_away(self, arrival: str) -> None:
        """Turn an arrival away."""
        await self._run(calls.turn_away(arrival))

    async def automations(self) -> list[m.Automation]:
        """All automations."""
        return await self._run(calls.automations())

    async def automation(self, address: str) -> m.Automation:
        """One automation."""
        return await self._run(calls.automation(address))

    async def check_automation(self, text: str) -> m.Checked:
        """Every mistake in a text; nothing is kept."""
        return await self._run(calls.check_automation(text))

    async def add_automation(self, text: str) -> m.Automation:
        """Add an automation. Raises Wrong with its mistakes."""
        return await self._run(calls.add_automation(text))

    async def change_automation(self, address: str, **changes: Any) -> m.Automation:
        """Give an automation another `text`, or put it on or off duty with `enabled`."""
        return await self._run(calls.change_automation(address, changes))

    async def remove_automation(self, address: str) -> None:
        """Remove an automation."""
        await self._run(calls.remove_automation(address))

    async def phones(self) -> list[m.Phone]:
        """The phones that take notifications."""
        return await self._run(calls.phones())

    async def add_phone(self, name: str, endpoint: str, keys: dict[str, str], person: str | None = None) -> m.Phone:
        """Add a phone by its push subscription."""
        return await self._run(calls.add_phone(name, endpoint, keys, person))

    async def remove_phone(self, phone: int) -> None:
        """Remove a phone."""
        await self._run(calls.remove_phone(phone))

    async def test_phone(self, phone: int) -> None:
        """Send a phone a notice."""
        await self._run(calls.test_phone(phone))

    async def notices(self) -> list[m.Notice]:
        """The latest notices, newest first."""
        return await self._run(calls.notices())

    async def claimed(self) -> m.Claimed:
        """Whether the hub has an owner."""
        return await self._run(calls.claimed())

    async def claim(self, code: str, username: str, password: str) -> m.Person:
        """Make the owner's account with the code that the hub printed."""
        return await self._run(calls.claim(code, username, password))

    async def sign_in(self, username: str, password: str, name: str = "client") -> m.Token:
        """A token for a person; this client uses it from now on."""
        token = await self._run(calls.sign_in(username, password, name))
        self._http.headers.update(_headers(token.token))
        return token

    async def sign_out(self) -> None:
        """Make this client's token void."""
        await self._run(calls.sign_out())

    async def look(self, address: str) -> m.Arrival:
        """The node whose description is at an address, as an arrival."""
        return await self._run(calls.look(address))

    async def tokens(self) -> list[m.KnownToken]:
        """The programs that are signed in."""
        return await self._run(calls.tokens())

    async def revoke_token(self, token: int) -> None:
        """Make a token void."""
        await self._run(calls.revoke_token(token))

    async def messages(
        self, *, topic: str = "", node: str = "", text: str = "", limit: int = 100, each_topic: bool = False
    ) -> list[m.Message]:
        """The latest messages, newest first; with `each_topic` the last one of each topic."""
        return await self._run(calls.messages(topic, node, text, limit, each_topic))

    async def message(self, number: int) -> m.MessageDetail:
        """A message with the values that could be picked out of it."""
        return await self._run(calls.message(number))

    async def preview(self, **picking: Any) -> list[m.Previewed]:
        """What the last messages would have given: via, topic, pointer, at, kind, unit."""
        return await self._run(calls.preview(picking))

    async def pick(self, **picking: Any) -> list[m.Entity]:
        """Make a value in messages an entity: as `preview`, with title, nodes, name, room, write."""
        return await self._run(calls.pick(picking))

    async def kinds(self) -> list[m.KindOfEntity]:
        """The kinds of entities there are."""
        return await self._run(calls.kinds())

    async def add_node(self, name: str, room: str = "") -> m.NodeKey:
        """Add a node that posts its values; its key is told this once."""
        return await self._run(calls.add_node(name, room))

    async def add_entity(self, node: str, title: str, kind: str, unit: str = "", pointer: str = "") -> m.Entity:
        """Add a value that a node posts."""
        return await self._run(calls.add_entity(node, title, kind, unit, pointer))

    async def new_key(self, node: str) -> m.NodeKey:
        """A new key for a node; the one before is void at once."""
        return await self._run(calls.new_key(node))

    async def revoke_key(self, node: str) -> None:
        """Take a node's key away."""
        await self._run(calls.revoke_key(node))

    async def settings(self, node: str) -> list[m.Setting]:
        """A node's own settings, as it tells them now."""
        return await self._run(calls.settings(node))

    async def change_setting(self, node: str, name: str, value: Any) -> m.Node:
        """Change one of a node's own settings; returns when the node has confirmed it."""
        return await self._run(calls.change_setting(node, name, value))

    async def act(self, node: str, action: str, **inputs: Any) -> Any:
        """Have a node do something; what it answers, if anything."""
        return (await self._run(calls.act(node, action, inputs)))["answer"]

    async def change_entity(self, address: str, **changes: Any) -> m.Entity:
        """Rename an entity (title), hide or show it (hidden)."""
        return await self._run(calls.change_entity(address, changes))

    async def remove_entity(self, address: str) -> None:
        """Take an entity that was picked away, with its history."""
        await self._run(calls.remove_entity(address))

    async def setup_code(self, thing: str, code: str = "") -> m.SetupCode:
        """A setup code with its QR code; a new one unless it is given."""
        return await self._run(calls.setup_code(thing, code))

    async def tools(self) -> list[m.Tool]:
        """A person's own tools at the MQTT door."""
        return await self._run(calls.tools())

    async def add_tool(self, name: str, publish: Sequence[str] = (), subscribe: Sequence[str] = ()) -> m.Tool:
        """Let a tool in; its key is told this once."""
        return await self._run(calls.add_tool(name, publish, subscribe))

    async def change_tool(self, name: str, **changes: Any) -> m.Tool:
        """Give a tool other topics (publish, subscribe)."""
        return await self._run(calls.change_tool(name, changes))

    async def new_tool_key(self, name: str) -> m.Tool:
        """A new key for a tool; the one before is void at once."""
        return await self._run(calls.new_tool_key(name))

    async def remove_tool(self, name: str) -> None:
        """Shut a tool out."""
        await self._run(calls.remove_tool(name))

    async def doctor(self) -> list[m.Check]:
        """How every part of the hub is, and what to do."""
        return await self._run(calls.doctor())

    def readings(self, address: str, start: int, end: int | None = None) -> AsyncIterator[m.Reading]:
        """Single readings, oldest first, fetched page by page."""
        return self._iterate(calls.readings(address, start, end))

    def journal(
        self, *, event: str = "", node: str = "", automation: str = "", since: int | None = None, page_size: int = 100
    ) -> AsyncIterator[m.JournalEntry]:
        """What happened, newest first, fetched page by page."""
        return self._iterate(calls.journal(event, node, automation, since, page_size))
