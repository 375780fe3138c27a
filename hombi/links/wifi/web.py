"""Nodes that are reached over HTTP as their Thing Description says: read again and
again or followed by events, and written."""

from __future__ import annotations

import asyncio
import contextlib
import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any
from urllib.parse import urlsplit

import httpx
import httpx_sse

from hombi.core.kinds import Kind
from hombi.core.picking import Pick, PickError, pick_in, read_payload
from hombi.core.senml import Resolved
from hombi.core.values import show_number
from hombi.links.base import Clock, Found, LinkError, OnLink, Reports, ShutOut, Unreachable, Wanted
from hombi.links.capabilities import Acted
from hombi.links.pace import Pace
from hombi.links.thing_description import (
    MAX_DESCRIPTION,
    DescriptionError,
    check_size,
    part_of,
    read_description,
)
from hombi.links.wifi.event_stream import TooMuch, bounded
from hombi.links.wifi.forms import HttpForm, Reach, Security, read_forms
from hombi.links.wifi.origins import Guard
from hombi.links.work import Work

WELL_KNOWN = "/.well-known/wot"  # where a node keeps its description (W3C WoT Discovery, 5.2)
MAX_BYTES = 256 * 1024
TIMEOUT_S, WHOLE_S = 5.0, 15.0
MOST_SAID = 500
FAILURES_TOLD = 3
PAUSES_S = (1.0, 2.0, 5.0, 15.0, 30.0, 60.0)


@dataclass
class _Thing:
    """One node that is followed."""

    node: str
    url: str
    reach: Reach
    secret: str
    kinds: dict[str, Kind]
    shut_out: str = ""
    here: bool = False
    # Addresses whose events cannot be followed, and of which that was said.
    deaf_to: set[str] = field(default_factory=set)
    tasks: list[asyncio.Task[None]] = field(default_factory=list)
    read_now: asyncio.Event = field(default_factory=asyncio.Event)
    pace: Pace = field(default_factory=Pace)


