"""The client with asynchronous calls, on the core in `calls`."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Mapping
from http.cookiejar import CookieJar, DefaultCookiePolicy
from pathlib import Path
from types import TracebackType
from typing import ParamSpec, Self, TypeVar

import httpx

from hombi.client.calls import general
from hombi.client.calls.base import Call, News, Pages, Param
from hombi.client.connection import (
    QUIET_S,
    RETRY_S,
    TIMEOUT_S,
    body_of,
    signed,
    trusting,
)
from hombi.client.errors import HubUnreachable, problem, unreachable
from hombi.client.groups import Awaited
from hombi.client.stream import PATH, POSITION, EventReader, LiveEvent
from hombi.wire.people import Token

P = ParamSpec("P")
T = TypeVar("T")
Page = TypeVar("Page")


def _no_cookies() -> CookieJar:
    """Tokens say who is asking; a session's cookie beside them would only contradict
    them."""
    return CookieJar(DefaultCookiePolicy(allowed_domains=[]))


class AsyncHub(Awaited):
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
        super().__init__()

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

    async def _pieces(self, call: Call[bytes]) -> AsyncIterator[bytes]:
        timeout = httpx.Timeout(TIMEOUT_S, read=call.quiet_s or QUIET_S)
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

    async def _news(self, news: News[T]) -> AsyncIterator[T]:
        async for event in self._stream(news.path, news.params):
            if isinstance(event.news, news.kind):
                yield event.news

    async def _stream(
        self, path: str, params: Mapping[str, Param], after: asyncio.Future[str] | None = None
    ) -> AsyncIterator[LiveEvent]:
        reader, failures = EventReader(last_id=await after if after is not None else ""), 0
        while True:
            try:
                timeout = httpx.Timeout(TIMEOUT_S, read=QUIET_S)
                async with self._http.stream(
                    "GET", path, params=dict(params), headers=reader.headers, timeout=timeout
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
    ) -> Token:
        """A token for a person; this client uses it from now on. `limit` is what it may
        do at most (`read`, `switch`, `change`); it is void after so many `days`, never
        for 0."""
        token = await self._run(general.sign_in(username, password, name, limit, days, code))
        self._http.headers.update(signed(token.token))
        return token
