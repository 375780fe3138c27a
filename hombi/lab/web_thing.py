"""Nodes that describe themselves and are reached over HTTP (W3C WoT TD 1.1), announced
by DNS-SD, as bought ones are."""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
import json
import socket
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from typing import Any

import httpx
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse
from starlette.routing import Route
from zeroconf.asyncio import AsyncServiceInfo, AsyncZeroconf

from hombi.lab.physics import Mill
from hombi.lab.property import Property

SERVICE = "_wot._tcp.local."
TOLD_EVERY_S = 2.0


@dataclass(frozen=True, slots=True)
class ThingPlan:
    """One such node: what it senses, which of that it tells by itself (SSE), its
    settings and its actions.

    `settings` are property affordances by name; `starts` are their values when it is
    new. `house` tells the nodes of one demo from those of another that runs beside it.
    """

    address: str
    title: str
    about: str
    room: str
    properties: tuple[Property, ...]
    told: tuple[str, ...] = ()
    settings: dict[str, dict[str, Any]] = field(default_factory=dict)
    starts: dict[str, Any] = field(default_factory=dict)
    actions: dict[str, dict[str, Any]] = field(default_factory=dict)
    extra: dict[str, dict[str, Any]] = field(default_factory=dict)
    house: str = ""

    @property
    def thing_id(self) -> str:
        """A name that the node keeps."""
        named = (self.address + self.house).encode()
        return f"urn:uuid:{hashlib.md5(named, usedforsecurity=False).hexdigest()}"


class WebThing:
    """A node at /things/<address>."""

    def __init__(self, plan: ThingPlan, mill: Mill) -> None:
        self.plan, self._mill = plan, mill
        self.kept: dict[str, Any] = {p.name: False for p in plan.properties if p.switches} | dict(
            plan.starts
        )
        self.done: list[tuple[str, Any]] = []
        # The files that it was given the addresses of, and fetched.
        self.played: list[bytes] = []

    @property
    def path(self) -> str:
        """Where it is."""
        return f"/things/{self.plan.address}"

    def description(self) -> dict[str, Any]:
        """Its Thing Description; addresses are relative to its `base`."""
        plan = self.plan
        properties: dict[str, Any] = {}
        for prop in plan.properties:
            forms: list[dict[str, Any]] = [
                {"href": f"properties/{prop.name}", "op": ["readproperty"]}
            ]
            if prop.switches:
                forms.append({"href": f"properties/{prop.name}", "op": ["writeproperty"]})
            if prop.name in plan.told:
                forms.append(
                    {"href": f"told/{prop.name}", "op": "observeproperty", "subprotocol": "sse"}
                )
            properties[prop.name] = {**prop.description(), "forms": forms}
        for name, affordance in (plan.settings | plan.extra).items():
            properties[name] = {**affordance, "forms": [{"href": f"properties/{name}"}]}
        actions = {
            name: {**one, "forms": [{"href": f"actions/{name}"}]}
            for name, one in plan.actions.items()
        }
        return {
            "@context": "https://www.w3.org/2022/wot/td/v1.1",
            "id": plan.thing_id,
            "title": plan.title,
            "description": plan.about,
            "securityDefinitions": {"nosec_sc": {"scheme": "nosec"}},
            "security": "nosec_sc",
            "base": f"{self.path}/",
            "properties": properties,
            "actions": actions,
        }

    def routes(self) -> list[Route]:
        """What it serves."""
        return [
            Route(self.path, self._td),
            Route(f"{self.path}/properties/{{name}}", self._property, methods=["GET", "PUT"]),
            Route(f"{self.path}/told/{{name}}", self._told),
            Route(f"{self.path}/actions/{{name}}", self._act, methods=["POST"]),
        ]

    def value(self, name: str) -> Any:
        """A property as it is now."""
        if name in self.kept:
            return self.kept[name]
        prop = next(p for p in self.plan.properties if p.name == name)
        value = prop.sense(self._mill)
        return bool(value) if prop.type == "boolean" else round(float(value), 2)

    async def _td(self, request: Request) -> Response:
        return JSONResponse(self.description(), media_type="application/td+json")

    async def _property(self, request: Request) -> Response:
        name = request.path_params["name"]
        if name not in self.kept and name not in [p.name for p in self.plan.properties]:
            return Response(status_code=404)
        if request.method == "PUT":
            if name not in self.kept:
                return Response("it is only read", status_code=405)
            self.kept[name] = await request.json()
            return Response(status_code=204)
        return JSONResponse(self.value(name))

    async def _told(self, request: Request) -> Response:
        name = request.path_params["name"]

        async def events() -> AsyncIterator[str]:
            while True:
                yield f"data: {json.dumps(self.value(name))}\n\n"
                await asyncio.sleep(TOLD_EVERY_S)

        return StreamingResponse(events(), media_type="text/event-stream")

    async def _act(self, request: Request) -> Response:
        body, name = await request.body(), request.path_params["name"]
        given: Any = json.loads(body) if body else None
        self.done.append((name, given))
        wanted = self.plan.actions.get(name, {}).get("input", {}).get("properties", {})
        for place in [one for one, about in wanted.items() if about.get("format") == "uri"]:
            async with httpx.AsyncClient(trust_env=False, timeout=10) as http:
                answer = await http.get(given[place])
            if answer.status_code != httpx.codes.OK:
                return Response(f"{given[place]} answers {answer.status_code}", status_code=502)
            self.played.append(answer.content)
        return JSONResponse({"started": name})


@contextlib.asynccontextmanager
async def announced(things: list[WebThing], port: int) -> AsyncIterator[None]:
    """The nodes, announced on loopback. A network that does not allow it is no reason
    not to run."""
    zeroconf = None
    with contextlib.suppress(OSError):
        zeroconf = AsyncZeroconf(interfaces=["127.0.0.1"])
        for thing in things:
            info = AsyncServiceInfo(
                SERVICE, f"{thing.plan.title} {port}.{SERVICE}", port=port,
                server=f"{thing.plan.address}-{port}.local.",
                addresses=[socket.inet_aton("127.0.0.1")],
                properties={"td": thing.path, "type": "Thing", "scheme": "http"},
            )  # fmt: skip
            await zeroconf.async_register_service(info, cooperating_responders=True)
    try:
        yield
    finally:
        if zeroconf is not None:
            await zeroconf.async_unregister_all_services()
            await zeroconf.async_close()
