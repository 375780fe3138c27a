"""The client with blocking calls, on the core in `calls`."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import TracebackType
from typing import Concatenate, ParamSpec, Self, TypeVar

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
)
from hombi.client.errors import HubUnreachable, problem
from hombi.client.line import Line
from hombi.client.stream import MESSAGES_PATH, PATH, POSITION, EventReader, LiveEvent

P = ParamSpec("P")
T = TypeVar("T")
Page = TypeVar("Page")


# How much of a file is read at once.
PIECE = 64 * 1024


class _Group:
    """The calls of one noun."""

    def __init__(self, hub: Hub) -> None:
        self._hub = hub

    def _run(self, call: Call[T]) -> T:
        return self._hub._run(call)

    def _iterate(self, pages: Pages[Page, T]) -> Iterator[T]:
        return self._hub._iterate(pages)


def _call(make: Callable[P, Call[T]]) -> Callable[Concatenate[Hub | _Group, P], T]:
    @like(make)
    def method(group: Hub | _Group, /, *given: P.args, **named: P.kwargs) -> T:
        return group._run(make(*given, **named))

    return method


def _listing(
    make: Callable[P, Pages[Page, T]],
) -> Callable[Concatenate[Hub | _Group, P], Iterator[T]]:
    @like(make)
    def method(group: Hub | _Group, /, *given: P.args, **named: P.kwargs) -> Iterator[T]:
        return group._iterate(make(*given, **named))

    return method


class Floors(_Group):
    """The floors of the house."""

    add = _call(rooms.add_floor)
    rename = _call(rooms.rename_floor)
    move = _call(rooms.move_floor)
    remove = _call(rooms.remove_floor)


class Rooms(_Group):
    """The rooms of the house."""

    list = _call(rooms.list_)
    add = _call(rooms.add)
    rename = _call(rooms.rename)
    move = _call(rooms.move)
    remove = _call(rooms.remove)


class Nodes(_Group):
    """The nodes that are in the house."""

    list = _call(nodes.list_)
    get = _call(nodes.get)
    add = _call(nodes.add)
    add_entity = _call(nodes.add_entity)
    rename = _call(nodes.rename)
    move = _call(nodes.move)
    remove = _call(nodes.remove)
    ask_again = _call(nodes.ask_again)
    change_secret = _call(nodes.change_secret)
    new_key = _call(nodes.new_key)
    revoke_key = _call(nodes.revoke_key)
    settings = _call(nodes.settings)
    change_setting = _call(nodes.change_setting)
    act = _call(nodes.act)
    profile = _call(nodes.profile)
    put_profile = _call(nodes.put_profile)


class Conditioning(_Group):
    """The steps that entities' values go through."""

    steps = _call(conditioning.steps)
    show = _call(conditioning.show)
    set = _call(conditioning.set_)
    undo = _call(conditioning.undo)
    try_ = _call(conditioning.try_)
    compare = _call(conditioning.compare)
    calibrate = _call(conditioning.calibrate)


class People(_Group):
    """People: states of several entities that are recalled together."""

    list = _call(people.list_)
    say = _call(people.say)
    follow = _call(people.follow)
    quiet = _call(people.quiet)


class Sequences(_Group):
    """Sequences: lists of actions that automations run."""

    list = _call(sequences.list_)
    get = _call(sequences.get)
    check = _call(sequences.check)
    put = _call(sequences.put)
    remove = _call(sequences.remove)


class Scenes(_Group):
    """Scenes: states of several entities that are recalled together."""

    list = _call(scenes.list_)
    get = _call(scenes.get)
    record = _call(scenes.record)
    recall = _call(scenes.recall)
    remove = _call(scenes.remove)


class Dashboards(_Group):
    """Pages of tiles."""

    list = _call(dashboards.list_)
    get = _call(dashboards.get)
    add = _call(dashboards.add)
    arrange = _call(dashboards.arrange)
    remove = _call(dashboards.remove)


class Derived(_Group):
    """Values that are computed from others."""

    methods = _call(derived.methods)
    make = _call(derived.make)


