"""The two clients: the same calls, blocking and asynchronous, on the core in
`calls`."""

from __future__ import annotations

import asyncio
import functools
import inspect
import time
from collections.abc import AsyncIterator, Callable, Coroutine, Iterator
from http.cookiejar import CookieJar, DefaultCookiePolicy
from types import TracebackType
from typing import Any, Concatenate, ParamSpec, Self, TypeVar

import httpx
import msgspec

from hombi.client import calls
from hombi.client import models as m
from hombi.client.calls import Call, Pages
from hombi.client.errors import problem, unreachable
from hombi.client.stream import MESSAGES_PATH, PATH, EventReader, LiveEvent

P = ParamSpec("P")
T = TypeVar("T")
F = TypeVar("F", bound=Callable[..., Any])
Page = TypeVar("Page")
TIMEOUT_S = 15.0
# The hub sends a sign of life every 15 s.
QUIET_S = 40.0
RETRY_S = 1.0


def _request(call: Call[Any]) -> dict[str, Any]:
    request: dict[str, Any] = {"method": call.method, "url": call.path, "params": dict(call.params)}
    if call.body is not None:
        request["content"] = msgspec.json.encode(call.body)
        request["headers"] = {"Content-Type": "application/json"}
    return request


def _no_cookies() -> CookieJar:
    """Tokens say who is asking; a session's cookie beside them would only contradict
    them."""
    return CookieJar(DefaultCookiePolicy(allowed_domains=[]))


def _headers(token: str | None) -> dict[str, str]:
    return {"Authorization": f"Bearer {token}"} if token else {}


def _like(make: Callable[..., Any]) -> Callable[[F], F]:
    """Give a client's method the name, the text and the signature of the call that it
    makes."""

    def dress(method: F) -> F:
        functools.update_wrapper(method, make)
        signature = inspect.signature(make)
        client = inspect.Parameter("self", inspect.Parameter.POSITIONAL_ONLY)
        signature = signature.replace(parameters=[client, *signature.parameters.values()])
        method.__signature__ = signature  # type: ignore[attr-defined]
        return method

    return dress


def _call(make: Callable[P, Call[T]]) -> Callable[Concatenate[Hub, P], T]:
    @_like(make)
    def method(hub: Hub, /, *given: P.args, **named: P.kwargs) -> T:
        return hub._run(make(*given, **named))

    return method


def _listing(make: Callable[P, Pages[Page, T]]) -> Callable[Concatenate[Hub, P], Iterator[T]]:
    @_like(make)
    def method(hub: Hub, /, *given: P.args, **named: P.kwargs) -> Iterator[T]:
        return hub._iterate(make(*given, **named))

    return method


def _async_call(
    make: Callable[P, Call[T]],
) -> Callable[Concatenate[AsyncHub, P], Coroutine[Any, Any, T]]:
    @_like(make)
    async def method(hub: AsyncHub, /, *given: P.args, **named: P.kwargs) -> T:
        return await hub._run(make(*given, **named))

    return method


def _async_listing(
    make: Callable[P, Pages[Page, T]],
) -> Callable[Concatenate[AsyncHub, P], AsyncIterator[T]]:
    @_like(make)
    def method(hub: AsyncHub, /, *given: P.args, **named: P.kwargs) -> AsyncIterator[T]:
        return hub._iterate(make(*given, **named))

    return method