class Web:
    """All nodes over HTTP."""

    def __init__(
        self, reports: Reports, clock: Clock, work: Work, read_every_s: float, guard: Guard
    ) -> None:
        self._reports, self._clock, self._work = reports, clock, work
        self._every_s, self._guard = read_every_s, guard
        self._things: dict[str, _Thing] = {}

    async def start(self) -> None:
        """Take up the nodes."""
        # Nothing that is packed: a few bytes can be made to unpack to a great many.
        plain = {"Accept-Encoding": "identity"}
        self._client = httpx.AsyncClient(timeout=TIMEOUT_S, trust_env=False, headers=plain)
        for thing in self._things.values():
            self._begin(thing)

    async def stop(self) -> None:
        """Let go of all of them."""
        for node in list(self._things):
            self.forget(node)
        await self._client.aclose()

    def follow(self, known: OnLink, reach: Reach) -> None:
        """Take up a node, or take note of its new address."""
        self.forget(known.node)
        kinds = {entity.name: entity.kind for entity in known.entities}
        thing = self._things[known.node] = _Thing(
            known.node, known.reach.get("url", ""), reach, known.reach.get("secret", ""), kinds
        )
        if hasattr(self, "_client"):
            self._begin(thing)

    def forget(self, node: str) -> None:
        """Let go of a node."""
        thing = self._things.pop(node, None)
        for task in thing.tasks if thing else ():
            task.cancel()

    def __contains__(self, node: str) -> bool:
        return node in self._things

    async def look(self, address: str) -> Found:
        """The description at an address as a person types it ("192.168.1.20",
        "http://loft.local/thing"). Raises LinkError."""
        url = address.strip() if "://" in address else f"http://{address.strip()}"
        try:
            split = urlsplit(url)
        except ValueError:
            split = urlsplit("")
        if split.scheme not in ("http", "https") or not split.hostname:
            raise LinkError(
                f"{address!r} is not an address; write it like 192.168.1.20 or "
                f"http://loft.local:8080/thing"
            )
        if split.path in ("", "/"):
            url = f"{split.scheme}://{split.netloc}{WELL_KNOWN}"
        await self._guard.check(url)
        try:
            async with (
                asyncio.timeout(WHOLE_S),
                self._client.stream(
                    "GET", url, headers={"accept": "application/td+json, application/json"}
                ) as answer,
            ):
                if answer.is_redirect:
                    to = answer.headers.get("location", "another address")[:200]
                    raise LinkError(f"{url} sends the hub on to {to}; give that address instead")
                if answer.status_code >= 400:
                    raise LinkError(
                        f"{url} answers {answer.status_code}; no Thing Description is there"
                    )
                body = await _content(
                    answer,
                    MAX_DESCRIPTION,
                    f"what {url} answers is over {MAX_DESCRIPTION // 1024} kB, "
                    f"no Thing Description",
                )
        except TimeoutError as error:
            raise LinkError(f"{url} did not finish its answer within {WHOLE_S:.0f} s") from error
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise LinkError(
                f"nothing answers at {url} ({str(error) or type(error).__name__})"
            ) from error
        try:
            description = json.loads(body)
        except (ValueError, RecursionError) as error:
            raise LinkError(f"what {url} answers is not JSON, so no Thing Description") from error
        try:
            check_size(description)
            thing = read_description(description)
        except DescriptionError as error:
            raise LinkError(f"{url}: {error}") from error
        ways = read_forms(description, url)
        reach = {"url": url, "description": description}
        if ways.elsewhere:
            reach["elsewhere"] = list(ways.elsewhere)
        return Found(thing.thing_id, thing.offer, reach, "wifi", ways.security.asks)

    async def send(self, node: str, wanted: Wanted) -> bool:
        """Write a value; False for an entity that has no form to be written with.
        Raises LinkError."""
        thing = self._things[node]
        form = (
            thing.reach.properties[wanted.name].write
            if wanted.name in thing.reach.properties
            else None
        )
        if not isinstance(form, HttpForm):
            return False
        value: Any = wanted.word or (wanted.value >= 0.5 if wanted.binary else wanted.value)
        await self._ask(thing, form, _number(value))
        # What was written is read back at once: that is the confirmation.
        thing.read_now.set()
        return True

    async def settings(self, node: str, names: Iterable[str]) -> dict[str, Any]:
        """The settings that the node tells, by name. Raises LinkError."""
        thing, result = self._things[node], dict[str, Any]()
        for name in names:
            ways = thing.reach.properties.get(name)
            if ways is not None and ways.read is not None:
                result[name] = read_payload(await self._ask(thing, ways.read))
        return result

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        """Raises LinkError."""
        thing = self._things[node]
        ways = thing.reach.properties.get(name)
        if ways is None or not isinstance(ways.write, HttpForm):
            raise LinkError(f"{node} has no way to have its {name} changed")
        await self._ask(thing, ways.write, value)

    async def act(self, node: str, action: str, given: Any) -> Acted:
        """Raises LinkError."""
        thing = self._things[node]
        form = thing.reach.actions.get(action)
        if not isinstance(form, HttpForm):
            raise LinkError(f"{node} has no way to be asked for {action}")
        answer = await self._ask(thing, form, given)
        return Acted(True, read_payload(answer) if answer.strip() else None)

    async def try_secret(self, reach: Reach, url: str, secret: str) -> None:
        """Read something of a node with this secret. Raises LinkError."""
        form = reach.read_all or next(
            (ways.read for ways in reach.properties.values() if isinstance(ways.read, HttpForm)),
            None,
        )
        if form is not None:
            async with asyncio.timeout(TIMEOUT_S):
                await self._ask(_Thing("the node", url, reach, secret, {}), form)

    async def _ask(self, thing: _Thing, form: HttpForm, body: Any = None) -> bytes:
        await self._guard.check(form.url, thing.url)
        try:
            async with (
                asyncio.timeout(WHOLE_S),
                self._client.stream(form.method, form.url, **_request(form, thing, body)) as answer,
            ):
                content = await _content(
                    answer, MAX_BYTES, f"{thing.node} answers over {MAX_BYTES // 1024} kB"
                )
        except TimeoutError as error:
            raise Unreachable(
                f"{thing.node} did not finish its answer at {form.url} within {WHOLE_S:.0f} s"
            ) from error
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise Unreachable(
                f"{thing.node} does not answer at {form.url} ({str(error) or type(error).__name__})"
            ) from error
        if answer.is_redirect:
            raise LinkError(
                f"{thing.node} sends the hub on to another address; that is not followed"
            )
        if answer.status_code in (401, 403):
            raise ShutOut(f"it answers {answer.status_code} to {form.method} {form.url}")
        if answer.status_code >= 400:
            sentence = content[:120].decode(errors="replace")
            raise LinkError(
                f"{thing.node} answers {answer.status_code} to {form.method} {form.url}: {sentence}"
            )
        return content

    def _begin(self, thing: _Thing) -> None:
        streamed = set()
        followed = {part_of(wire)[0] for wire in thing.kinds}
        for name, ways in thing.reach.properties.items():
            if name in followed and isinstance(ways.observe, HttpForm):
                streamed.add(name)
                events = partial(self._stream, thing, name, ways.observe)
                task = self._work.watch(f"events of {thing.node}/{name}", events)
                thing.tasks.append(task)
        for name, form in thing.reach.events.items():
            if not isinstance(form, HttpForm):
                continue  # it is picked out of what is published
            hearing = partial(self._hear, thing, name, form)
            thing.tasks.append(self._work.watch(f"events of {thing.node}: {name}", hearing))
        reading = partial(self._poll, thing, streamed)
        thing.tasks.append(self._work.watch(f"reading {thing.node}", reading))

    async def _poll(self, thing: _Thing, streamed: set[str]) -> None:
        """Read all values now and then; those that come by events only when that is
        asked for, or was long ago."""
        failures = 0
        while True:
            asked = thing.read_now.is_set()
            thing.read_now.clear()
            try:
                values = await self._read(thing, set() if asked or not failures else streamed)
                failures = 0
                self._shut_out(thing, "")
                self._observed(thing, values)
            except ShutOut as error:
                failures += 1
                self._shut_out(thing, str(error))
            except LinkError as error:
                failures += 1
                if failures == 2:
                    thing.here = False
                    self._reports.presence(thing.node, here=False)
                if not isinstance(error, Unreachable) and failures < len(PAUSES_S):
                    self._reports.refused(thing.node, str(error))
            pause = PAUSES_S[min(failures, len(PAUSES_S)) - 1] if failures else self._every_s
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(pause):
                    await thing.read_now.wait()

    async def _read(self, thing: _Thing, without: set[str]) -> list[Resolved]:
        wanted = dict.fromkeys(part_of(wire)[0] for wire in thing.kinds)
        names = [one for one in wanted if one in thing.reach.properties and one not in without]
        if thing.reach.read_all is not None:
            content = read_payload(await self._ask(thing, thing.reach.read_all))
            if not isinstance(content, Mapping):
                raise LinkError(
                    f"{thing.node} answers to a reading of all its properties with something else"
                )
            return [
                value
                for name in names
                if name in content
                for value in self._values(thing, name, content[name])
            ]
        result = []
        for name in names:
            form = thing.reach.properties[name].read
            if form is not None:
                result += self._read_values(thing, name, await self._ask(thing, form))
        return result

    async def _stream(self, thing: _Thing, name: str, form: HttpForm) -> None:
        """Follow a property."""

        def said(data: str) -> None:
            if values := self._read_values(thing, name, data.encode()):
                self._observed(thing, values)

        await self._follow(thing, form, said)

    async def _hear(self, thing: _Thing, name: str, form: HttpForm) -> None:
        """Follow an event: a press or the like is a reading, anything else that it says
        is told as a text."""

        def said(data: str) -> None:
            kind = thing.kinds.get(name)
            if kind is None or not kind.moment:
                self._reports.said(thing.node, name, _in_words(data))
            elif len(kind.words or ()) == 1:
                # It happened, whatever else it says; that is told too.
                self._observed(thing, [Resolved(name, "", self._clock.now_ms(), 0.0, True)])
                if data not in ("", "null", "true"):
                    self._reports.said(thing.node, name, _in_words(data))
            elif values := self._read_values(thing, name, data.encode()):
                self._observed(thing, values)

        await self._follow(thing, form, said)

    async def _follow(self, thing: _Thing, form: HttpForm, on_event: Callable[[str], None]) -> None:
        """Hear a stream of events, for ever; one that ends is opened again."""
        failures = 0
        while True:
            try:
                await self._guard.check(form.url, thing.url)
                sent = _request(form, thing, None)
                async with httpx_sse.aconnect_sse(
                    self._client, form.method, form.url, timeout=None, **sent
                ) as source:
                    async for event in bounded(source.response, thing.pace):
                        failures = 0
                        thing.deaf_to.discard(form.url)
                        on_event(event)
                    why = "it ends each time at once"
            except TooMuch as error:
                self._reports.refused(thing.node, str(error))
                why = ""
            except (httpx.HTTPError, httpx_sse.SSEError, LinkError) as error:
                why = str(error) or type(error).__name__
            failures += 1
            if why and thing.here and failures >= FAILURES_TOLD and form.url not in thing.deaf_to:
                thing.deaf_to.add(form.url)
                what = f"its events at {form.url} cannot be followed: {why}; it is tried again"
                self._reports.refused(thing.node, what)
            await asyncio.sleep(PAUSES_S[min(failures, len(PAUSES_S)) - 1])

    def _read_values(self, thing: _Thing, name: str, payload: bytes) -> list[Resolved]:
        try:
            content = read_payload(payload)
        except PickError as error:
            self._reports.refused(thing.node, f"{name}: {error}")
            return []
        return self._values(thing, name, content)

    def _values(self, thing: _Thing, name: str, content: Any) -> list[Resolved]:
        """What a property has: one value, or those that are parts of it."""
        result = []
        for wire, kind in thing.kinds.items():
            whole, pointer = part_of(wire)
            if whole != name:
                continue
            try:
                result.append(pick_in(content, Pick(pointer), kind, self._clock.now_ms(), wire))
            except PickError as error:
                self._reports.refused(thing.node, f"{wire}: {error}")
        return result

    def _shut_out(self, thing: _Thing, why: str) -> None:
        if why != thing.shut_out:
            thing.shut_out = why
            self._reports.shut_out(thing.node, why)

    def _observed(self, thing: _Thing, values: list[Resolved]) -> None:
        thing.here = True
        self._reports.presence(thing.node, here=True)
        if values:
            self._reports.observed(thing.node, values, None)


