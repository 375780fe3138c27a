"""The client with asynchronous calls, on the core in `calls`."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable, Coroutine
from http.cookiejar import CookieJar, DefaultCookiePolicy
from pathlib import Path
from types import TracebackType
from typing import Any, Concatenate, ParamSpec, Self, TypeVar

import httpx

from hombi import wire
from hombi.client.calls import (
    automations,
    conditioning,
    dashboards,
    derived,
    entities,
    general,
    imports,
    members,
    messages,
    nodes,
    pairing,
    people,
    rooms,
    scenes,
    sequences,
    tools,
    ways,
    zigbee,
)
from hombi.client.calls.base import Call, Pages, Param
from hombi.client.connection import (
    MAKING_S,
    QUIET_S,
    RETRY_S,
    TIMEOUT_S,
    body_of,
    like,
    signed,
    trusting,
)
from hombi.client.errors import HubUnreachable, problem, unreachable
from hombi.client.stream import MESSAGES_PATH, PATH, POSITION, EventReader, LiveEvent

P = ParamSpec("P")
T = TypeVar("T")
Page = TypeVar("Page")


class _AsyncGroup:
    """The calls of one noun."""

    def __init__(self, hub: AsyncHub) -> None:
        self._hub = hub

    async def _run(self, call: Call[T]) -> T:
        return await self._hub._run(call)

    def _iterate(self, pages: Pages[Page, T]) -> AsyncIterator[T]:
        return self._hub._iterate(pages)


def _async_call(
    make: Callable[P, Call[T]],
) -> Callable[Concatenate[AsyncHub | _AsyncGroup, P], Coroutine[Any, Any, T]]:
    @like(make)
    async def method(group: AsyncHub | _AsyncGroup, /, *given: P.args, **named: P.kwargs) -> T:
        return await group._run(make(*given, **named))

    return method


def _async_listing(
    make: Callable[P, Pages[Page, T]],
) -> Callable[Concatenate[AsyncHub | _AsyncGroup, P], AsyncIterator[T]]:
    @like(make)
    def method(
        group: AsyncHub | _AsyncGroup, /, *given: P.args, **named: P.kwargs
    ) -> AsyncIterator[T]:
        return group._iterate(make(*given, **named))

    return method


class AsyncFloors(_AsyncGroup):
    """The floors of the house."""

    add = _async_call(rooms.add_floor)
    rename = _async_call(rooms.rename_floor)
    move = _async_call(rooms.move_floor)
    remove = _async_call(rooms.remove_floor)


class AsyncRooms(_AsyncGroup):
    """The rooms of the house."""

    list = _async_call(rooms.list_)
    add = _async_call(rooms.add)
    rename = _async_call(rooms.rename)
    move = _async_call(rooms.move)
    remove = _async_call(rooms.remove)


class AsyncNodes(_AsyncGroup):
    """The nodes that are in the house."""

    list = _async_call(nodes.list_)
    get = _async_call(nodes.get)
    add = _async_call(nodes.add)
    add_entity = _async_call(nodes.add_entity)
    rename = _async_call(nodes.rename)
    move = _async_call(nodes.move)
    remove = _async_call(nodes.remove)
    ask_again = _async_call(nodes.ask_again)
    change_secret = _async_call(nodes.change_secret)
    new_key = _async_call(nodes.new_key)
    revoke_key = _async_call(nodes.revoke_key)
    settings = _async_call(nodes.settings)
    change_setting = _async_call(nodes.change_setting)
    act = _async_call(nodes.act)
    profile = _async_call(nodes.profile)
    put_profile = _async_call(nodes.put_profile)


class AsyncConditioning(_AsyncGroup):
    """The steps that entities' values go through."""

    steps = _async_call(conditioning.steps)
    show = _async_call(conditioning.show)
    set = _async_call(conditioning.set_)
    undo = _async_call(conditioning.undo)
    try_ = _async_call(conditioning.try_)
    compare = _async_call(conditioning.compare)
    calibrate = _async_call(conditioning.calibrate)


class AsyncPeople(_AsyncGroup):
    """People: states of several entities that are recalled together."""

    list = _async_call(people.list_)
    say = _async_call(people.say)
    follow = _async_call(people.follow)
    quiet = _async_call(people.quiet)


class AsyncSequences(_AsyncGroup):
    """Sequences: lists of actions that automations run."""

    list = _async_call(sequences.list_)
    get = _async_call(sequences.get)
    check = _async_call(sequences.check)
    put = _async_call(sequences.put)
    remove = _async_call(sequences.remove)


class AsyncScenes(_AsyncGroup):
    """Scenes: states of several entities that are recalled together."""

    list = _async_call(scenes.list_)
    get = _async_call(scenes.get)
    record = _async_call(scenes.record)
    recall = _async_call(scenes.recall)
    remove = _async_call(scenes.remove)


class AsyncDashboards(_AsyncGroup):
    """Pages of tiles."""

    list = _async_call(dashboards.list_)
    get = _async_call(dashboards.get)
    add = _async_call(dashboards.add)
    arrange = _async_call(dashboards.arrange)
    remove = _async_call(dashboards.remove)