class Hub:
    """The hub at an address, with blocking calls. Calls raise HubProblem or
    HubUnreachable."""

    def __init__(self, url: str = "http://127.0.0.1:4662", token: str | None = None) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.Client(
            base_url=self.url,
            headers=_headers(token),
            cookies=_no_cookies(),
            timeout=TIMEOUT_S,
            trust_env=False,
        )

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
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
        """The live stream from now on. A connection that drops is taken up again where
        it stopped; a hub that is gone for good raises HubUnreachable."""
        return self._stream(PATH, {})

    def follow_messages(
        self, *, via: str = "", topic: str = "", node: str = "", text: str = ""
    ) -> Iterator[m.Messages]:
        """The messages that fit, as they come."""
        for event in self._stream(MESSAGES_PATH, calls.message_filter(via, topic, node, text)):
            yield msgspec.convert(event.data, m.Messages)

    def _stream(self, path: str, params: dict[str, str | int]) -> Iterator[LiveEvent]:
        reader, failures = EventReader(), 0
        while True:
            try:
                timeout = httpx.Timeout(TIMEOUT_S, read=QUIET_S)
                with self._http.stream(
                    "GET", path, params=params, headers=reader.headers, timeout=timeout
                ) as response:
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

    def sign_in(self, username: str, password: str, name: str = "client") -> m.Token:
        """A token for a person; this client uses it from now on."""
        token = self._run(calls.sign_in(username, password, name))
        self._http.headers.update(_headers(token.token))
        return token

    def act(self, node: str, action: str, **inputs: Any) -> Any:
        """Have a node do something; what it answers, if anything."""
        return self._run(calls.act(node, action, **inputs))["answer"]

    house = _call(calls.house)
    add_floor = _call(calls.add_floor)
    add_room = _call(calls.add_room)
    change_room = _call(calls.change_room)
    remove_room = _call(calls.remove_room)
    nodes = _call(calls.nodes)
    change_node = _call(calls.change_node)
    remove_node = _call(calls.remove_node)
    entities = _call(calls.entities)
    entity = _call(calls.entity)
    history = _call(calls.history)
    rows = _call(calls.rows)
    readings = _listing(calls.readings)
    command = _call(calls.command)
    zigbee = _call(calls.zigbee)
    choose_zigbee_network = _call(calls.choose_zigbee_network)
    node_profile = _call(calls.node_profile)
    put_node_profile = _call(calls.put_node_profile)
    pairing = _call(calls.pairing)
    open_pairing = _call(calls.open_pairing)
    close_pairing = _call(calls.close_pairing)
    arrivals = _call(calls.arrivals)
    look = _call(calls.look)
    admit = _call(calls.admit)
    ask_again = _call(calls.ask_again)
    ask_node_again = _call(calls.ask_node_again)
    turn_away = _call(calls.turn_away)
    automations = _call(calls.automations)
    automation = _call(calls.automation)
    check_automation = _call(calls.check_automation)
    add_automation = _call(calls.add_automation)
    change_automation = _call(calls.change_automation)
    remove_automation = _call(calls.remove_automation)
    journal = _listing(calls.journal)
    phones = _call(calls.phones)
    add_phone = _call(calls.add_phone)
    remove_phone = _call(calls.remove_phone)
    test_phone = _call(calls.test_phone)
    notices = _call(calls.notices)
    claimed = _call(calls.claimed)
    claim = _call(calls.claim)
    claim_code = _call(calls.claim_code)
    sign_out = _call(calls.sign_out)
    tokens = _call(calls.tokens)
    revoke_token = _call(calls.revoke_token)
    messages = _call(calls.messages)
    message = _call(calls.message)
    preview = _call(calls.preview)
    pick = _call(calls.pick)
    kinds = _call(calls.kinds)
    add_node = _call(calls.add_node)
    add_entity = _call(calls.add_entity)
    new_key = _call(calls.new_key)
    revoke_key = _call(calls.revoke_key)
    settings = _call(calls.settings)
    change_setting = _call(calls.change_setting)
    change_entity = _call(calls.change_entity)
    remove_entity = _call(calls.remove_entity)
    setup_code = _call(calls.setup_code)
    tools = _call(calls.tools)
    add_tool = _call(calls.add_tool)
    change_tool = _call(calls.change_tool)
    new_tool_key = _call(calls.new_tool_key)
    remove_tool = _call(calls.remove_tool)
    doctor = _call(calls.doctor)


