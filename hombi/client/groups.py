"""The calls of both clients, by their nouns. They are written once: the client that a
group belongs to decides whether a call blocks or is awaited."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Callable, Coroutine, Iterator
from typing import Any, Generic, ParamSpec, Protocol, Self, TypeVar, cast, overload

from hombi.client.calls import (
    automations,
    computed,
    conditioning,
    contacts,
    dashboards,
    entities,
    general,
    imports,
    messages,
    mqtt_accounts,
    nodes,
    pairing,
    people,
    presence,
    rooms,
    scenes,
    sequences,
    zigbee,
)
from hombi.client.calls.base import Call, News, Pages
from hombi.client.connection import like

P = ParamSpec("P")
T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)
Page = TypeVar("Page")
C = TypeVar("C", bound="Client", covariant=True)  # noqa: PLC0105 - it stands in each line below


class Asks(ABC):
    """Who can be asked: a client, or a group of its calls. What comes back is as the
    client gives it."""

    @abstractmethod
    def _run(self, call: Call[Any]) -> Any: ...

    @abstractmethod
    def _iterate(self, pages: Pages[Any, Any]) -> Any: ...

    @abstractmethod
    def _pieces(self, call: Call[bytes]) -> Any: ...

    @abstractmethod
    def _news(self, news: News[Any]) -> Any: ...


class Group(Asks, Generic[C]):
    """The calls of one noun."""

    def __init__(self, client: C) -> None:
        self._client = client

    def _run(self, call: Call[Any]) -> Any:
        return self._client._run(call)

    def _iterate(self, pages: Pages[Any, Any]) -> Any:
        return self._client._iterate(pages)

    def _pieces(self, call: Call[bytes]) -> Any:
        return self._client._pieces(call)

    def _news(self, news: News[Any]) -> Any:
        return self._client._news(news)


class Method(Protocol[P, T_co]):
    """A call as a method: of a client that blocks it gives the answer, of an
    asynchronous one something to await."""

    @overload
    def __get__(self, of: Blocking | Group[Blocking], kind: object = None) -> Callable[P, T_co]: ...
    @overload
    def __get__(
        self, of: Awaited | Group[Awaited], kind: object = None
    ) -> Callable[P, Coroutine[Any, Any, T_co]]: ...


class Stream(Protocol[P, T_co]):
    """The same for what comes one by one."""

    @overload
    def __get__(
        self, of: Blocking | Group[Blocking], kind: object = None
    ) -> Callable[P, Iterator[T_co]]: ...
    @overload
    def __get__(
        self, of: Awaited | Group[Awaited], kind: object = None
    ) -> Callable[P, AsyncIterator[T_co]]: ...


def call(make: Callable[P, Call[T]]) -> Method[P, T]:
    """The method that makes this call."""

    @like(make)
    def method(of: Asks, /, *given: P.args, **named: P.kwargs) -> Any:
        return of._run(make(*given, **named))

    return cast("Method[P, T]", method)


def listing(make: Callable[P, Pages[Page, T]]) -> Stream[P, T]:
    """The method that lists what comes in pages."""

    @like(make)
    def method(of: Asks, /, *given: P.args, **named: P.kwargs) -> Any:
        return of._iterate(make(*given, **named))

    return cast("Stream[P, T]", method)


def pieces(make: Callable[P, Call[bytes]]) -> Stream[P, bytes]:
    """The method that gives a file, piece by piece."""

    @like(make, answer="Iterator[bytes]")
    def method(of: Asks, /, *given: P.args, **named: P.kwargs) -> Any:
        return of._pieces(make(*given, **named))

    return cast("Stream[P, bytes]", method)


def news(make: Callable[P, News[T]]) -> Stream[P, T]:
    """The method that gives news of one sort, as they come."""

    @like(make)
    def method(of: Asks, /, *given: P.args, **named: P.kwargs) -> Any:
        return of._news(make(*given, **named))

    return cast("Stream[P, T]", method)


class Floors(Group[C]):
    """The floors of the house."""

    add = call(rooms.add_floor)
    rename = call(rooms.rename_floor)
    move = call(rooms.move_floor)
    remove = call(rooms.remove_floor)


class Rooms(Group[C]):
    """The rooms of the house."""

    list = call(rooms.list_)
    add = call(rooms.add)
    rename = call(rooms.rename)
    move = call(rooms.move)
    remove = call(rooms.remove)


class Nodes(Group[C]):
    """The nodes that are in the house."""

    list = call(nodes.list_)
    get = call(nodes.get)
    set = call(nodes.set_)
    add = call(nodes.add)
    add_entity = call(nodes.add_entity)
    rename = call(nodes.rename)
    move = call(nodes.move)
    remove = call(nodes.remove)
    ask_again = call(nodes.ask_again)
    change_secret = call(nodes.change_secret)
    new_key = call(nodes.new_key)
    revoke_key = call(nodes.revoke_key)
    settings = call(nodes.settings)
    change_setting = call(nodes.change_setting)
    act = call(nodes.act)
    profile = call(nodes.profile)
    put_profile = call(nodes.put_profile)


class Conditioning(Group[C]):
    """The steps that entities' values go through."""

    steps = call(conditioning.steps)
    show = call(conditioning.show)
    set = call(conditioning.set_)
    undo = call(conditioning.undo)
    try_ = call(conditioning.try_)
    compare = call(conditioning.compare)
    calibrate = call(conditioning.calibrate)


