"""The client with blocking calls, on the core in `calls`."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from types import TracebackType
from typing import ParamSpec, Self, TypeVar

from hombi.client.calls import general
from hombi.client.calls.base import Call, News, Pages, Param
from hombi.client.connection import (
    QUIET_S,
    RETRY_S,
    TIMEOUT_S,
    body_of,
    signed,
)
from hombi.client.errors import HubUnreachable, problem
from hombi.client.groups import Blocking
from hombi.client.line import Line
from hombi.client.stream import PATH, POSITION, EventReader, LiveEvent
from hombi.wire.people import Token

P = ParamSpec("P")
T = TypeVar("T")
Page = TypeVar("Page")


# How much of a file is read at once.
PIECE = 64 * 1024


class Hub(Blocking):
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
        super().__init__()

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

    def _pieces(self, call: Call[bytes]) -> Iterator[bytes]:
        asked = (call.method, call.path, call.params, *body_of(call))
        with self._line.ask(*asked, quiet_s=call.quiet_s or QUIET_S) as response:
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

    def _news(self, news: News[T]) -> Iterator[T]:
        for event in self._stream(news.path, news.params):
            if isinstance(event.news, news.kind):
                yield event.news

    def _stream(
        self, path: str, params: Mapping[str, Param], after: str = ""
    ) -> Iterator[LiveEvent]:
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
    ) -> Token:
        """A token for a person; this client uses it from now on. `limit` is what it may
        do at most (`read`, `switch`, `change`); it is void after so many `days`, never
        for 0."""
        token = self._run(general.sign_in(username, password, name, limit, days, code))
        self._line.headers.update(signed(token.token))
        return token