class AsyncHub:
    """The hub at an address, asynchronously. Calls raise HubProblem or
    HubUnreachable."""

    def __init__(self, url: str = "http://127.0.0.1:4662", token: str | None = None) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.AsyncClient(
            base_url=self.url,
            headers=_headers(token),
            cookies=_no_cookies(),
            timeout=TIMEOUT_S,
            trust_env=False,
        )

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
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
        """The live stream from now on. A connection that drops is taken up again where
        it stopped; a hub that is gone for good raises HubUnreachable."""
        return self._stream(PATH, {})

    async def follow_messages(
        self, *, via: str = "", topic: str = "", node: str = "", text: str = ""
    ) -> AsyncIterator[m.Messages]:
        """The messages that fit, as they come."""
        async for event in self._stream(
            MESSAGES_PATH, calls.message_filter(via, topic, node, text)
        ):
            yield msgspec.convert(event.data, m.Messages)

    async def _stream(self, path: str, params: dict[str, str | int]) -> AsyncIterator[LiveEvent]:
        reader, failures = EventReader(), 0
        while True:
            try:
                timeout = httpx.Timeout(TIMEOUT_S, read=QUIET_S)
                async with self._http.stream(
                    "GET", path, params=params, headers=reader.headers, timeout=timeout
                ) as response:
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

    async def sign_in(self, username: str, password: str, name: str = "client") -> m.Token:
        """A token for a person; this client uses it from now on."""
        token = await self._run(calls.sign_in(username, password, name))
        self._http.headers.update(_headers(token.token))
        return token

    async def act(self, node: str, action: str, **inputs: Any) -> Any:
        """Have a node do something; what it answers, if anything."""
        return (await self._run(calls.act(node, action, **inputs)))["answer"]

    house = _async_call(calls.house)
    add_floor = _async_call(calls.add_floor)
    add_room = _async_call(calls.add_room)
    change_room = _async_call(calls.change_room)
    remove_room = _async_call(calls.remove_room)
    nodes = _async_call(calls.nodes)
    change_node = _async_call(calls.change_node)
    remove_node = _async_call(calls.remove_node)
    entities = _async_call(calls.entities)
    entity = _async_call(calls.entity)
    history = _async_call(calls.history)
    rows = _async_call(calls.rows)
    readings = _async_listing(calls.readings)
    command = _async_call(calls.command)
    zigbee = _async_call(calls.zigbee)
    choose_zigbee_network = _async_call(calls.choose_zigbee_network)
    node_profile = _async_call(calls.node_profile)
    put_node_profile = _async_call(calls.put_node_profile)
    pairing = _async_call(calls.pairing)
    open_pairing = _async_call(calls.open_pairing)
    close_pairing = _async_call(calls.close_pairing)
    arrivals = _async_call(calls.arrivals)
    look = _async_call(calls.look)
    admit = _async_call(calls.admit)
    ask_again = _async_call(calls.ask_again)
    ask_node_again = _async_call(calls.ask_node_again)
    turn_away = _async_call(calls.turn_away)
    automations = _async_call(calls.automations)
    automation = _async_call(calls.automation)
    check_automation = _async_call(calls.check_automation)
    add_automation = _async_call(calls.add_automation)
    change_automation = _async_call(calls.change_automation)
    remove_automation = _async_call(calls.remove_automation)
    journal = _async_listing(calls.journal)
    phones = _async_call(calls.phones)
    add_phone = _async_call(calls.add_phone)
    remove_phone = _async_call(calls.remove_phone)
    test_phone = _async_call(calls.test_phone)
    notices = _async_call(calls.notices)
    claimed = _async_call(calls.claimed)
    claim = _async_call(calls.claim)
    claim_code = _async_call(calls.claim_code)
    sign_out = _async_call(calls.sign_out)
    tokens = _async_call(calls.tokens)
    revoke_token = _async_call(calls.revoke_token)
    messages = _async_call(calls.messages)
    message = _async_call(calls.message)
    preview = _async_call(calls.preview)
    pick = _async_call(calls.pick)
    kinds = _async_call(calls.kinds)
    add_node = _async_call(calls.add_node)
    add_entity = _async_call(calls.add_entity)
    new_key = _async_call(calls.new_key)
    revoke_key = _async_call(calls.revoke_key)
    settings = _async_call(calls.settings)
    change_setting = _async_call(calls.change_setting)
    change_entity = _async_call(calls.change_entity)
    remove_entity = _async_call(calls.remove_entity)
    setup_code = _async_call(calls.setup_code)
    tools = _async_call(calls.tools)
    add_tool = _async_call(calls.add_tool)
    change_tool = _async_call(calls.change_tool)
    new_tool_key = _async_call(calls.new_tool_key)
    remove_tool = _async_call(calls.remove_tool)
    doctor = _async_call(calls.doctor)