class AsyncDerived(_AsyncGroup):
    """Values that are computed from others."""

    methods = _async_call(derived.methods)
    make = _async_call(derived.make)


class AsyncEntities(_AsyncGroup):
    """The values of the house."""

    def export(
        self,
        address: str,
        span: str = "day",
        *,
        start: int | None = None,
        end: int | None = None,
        format: str = "csv",
    ) -> AsyncIterator[bytes]:
        """An entity's readings of a span as a file: csv, or senml (RFC 8428)."""
        asked = entities.export(address, span, start=start, end=end, format=format)
        return self._hub._pieces(asked)

    list = _async_call(entities.list_)
    get = _async_call(entities.get)
    rename = _async_call(entities.rename)
    hide = _async_call(entities.hide)
    see = _async_call(entities.see)
    import_csv = _async_call(imports.import_csv)
    take_back_import = _async_call(imports.take_back)
    imports = _async_call(imports.list_)
    change_kind = _async_call(entities.change_kind)
    remove = _async_call(entities.remove)
    history = _async_call(entities.history)
    courses = _async_call(entities.courses)
    doubts = _async_call(entities.doubts)
    numbers = _async_call(entities.numbers)
    rows = _async_call(entities.rows)
    stretches = _async_call(entities.stretches)
    readings = _async_listing(entities.readings)
    set = _async_call(entities.set_)


class AsyncPairing(_AsyncGroup):
    """Letting nodes in."""

    window = _async_call(pairing.window)
    open = _async_call(pairing.open_)
    close = _async_call(pairing.close)
    arrivals = _async_call(pairing.arrivals)
    look = _async_call(pairing.look)
    admit = _async_call(pairing.admit)
    ask_again = _async_call(pairing.ask_again)
    turn_away = _async_call(pairing.turn_away)
    setup_code = _async_call(pairing.setup_code)


class AsyncAutomations(_AsyncGroup):
    """What the house does by itself."""

    list = _async_call(automations.list_)
    get = _async_call(automations.get)
    check = _async_call(automations.check)
    add = _async_call(automations.add)
    change = _async_call(automations.change)
    duty = _async_call(automations.duty)
    remove = _async_call(automations.remove)
    acknowledge = _async_call(automations.acknowledge)
    schema = _async_call(automations.schema)
    texts = _async_call(automations.texts)
    edit = _async_call(automations.edit)
    replay = _async_call(automations.replay)
    why = _async_call(automations.why)
    rehearse = _async_call(automations.rehearse)
    run = _async_call(automations.run)
    starters = _async_call(automations.starters)
    fill = _async_call(automations.fill)
    first_values = _async_call(automations.first_values)


class AsyncMembers(_AsyncGroup):
    """Who belongs to the house, and what they may."""

    list = _async_call(members.list_)
    invite = _async_call(members.invite)
    invitations = _async_call(members.invitations)
    revoke = _async_call(members.revoke)
    change = _async_call(members.change)
    remove = _async_call(members.remove)
    reset = _async_call(members.reset)
    join = _async_call(members.join)
    password = _async_call(members.password)
    begin_second = _async_call(members.begin_second)
    confirm_second = _async_call(members.confirm_second)
    remove_second = _async_call(members.remove_second)


class AsyncWays(_AsyncGroup):
    """The ways in which people are reached, and their notices."""

    list = _async_call(ways.list_)
    add = _async_call(ways.add)
    add_phone = _async_call(ways.add_phone)
    remove = _async_call(ways.remove)
    test = _async_call(ways.test)
    loudspeakers = _async_call(ways.loudspeakers)
    notices = _async_call(ways.notices)


class AsyncTools(_AsyncGroup):
    """MQTT accounts for boards and programs of a person's own."""

    list = _async_call(tools.list_)
    add = _async_call(tools.add)
    change = _async_call(tools.change)
    new_key = _async_call(tools.new_key)
    remove = _async_call(tools.remove)


class AsyncTokens(_AsyncGroup):
    """Programs that are signed in."""

    list = _async_call(tools.tokens)
    revoke = _async_call(tools.revoke_token)


class AsyncBrowsers(_AsyncGroup):
    """Browsers that are signed in."""

    list = _async_call(tools.browsers)
    end = _async_call(tools.end_browser)


class AsyncMessages(_AsyncGroup):
    """What arrives, as it came."""

    list = _async_call(messages.list_)
    get = _async_call(messages.get)
    preview = _async_call(messages.preview)
    pick = _async_call(messages.pick)

    async def follow(
        self, *, via: str = "", topic: str = "", node: str = "", text: str = ""
    ) -> AsyncIterator[wire.Messages]:
        """The messages that fit, as they come."""
        wanted = messages.message_filter(via, topic, node, text)
        async for event in self._hub._stream(MESSAGES_PATH, wanted):
            if isinstance(event.news, wire.Messages):
                yield event.news


class AsyncZigbee(_AsyncGroup):
    """The Zigbee stick and its network."""

    info = _async_call(zigbee.info)
    choose = _async_call(zigbee.choose)