class Presences(Group[C]):
    """Who is home, and how they are followed."""

    list = call(presence.list_)
    say = call(presence.say)
    follow = call(presence.follow)
    quiet = call(presence.quiet)


class Sequences(Group[C]):
    """Sequences: lists of actions that automations run."""

    list = call(sequences.list_)
    get = call(sequences.get)
    check = call(sequences.check)
    put = call(sequences.put)
    remove = call(sequences.remove)


class Scenes(Group[C]):
    """Scenes: states of several entities that are recalled together."""

    list = call(scenes.list_)
    get = call(scenes.get)
    record = call(scenes.record)
    recall = call(scenes.recall)
    remove = call(scenes.remove)


class Dashboards(Group[C]):
    """Pages of tiles."""

    list = call(dashboards.list_)
    get = call(dashboards.get)
    add = call(dashboards.add)
    arrange = call(dashboards.arrange)
    remove = call(dashboards.remove)


class Computed(Group[C]):
    """Values that are computed from others."""

    methods = call(computed.methods)
    make = call(computed.make)


class Entities(Group[C]):
    """The values of the house."""

    export = pieces(entities.export)
    list = call(entities.list_)
    get = call(entities.get)
    rename = call(entities.rename)
    hide = call(entities.hide)
    see = call(entities.see)
    import_csv = call(imports.import_csv)
    take_back_import = call(imports.take_back)
    imports = call(imports.list_)
    change_kind = call(entities.change_kind)
    remove = call(entities.remove)
    history = call(entities.history)
    courses = call(entities.courses)
    doubts = call(entities.doubts)
    numbers = call(entities.numbers)
    rows = call(entities.rows)
    stretches = call(entities.stretches)
    readings = listing(entities.readings)
    set = call(entities.set_)


class Pairing(Group[C]):
    """Letting nodes in."""

    window = call(pairing.window)
    open = call(pairing.open_)
    close = call(pairing.close)
    arrivals = call(pairing.arrivals)
    look = call(pairing.look)
    admit = call(pairing.admit)
    ask_again = call(pairing.ask_again)
    turn_away = call(pairing.turn_away)
    setup_code = call(pairing.setup_code)


class Automations(Group[C]):
    """What the house does by itself."""

    list = call(automations.list_)
    get = call(automations.get)
    check = call(automations.check)
    add = call(automations.add)
    change = call(automations.change)
    duty = call(automations.duty)
    remove = call(automations.remove)
    acknowledge = call(automations.acknowledge)
    schema = call(automations.schema)
    texts = call(automations.texts)
    edit = call(automations.edit)
    replay = call(automations.replay)
    why = call(automations.why)
    rehearse = call(automations.rehearse)
    run = call(automations.run)
    starters = call(automations.starters)
    fill = call(automations.fill)
    first_values = call(automations.first_values)


