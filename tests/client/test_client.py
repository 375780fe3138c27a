from __future__ import annotations

import inspect
import select
import socket
import subprocess
import sys
import threading
import types
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from importlib import import_module
from pkgutil import iter_modules
from typing import Any

import msgspec
import pytest

import hombi.client
from hombi.client import (
    AsyncHub,
    Hub,
    HubProblem,
    HubUnreachable,
    Missing,
    NotSignedIn,
    TooMany,
    Wrong,
    calls,
)
from hombi.client.calls import nodes as calls_nodes
from hombi.client.errors import _BY_STATUS, problem
from hombi.client.groups import Entities, Messages
from hombi.client.stream import EventReader
from hombi.wire.automations import Mistake
from hombi.wire.live import ReadingNews
from tests.house import Joined, Service, free_ports


def test_its_public_names_are_those_it_lists() -> None:
    public = {
        n
        for n, v in vars(hombi.client).items()
        if not n.startswith("_") and not isinstance(v, types.ModuleType)
    }
    # One of them is loaded when it is asked for.
    assert public - {"TYPE_CHECKING", "Any"} | {"AsyncHub"} == set(hombi.client.__all__)
    assert hombi.client.AsyncHub.__name__ == "AsyncHub"


def test_it_stands_alone_without_django_and_the_rest() -> None:
    program = (
        "import sys\n"
        "class Wall:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('django', 'rest_framework', 'uvicorn', "
        "'py_vapid', 'starlette') or (\n"
        "            name.startswith('hombi.')\n"
        "            and not name.startswith(('hombi.client', 'hombi.wire'))):\n"
        "            raise ImportError('walled off: ' + name)\n"
        "sys.meta_path.insert(0, Wall())\n"
        "import hombi.client\n"
        "print(hombi.client.Hub('http://127.0.0.1:1').url)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, check=False
    )
    assert done.stdout == "http://127.0.0.1:1\n", done.stderr


def test_both_clients_have_the_same_methods() -> None:
    def methods(of: object) -> dict[str, Any]:
        result = inspect.getmembers(type(of), inspect.isfunction)
        return {
            name: (list(inspect.signature(f).parameters), inspect.getdoc(f))
            for name, f in result
            if not name.startswith("_")
        }

    def groups(of: Hub | AsyncHub) -> dict[str, Any]:
        nouns = {name: methods(group) for name, group in vars(of).items() if name[0] != "_"}
        return {"": methods(of), **nouns}

    with Hub() as hub:
        assert groups(hub) == groups(AsyncHub())
        dressed = {
            (text, tuple(parameters[1:]))
            for one in groups(hub).values()
            for parameters, text in one.values()
        }
    beside = {"entity_path", "given", "message_filter", "path", "unless_none"}
    for module in iter_modules(calls.__path__):
        made = import_module(f"{calls.__name__}.{module.name}")
        for name, f in inspect.getmembers(made, inspect.isfunction):
            if f.__module__ == made.__name__ and name not in beside:
                own = (inspect.getdoc(f), tuple(inspect.signature(f).parameters))
                assert own in dressed, f"{module.name}.{name} has no method"


def test_what_comes_in_pieces_is_said_so() -> None:
    for method in (Hub.backup, Entities.export):
        assert inspect.signature(method).return_annotation == "Iterator[bytes]"
    assert inspect.signature(Messages.follow).return_annotation == "Iterator[Messages]"


def test_what_the_hub_is_asked_has_typed_arguments_and_unknown_ones_raise() -> None:
    with Hub() as hub, pytest.raises(TypeError, match="colour"):
        hub.messages.preview("mill/+/state", "temperature", colour="red")  # type: ignore[call-arg]
    with pytest.raises(TypeError, match="colour"):
        calls_nodes.rename("rack", colour="red")  # type: ignore[call-arg]


@pytest.mark.parametrize(
    ("status", "kind"),
    [(401, NotSignedIn), (422, Wrong), (429, TooMany), (418, HubProblem), (500, HubProblem)],
)
def test_problems_become_typed_errors(status: int, kind: type[HubProblem]) -> None:
    mistake = Mistake(line=3, column=1, what="no", hint="", source_line="x")
    said = {"detail": "what and what to do", "mistakes": [mistake]}
    error = problem(status, msgspec.json.encode(said))
    assert type(error) is kind
    assert (str(error), error.status) == ("what and what to do", status)
    assert error.mistakes == [mistake]


def test_an_answer_without_words_is_an_error_with_words() -> None:
    assert str(problem(502, b"<html>")) == "the hub answered 502 without saying why"
    assert all(issubclass(kind, HubProblem) for kind in _BY_STATUS.values())


def test_a_hub_that_is_not_there_is_said_so() -> None:
    (port,) = free_ports(1)
    with (
        Hub(f"http://127.0.0.1:{port}") as hub,
        pytest.raises(HubUnreachable, match=rf"127.0.0.1:{port} cannot be reached"),
    ):
        hub.house()