class Entities(_Group):
    """The values of the house."""

    def export(
        self,
        address: str,
        span: str = "day",
        *,
        start: int | None = None,
        end: int | None = None,
        format: str = "csv",
    ) -> Iterator[bytes]:
        """An entity's readings of a span as a file: csv, or senml (RFC 8428)."""
        asked = entities.export(address, span, start=start, end=end, format=format)
        return self._hub._pieces(asked)

    list = _call(entities.list_)
    get = _call(entities.get)
    rename = _call(entities.rename)
    hide = _call(entities.hide)
    see = _call(entities.see)
    import_csv = _call(imports.import_csv)
    take_back_import = _call(imports.take_back)
    imports = _call(imports.list_)
    change_kind = _call(entities.change_kind)
    remove = _call(entities.remove)
    history = _call(entities.history)
    courses = _call(entities.courses)
    doubts = _call(entities.doubts)
    numbers = _call(entities.numbers)
    rows = _call(entities.rows)
    stretches = _call(entities.stretches)
    readings = _listing(entities.readings)
    set = _call(entities.set_)


class Pairing(_Group):
    """Letting nodes in."""

    window = _call(pairing.window)
    open = _call(pairing.open_)
    close = _call(pairing.close)
    arrivals = _call(pairing.arrivals)
    look = _call(pairing.look)
    admit = _call(pairing.admit)
    ask_again = _call(pairing.ask_again)
    turn_away = _call(pairing.turn_away)
    setup_code = _call(pairing.setup_code)


class Automations(_Group):
    """What the house does by itself."""

    list = _call(automations.list_)
    get = _call(automations.get)
    check = _call(automations.check)
    add = _call(automations.add)
    change = _call(automations.change)
    duty = _call(automations.duty)
    remove = _call(automations.remove)
    acknowledge = _call(automations.acknowledge)
    schema = _call(automations.schema)
    texts = _call(automations.texts)
    edit = _call(automations.edit)
    replay = _call(automations.replay)
    why = _call(automations.why)
    rehearse = _call(automations.rehearse)
    run = _call(automations.run)
    starters = _call(automations.starters)
    fill = _call(automations.fill)
    first_values = _call(automations.first_values)


class Members(_Group):
    """Who belongs to the house, and what they may."""

    list = _call(members.list_)
    invite = _call(members.invite)
    invitations = _call(members.invitations)
    revoke = _call(members.revoke)
    change = _call(members.change)
    remove = _call(members.remove)
    reset = _call(members.reset)
    join = _call(members.join)
    password = _call(members.password)
    begin_second = _call(members.begin_second)
    confirm_second = _call(members.confirm_second)
    remove_second = _call(members.remove_second)


class Ways(_Group):
    """The ways in which people are reached, and their notices."""

    list = _call(ways.list_)
    add = _call(ways.add)
    add_phone = _call(ways.add_phone)
    remove = _call(ways.remove)
    test = _call(ways.test)
    loudspeakers = _call(ways.loudspeakers)
    notices = _call(ways.notices)


class Tools(_Group):
    """MQTT accounts for boards and programs of a person's own."""

    list = _call(tools.list_)
    add = _call(tools.add)
    change = _call(tools.change)
    new_key = _call(tools.new_key)
    remove = _call(tools.remove)


class Tokens(_Group):
    """Programs that are signed in."""

    list = _call(tools.tokens)
    revoke = _call(tools.revoke_token)


class Browsers(_Group):
    """Browsers that are signed in."""

    list = _call(tools.browsers)
    end = _call(tools.end_browser)


class Messages(_Group):
    """What arrives, as it came."""

    list = _call(messages.list_)
    get = _call(messages.get)
    preview = _call(messages.preview)
    pick = _call(messages.pick)

    def follow(
        self, *, via: str = "", topic: str = "", node: str = "", text: str = ""
    ) -> Iterator[wire.Messages]:
        """The messages that fit, as they come."""
        wanted = messages.message_filter(via, topic, node, text)
        for event in self._hub._stream(MESSAGES_PATH, wanted):
            if isinstance(event.news, wire.Messages):
                yield event.news