class People(Group[C]):
    """Who belongs to the house, and what they may."""

    list = call(people.list_)
    invite = call(people.invite)
    invitations = call(people.invitations)
    revoke = call(people.revoke)
    change = call(people.change)
    remove = call(people.remove)
    reset = call(people.reset)
    join = call(people.join)
    password = call(people.password)
    begin_second = call(people.begin_second)
    confirm_second = call(people.confirm_second)
    remove_second = call(people.remove_second)


class Contacts(Group[C]):
    """The contacts over which people are reached, and their notices."""

    list = call(contacts.list_)
    add = call(contacts.add)
    add_phone = call(contacts.add_phone)
    remove = call(contacts.remove)
    test = call(contacts.test)
    loudspeakers = call(contacts.loudspeakers)
    notices = call(contacts.notices)


class MqttAccounts(Group[C]):
    """MQTT accounts for boards and programs of a person's own."""

    list = call(mqtt_accounts.list_)
    add = call(mqtt_accounts.add)
    change = call(mqtt_accounts.change)
    new_key = call(mqtt_accounts.new_key)
    remove = call(mqtt_accounts.remove)


class Tokens(Group[C]):
    """Programs that are signed in."""

    list = call(mqtt_accounts.tokens)
    revoke = call(mqtt_accounts.revoke_token)


class Browsers(Group[C]):
    """Browsers that are signed in."""

    list = call(mqtt_accounts.browsers)
    end = call(mqtt_accounts.end_browser)


class Messages(Group[C]):
    """What arrives, as it came."""

    list = call(messages.list_)
    get = call(messages.get)
    preview = call(messages.preview)
    pick = call(messages.pick)
    follow = news(messages.follow)


class Zigbee(Group[C]):
    """The Zigbee stick and its network."""

    info = call(zigbee.info)
    choose = call(zigbee.choose)


class Client(Asks):
    """What both clients have: the groups of calls, and the calls of the house."""

    def __init__(self) -> None:
        client: Any = self  # of its own type, which only the subclass knows
        self.floors: Floors[Self] = Floors(client)
        self.rooms: Rooms[Self] = Rooms(client)
        self.nodes: Nodes[Self] = Nodes(client)
        self.entities: Entities[Self] = Entities(client)
        self.conditioning: Conditioning[Self] = Conditioning(client)
        self.dashboards: Dashboards[Self] = Dashboards(client)
        self.presence: Presences[Self] = Presences(client)
        self.scenes: Scenes[Self] = Scenes(client)
        self.sequences: Sequences[Self] = Sequences(client)
        self.computed: Computed[Self] = Computed(client)
        self.pairing: Pairing[Self] = Pairing(client)
        self.automations: Automations[Self] = Automations(client)
        self.contacts: Contacts[Self] = Contacts(client)
        self.people: People[Self] = People(client)
        self.mqtt_accounts: MqttAccounts[Self] = MqttAccounts(client)
        self.tokens: Tokens[Self] = Tokens(client)
        self.browsers: Browsers[Self] = Browsers(client)
        self.messages: Messages[Self] = Messages(client)
        self.zigbee: Zigbee[Self] = Zigbee(client)

    backup = pieces(general.backup)
    house = call(general.house)
    releases = call(general.releases)
    change_house = call(rooms.change_house)
    doctor = call(general.doctor)
    trust = call(general.trust)
    review = call(general.review)
    kinds = call(general.kinds)
    journal = listing(general.journal)
    journal_events = call(general.journal_events)
    owned = call(general.owned)
    sign_in_first = call(general.sign_in_first)
    first_code = call(general.first_code)
    sign_out = call(general.sign_out)


class Blocking(Client):
    """A client whose calls block."""


class Awaited(Client):
    """A client whose calls are awaited."""