def _no_cookies() -> CookieJar:
    """Tokens say who is asking; a session's cookie beside them would only contradict
    them."""
    return CookieJar(DefaultCookiePolicy(allowed_domains=[]))


class AsyncHub:
    """The hub at an address, asynchronously. `authority` is the file of the house's
    certificate (PEM), for https. Calls raise HubProblem or HubUnreachable."""

    def __init__(
        self,
        url: str = "http://127.0.0.1:21460",
        token: str | None = None,
        authority: str | Path | None = None,
    ) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.AsyncClient(
            base_url=self.url,
            headers=signed(token),
            cookies=_no_cookies(),
            timeout=TIMEOUT_S,
            trust_env=False,
            # Reading all authorities takes longer than a whole call without TLS.
            verify=self.url.startswith("https://") and trusting(authority),
        )
        self.floors = AsyncFloors(self)
        self.rooms = AsyncRooms(self)
        self.nodes = AsyncNodes(self)
        self.entities = AsyncEntities(self)
        self.conditioning = AsyncConditioning(self)
        self.dashboards = AsyncDashboards(self)
        self.people = AsyncPeople(self)
        self.scenes = AsyncScenes(self)
        self.sequences = AsyncSequences(self)
        self.derived = AsyncDerived(self)
        self.pairing = AsyncPairing(self)
        self.automations = AsyncAutomations(self)
        self.ways = AsyncWays(self)
        self.members = AsyncMembers(self)
        self.tools = AsyncTools(self)
        self.tokens = AsyncTokens(self)
        self.browsers = AsyncBrowsers(self)
        self.messages = AsyncMessages(self)
        self.zigbee = AsyncZigbee(self)

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

    def _unreachable(self, error: httpx.TransportError) -> HubUnreachable:
        return unreachable(self.url, late=isinstance(error, httpx.TimeoutException))

    async def _run(self, call: Call[T]) -> T:
        try:
            body, headers = body_of(call)
            response = await self._http.request(
                call.method,
                call.path,
                params=dict(call.params),
                content=body,
                headers=headers,
                timeout=httpx.Timeout(TIMEOUT_S, read=call.quiet_s or TIMEOUT_S),
            )
        except httpx.TransportError as error:
            raise self._unreachable(error) from error
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

    def backup(self, passphrase: str = "") -> AsyncIterator[bytes]:
        """A backup of the whole house, sealed if a passphrase is given."""
        return self._pieces(general.backup(passphrase), quiet_s=MAKING_S)

    async def _pieces(self, call: Call[bytes], quiet_s: float = QUIET_S) -> AsyncIterator[bytes]:
        timeout = httpx.Timeout(TIMEOUT_S, read=quiet_s)
        content, headers = body_of(call)
        try:
            async with self._http.stream(
                call.method, call.path, params=dict(call.params), timeout=timeout,
                content=content, headers=headers,
            ) as response:  # fmt: skip
                if response.status_code >= 400:
                    raise problem(response.status_code, await response.aread())
                async for piece in response.aiter_bytes():
                    yield piece
        except httpx.TransportError as error:
            raise self._unreachable(error) from error

    def live(self) -> AsyncIterator[LiveEvent]:
        """The live stream from now on. A connection that drops is resumed where
        it stopped; a hub that is gone for good raises HubUnreachable."""
        # Where the stream stands now: it is read from there on, whenever its first
        # event is taken.
        return self._stream(PATH, {}, asyncio.ensure_future(self._position()))

    async def _position(self) -> str:
        """Where the stream stands; "" while the hub does not say."""
        with contextlib.suppress(httpx.TransportError):
            return str((await self._http.get("/api/house")).headers.get(POSITION, ""))
        return ""

    async def _stream(
        self, path: str, params: dict[str, Param], after: asyncio.Future[str] | None = None
    ) -> AsyncIterator[LiveEvent]:
        reader, failures = EventReader(last_id=await after if after is not None else ""), 0
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
                    raise self._unreachable(error) from error
            await asyncio.sleep(RETRY_S)

    async def sign_in(
        self,
        username: str,
        password: str,
        name: str = "client",
        limit: str = "change",
        days: int = 0,
        code: str = "",
    ) -> wire.Token:
        """A token for a person; this client uses it from now on. `limit` is what it may
        do at most (`read`, `switch`, `change`); it is void after so many `days`, never
        for 0."""
        token = await self._run(general.sign_in(username, password, name, limit, days, code))
        self._http.headers.update(signed(token.token))
        return token

    house = _async_call(general.house)
    releases = _async_call(general.releases)
    change_house = _async_call(rooms.change_house)
    doctor = _async_call(general.doctor)
    trust = _async_call(general.trust)
    review = _async_call(general.review)
    kinds = _async_call(general.kinds)
    journal = _async_listing(general.journal)
    journal_events = _async_call(general.journal_events)
    claimed = _async_call(general.claimed)
    claim = _async_call(general.claim)
    claim_code = _async_call(general.claim_code)
    sign_out = _async_call(general.sign_out)