class Zigbee(_Group):
    """The Zigbee stick and its network."""

    info = _call(zigbee.info)
    choose = _call(zigbee.choose)


class Hub:
    """The hub at an address, with blocking calls. `authority` is the file of the
    house's certificate (PEM), for https. Calls raise HubProblem or HubUnreachable."""

    def __init__(
        self,
        url: str = "http://127.0.0.1:21460",
        token: str | None = None,
        authority: str | Path | None = None,
    ) -> None:
        self.url = url.rstrip("/")
        self._line = Line(self.url, signed(token), TIMEOUT_S, authority)
        self.floors = Floors(self)
        self.rooms = Rooms(self)
        self.nodes = Nodes(self)
        self.entities = Entities(self)
        self.conditioning = Conditioning(self)
        self.dashboards = Dashboards(self)
        self.people = People(self)
        self.scenes = Scenes(self)
        self.sequences = Sequences(self)
        self.derived = Derived(self)
        self.pairing = Pairing(self)
        self.automations = Automations(self)
        self.ways = Ways(self)
        self.members = Members(self)
        self.tools = Tools(self)
        self.tokens = Tokens(self)
        self.browsers = Browsers(self)
        self.messages = Messages(self)
        self.zigbee = Zigbee(self)

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
        self._line.close()

    def _run(self, call: Call[T]) -> T:
        body, headers = body_of(call)
        asked = (call.method, call.path, call.params, body, headers, call.quiet_s)
        with self._line.ask(*asked) as response:
            content = response.read()
        return call.read(response.status, content)

    def _iterate(self, pages: Pages[Page, T]) -> Iterator[T]:
        place: int | None = None
        while True:
            page = self._run(pages.page(place))
            yield from pages.items(page)
            place = pages.next(page)
            if place is None:
                return

    def backup(self, passphrase: str = "") -> Iterator[bytes]:
        """A backup of the whole house, sealed if a passphrase is given."""
        return self._pieces(general.backup(passphrase), quiet_s=MAKING_S)

    def _pieces(self, call: Call[bytes], quiet_s: float = QUIET_S) -> Iterator[bytes]:
        asked = (call.method, call.path, call.params, *body_of(call))
        with self._line.ask(*asked, quiet_s=quiet_s) as response:
            if response.status >= 400:
                raise problem(response.status, response.read())
            while piece := response.read(PIECE):
                yield piece

    def live(self) -> Iterator[LiveEvent]:
        """The live stream from now on. A connection that drops is resumed where
        it stopped; a hub that is gone for good raises HubUnreachable."""
        # Where the stream stands now: it is read from there on, whenever its first
        # event is taken.
        with self._line.ask("GET", "/api/house", {}) as answer:
            body = answer.read()
            if answer.status >= 400:
                raise problem(answer.status, body)
            here = answer.headers.get(POSITION, "")
        return self._stream(PATH, {}, here)

    def _stream(self, path: str, params: dict[str, Param], after: str = "") -> Iterator[LiveEvent]:
        reader, failures = EventReader(last_id=after), 0
        while True:
            try:
                with self._line.ask(
                    "GET", path, params, headers=reader.headers, quiet_s=QUIET_S
                ) as response:
                    if response.status >= 400:
                        raise problem(response.status, response.read())
                    failures = 0
                    for line in response:
                        if (event := reader.line(line.decode().rstrip("\r\n"))) is not None:
                            yield event
            except HubUnreachable:
                failures += 1
                if failures > 10:
                    raise
            time.sleep(RETRY_S)

    def sign_in(
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
        token = self._run(general.sign_in(username, password, name, limit, days, code))
        self._line.headers.update(signed(token.token))
        return token

    house = _call(general.house)
    releases = _call(general.releases)
    change_house = _call(rooms.change_house)
    doctor = _call(general.doctor)
    trust = _call(general.trust)
    review = _call(general.review)
    kinds = _call(general.kinds)
    journal = _listing(general.journal)
    journal_events = _call(general.journal_events)
    claimed = _call(general.claimed)
    claim = _call(general.claim)
    claim_code = _call(general.claim_code)
    sign_out = _call(general.sign_out)
