from __future__ import annotations

import inspect
import subprocess
import sys
import types

import httpx
import pytest

import hombi.client
from hombi.client import (
    AsyncHub,
    Hub,
    HubProblem,
    HubUnreachable,
    NotSignedIn,
    TooMany,
    Wrong,
    calls,
)
from hombi.client.errors import _BY_STATUS, problem
from hombi.client.stream import EventReader
from tests.house import free_ports


def test_its_public_names_are_those_it_lists() -> None:
    public = {
        n
        for n, v in vars(hombi.client).items()
        if not n.startswith("_") and not isinstance(v, types.ModuleType)
    }
    assert public == set(hombi.client.__all__)


def test_it_stands_alone_without_django_and_the_rest() -> None:
    program = (
        "import sys\n"
        "class Wall:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('django', 'rest_framework', 'uvicorn', "
        "'pywebpush', 'starlette') or (\n"
        "            name.startswith('hombi.') and not name.startswith('hombi.client')):\n"
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
    def methods(cls: type) -> dict[str, list[str]]:
        found = inspect.getmembers(cls, inspect.isfunction)
        return {
            name: list(inspect.signature(f).parameters)
            for name, f in found
            if not name.startswith("_")
        }

    assert methods(Hub) == methods(AsyncHub)
    made = {
        name
        for name, f in inspect.getmembers(calls, inspect.isfunction)
        if f.__module__ == calls.__name__ and name[0] != "_"
    }
    streams = {"live", "follow_messages"}
    assert made - {"message_filter"} == set(methods(Hub)) - streams - {"close"}, (
        "each call has its method, and the other way round"
    )


@pytest.mark.parametrize(
    ("status", "kind"),
    [(401, NotSignedIn), (422, Wrong), (429, TooMany), (418, HubProblem), (500, HubProblem)],
)
def test_problems_become_typed_errors(status: int, kind: type[HubProblem]) -> None:
    error = problem(status, b'{"detail": "what and what to do", "mistakes": [{"line": 3}]}')
    assert type(error) is kind
    assert (str(error), error.status, error.mistakes) == (
        "what and what to do",
        status,
        [{"line": 3}],
    )


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


def test_a_hub_that_does_not_answer_in_time_is_said_so(monkeypatch: pytest.MonkeyPatch) -> None:
    with Hub("http://127.0.0.1:1") as hub:

        def late(**_: object) -> httpx.Response:
            raise httpx.ReadTimeout("late")

        monkeypatch.setattr(hub._http, "request", late)
        with pytest.raises(HubUnreachable, match="did not answer in time"):
            hub.nodes()


def test_every_transport_error_of_httpx_is_translated(monkeypatch: pytest.MonkeyPatch) -> None:
    kinds = [
        k
        for k in vars(httpx).values()
        if isinstance(k, type) and issubclass(k, httpx.TransportError)
    ]
    assert len(kinds) > 8
    with Hub("http://127.0.0.1:1") as hub:
        for kind in kinds:

            def broken(kind: type[httpx.TransportError] = kind, **_: object) -> httpx.Response:
                raise kind("broken")

            monkeypatch.setattr(hub._http, "request", broken)
            with pytest.raises(HubUnreachable):
                hub.house()


def test_events_are_put_together_line_by_line() -> None:
    reader = EventReader()
    found = [
        reader.line(line)
        for line in (
            "retry: 1000",
            "",
            ": still here",
            "",
            "id: x-7",
            "event: reading",
            'data: {"a":',
            "data: 1}",
            "",
            "data: {}",
            "",
        )
    ]
    events = [e for e in found if e]
    assert [(e.kind, e.data, e.id) for e in events] == [
        ("reading", {"a": 1}, "x-7"),
        ("message", {}, "x-7"),
    ]
    assert reader.headers["Last-Event-ID"] == "x-7"