@contextmanager
def stand_in(*answers: bytes | None) -> Iterator[str]:
    """A server that sends these bytes, one answer for each request; None ends the
    connection, and the next connection gets the rest."""

    def serve() -> None:
        with suppress(OSError):  # the test is over
            serve_all(iter(answers))

    def serve_all(left: Iterator[bytes | None]) -> None:
        for connection in iter(lambda: server.accept()[0], None):
            with connection, suppress(ConnectionError):
                for answer in left:
                    if not connection.recv(65536) or answer is None:
                        break
                    connection.sendall(answer)
                else:
                    done.wait(5)
                    return

    done = threading.Event()
    with socket.create_server(("127.0.0.1", 0)) as server:
        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        yield f"http://127.0.0.1:{server.getsockname()[1]}"
        done.set()


def said(body: bytes, more: bytes = b"") -> bytes:
    return b"HTTP/1.1 200 OK\r\n%bContent-Length: %d\r\n\r\n%b" % (more, len(body), body)


def test_a_hub_that_does_not_answer_in_time_is_said_so(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hombi.client.hub.TIMEOUT_S", 0.1)
    with (
        stand_in(b"") as url,
        Hub(url) as hub,
        pytest.raises(HubUnreachable, match="did not answer in time"),
    ):
        hub.nodes.list()


@pytest.mark.parametrize(
    "answer",
    [
        None,
        b"no HTTP at all\r\n\r\n",
        b"HTTP/1.1 200 OK\r\nContent-Length: 99\r\n\r\n[",
        b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\n",
        b"HTTP/1.1 200 OK\r\n" + b"X: y\r\n" * 1_000,
        b"HTTP/1.1 200 OK\r\nX: " + b"y" * 100_000,
    ],
)
def test_an_answer_that_is_none_is_no_answer(answer: bytes | None) -> None:
    with stand_in(answer, None, None) as url, Hub(url) as hub:
        hub._line._timeout_s = 0.5
        with pytest.raises(HubUnreachable):
            hub.nodes.list()
        assert not hub._line._kept


def test_a_connection_is_kept_and_one_that_the_hub_has_ended_is_not_used() -> None:
    with stand_in(said(b"[]"), said(b"[]"), None, said(b"[]")) as url, Hub(url) as hub:
        assert [hub.nodes.list(), hub.nodes.list()] == [[], []]
        (kept,) = hub._line._kept
        kept.sock.send(b"so that it ends")
        select.select([kept.sock], [], [], 5)
        assert hub.nodes.list() == []
        assert hub._line._kept != [kept]


def test_threads_have_connections_of_their_own(service: Service) -> None:
    with Hub(service.url) as hub:
        with ThreadPoolExecutor(8) as pool:
            answers = list(pool.map(lambda _: hub.owned(), range(64)))
        assert answers == [answers[0]] * 64
        assert 1 <= len(hub._line._kept) <= 8


@pytest.mark.parametrize("url", ["mill", "ftp://mill", "http://", "http://mill:none", "http://[1"])
def test_what_is_no_address_is_said_so(url: str) -> None:
    with Hub(url) as hub, pytest.raises(HubUnreachable, match="write it as http://name:port"):
        hub.nodes.list()


def test_events_are_put_together_line_by_line() -> None:
    reader = EventReader()
    result = [
        reader.line(line)
        for line in (
            "retry: 1000",
            "",
            ": still here",
            "",
            "id: x-7",
            "event: reading",
            'data: {"entity": "rack/humidity", "at": 1, "value": 84.5, "raw": 84.5,',
            'data: "quality": "good", "reason": "", "of a newer hub": 1}',
            "",
            "event: of a newer hub",
            "data: {}",
            "",
        )
    ]
    events = [e for e in result if e]
    news = ReadingNews(
        entity="rack/humidity", at=1, value=84.5, raw=84.5, quality="good", reason=""
    )
    assert [(e.kind, e.news, e.id) for e in events] == [
        ("reading", news, "x-7"),
        ("of a newer hub", None, "x-7"),
    ]
    assert reader.headers["Last-Event-ID"] == "x-7"


def test_the_help_of_a_call_says_what_it_returns() -> None:
    assert str(inspect.signature(Hub.house)).endswith("-> 'House'")
    with Hub("http://127.0.0.1:1") as hub:
        assert str(inspect.signature(hub.nodes.list)) == "() -> 'list[Node]'"
        told = str(inspect.signature(hub.entities.readings))
        assert told.endswith("-> 'Iterator[Reading]'")


def test_an_entity_is_named_by_its_address_or_as_people_call_it(
    service: Service, mister: Joined
) -> None:
    mister.post([{"n": "switch", "vb": False}])
    with mister.connected(), service.hub() as hub:
        name = hub.entities.get("cellar-mister/switch").spoken
        for called, to in ((name, "on"), (name.upper(), "off"), ("cellar-mister/switch", "on")):
            assert hub.entities.set(called, to).state == "confirmed"
        assert hub.entities.get(name).value == 1.0
        assert len(hub.entities.history(name).at) >= 1
        with pytest.raises(Missing, match="no entity Celar mister; did you mean"):
            hub.entities.set("Celar mister", "on")