def _in_words(data: str) -> str:
    """What an event says, for people: a number as they write it."""
    with contextlib.suppress(ValueError, RecursionError):
        value = json.loads(data)
        if isinstance(value, int | float) and not isinstance(value, bool):
            return show_number(value)
    return data[:MOST_SAID]


def _number(value: Any) -> Any:
    """A whole number as a whole number: a node that wants an integer refuses 5.0."""
    return int(value) if isinstance(value, float) and value.is_integer() else value


async def _content(answer: httpx.Response, most: int, too_much: str) -> bytes:
    content = bytearray()
    async for part in answer.aiter_raw():
        content += part
        if len(content) > most:
            raise LinkError(too_much)
    return bytes(content)


def _request(form: HttpForm, thing: _Thing, body: Any) -> dict[str, Any]:
    sent = _credentials(thing.reach.security, thing.secret)
    if body is not None:
        plain = "json" not in form.content_type and isinstance(body, str)
        sent["content"] = body.encode() if plain else json.dumps(body).encode()
        sent.setdefault("headers", {})["content-type"] = form.content_type
    return sent


def _credentials(security: Security, secret: str) -> dict[str, Any]:
    user, _, password = secret.partition(":")
    match security.scheme:
        case "basic":
            return {"auth": httpx.BasicAuth(user, password)}
        case "digest":
            return {"auth": httpx.DigestAuth(user, password)}
        case "bearer":
            return {"headers": {"authorization": f"Bearer {secret}"}}
        case "apikey" if security.place == "query":
            return {"params": {security.name or "key": secret}}
        case "apikey":
            return {"headers": {security.name or "x-api-key": secret}}
        case _:
            return {}
