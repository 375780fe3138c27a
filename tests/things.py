"""A bought node, as tests need it: it describes itself (W3C WoT TD 1.1), asks for a
password, and can move and fall silent."""

from __future__ import annotations

import asyncio
import base64
import contextlib
import json
import threading
import time
from collections.abc import AsyncIterator, Iterator
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse
from starlette.routing import Route
from zeroconf import ServiceInfo, Zeroconf

from tests.house import free_ports

USER, PASSWORD = "vane", "east-by-north"


@dataclass
class Vane:
    """A weather vane: wind (told by events), rain (read), a lamp (set), its interval (a
    setting), and `park` (an action)."""

    values: dict[str, Any] = field(
        default_factory=lambda: {"wind": 4.5, "rain": 0.2, "lamp": False, "interval": 10}
    )
    parked: list[Any] = field(default_factory=list)
    locked: bool = True
    obeys: bool = True
    streams: bool = True
    password: str = PASSWORD
    thing_id: str = "urn:uuid:4c1d0a3e-0000-4000-8000-00000000face"
    port: int = field(default_factory=lambda: free_ports(1)[0])
    _server: uvicorn.Server | None = None

    def __post_init__(self) -> None: ...

    def description(self) -> dict[str, Any]:
        def forms(name: str, *more: dict[str, Any]) -> list[dict[str, Any]]:
            return [{"href": f"/p/{name}"}, *more]

        return {
            "@context": "https://www.w3.org/2022/wot/td/v1.1",
            "id": self.thing_id,
            "title": "Boathouse vane",
            "securityDefinitions": {"basic_sc": {"scheme": "basic", "in": "header"}},
            "security": ["basic_sc"] if self.locked else [],
            "properties": {
                "wind": {
                    "type": "number", "unit": "m/s", "readOnly": True,
                    "forms": forms("wind", 
                        {"href": "/e/wind", "op": "observeproperty", "subprotocol": "sse"}),
                },
                "rain": {"type": "number", "unit": "mm", "readOnly": True, "forms": forms("rain")},
                "lamp": {"type": "boolean", "forms": forms("lamp")},
                "interval": {
                    "type": "integer", "unit": "s", "minimum": 5, "maximum": 60,
                    "title": "Interval", "forms": forms("interval")
                },
                "picture": {"type": "string", "forms": [{"href": "coap://vane.local/picture"}]},
            },
            "actions": {
                "park": {
                    "title": "Park",
                    "input": {"type": "object", "properties": {
                        "minutes": {"type": "integer", "minimum": 1, "maximum": 60}}},
                    "forms": [{"href": "/a/park"}],
                }
            },
            "events": {"gust": {"data": {"type": "number"},
                                "forms": [{"href": "/e/gust", "subprotocol": "longpoll"}]}},
        }  # fmt: skip

    def more_routes(self) -> list[Route]:
        return []

    def start(self) -> Vane:
        routes = [
            Route("/.well-known/wot", self._td),
            Route("/p/{name}", self._property, methods=["GET", "PUT"]),
            Route("/e/wind", self._events),
            *self.more_routes(),
            Route("/a/park", self._park, methods=["POST"]),
        ]
        self._server = uvicorn.Server(
            uvicorn.Config(
                Starlette(routes=routes),
                host="127.0.0.1",
                port=self.port,
                log_level="error",
                lifespan="off",
            )
        )
        threading.Thread(target=self._server.run, daemon=True).start()
        while not self._server.started:
            time.sleep(0.01)
        return self

    def stop(self) -> None:
        if self._server is not None:
            self._server.force_exit = self._server.should_exit = True
            ends = time.monotonic() + 5
            while (
                any(server.is_serving() for server in self._server.servers)
                and time.monotonic() < ends
            ):
                time.sleep(0.01)
            self._server = None

    @contextlib.contextmanager
    def announced(self) -> Iterator[None]:
        """By DNS-SD, on loopback."""
        zeroconf = Zeroconf(interfaces=["127.0.0.1"])
        service = "_wot._tcp.local."
        info = ServiceInfo(
            service, f"Boathouse vane {self.port}.{service}", port=self.port,
            server=f"vane-{self.port}.local.",
            parsed_addresses=["127.0.0.1"],
            properties={"td": "/.well-known/wot", "type": "Thing", "scheme": "http"},
        )  # fmt: skip
        zeroconf.register_service(info, cooperating_responders=True)
        try:
            yield
        finally:
            zeroconf.unregister_all_services()
            zeroconf.close()

    def _may(self, request: Request) -> bool:
        wanted = "Basic " + base64.b64encode(f"{USER}:{self.password}".encode()).decode()
        return not self.locked or request.headers.get("authorization") == wanted

    async def _td(self, request: Request) -> Response:
        return JSONResponse(self.description(), media_type="application/td+json")

    async def _property(self, request: Request) -> Response:
        if not self._may(request):
            return Response(status_code=401)
        name = request.path_params["name"]
        if request.method == "PUT":
            if self.obeys:
                self.values[name] = await request.json()
            return Response(status_code=204)
        return JSONResponse(self.values[name])

    async def _events(self, request: Request) -> Response:
        if not self._may(request):
            return Response(status_code=401)
        if not self.streams:
            return JSONResponse({"error": "no such stream"}, status_code=404)

        async def events() -> AsyncIterator[str]:
            told = None
            while self.streams and self._server is not None and not self._server.should_exit:
                if self.values["wind"] != told:
                    told = self.values["wind"]
                    yield f"data: {json.dumps(told)}\n\n"
                await asyncio.sleep(0.02)

        return StreamingResponse(events(), media_type="text/event-stream")

    async def _park(self, request: Request) -> Response:
        if not self._may(request):
            return Response(status_code=401)
        self.parked.append(await request.json())
        return JSONResponse({"until": "noon"})


class Buoy(Vane):
    """It describes itself over HTTP, and speaks over MQTT, on topics of its own."""

    def description(self) -> dict[str, Any]:
        at = f"mqtt://127.0.0.1:{self.mqtt_port}/mill/buoy"
        away = "mqtt://192.0.2.9/mill/buoy/depth"
        properties = {
            "waves": {
                "type": "number", "unit": "cm", "readOnly": True,
                "forms": [{"href": f"{at}/waves", "op": "observeproperty",
                           "mqv:controlPacket": "subscribe"}],
            },
            "lamp": {
                "type": "boolean",
                "forms": [{"href": f"{at}/lamp", "op": "observeproperty"},
                          {"href": f"{at}/lamp/set", "op": "writeproperty"}],
            },
            "depth": {"type": "number", "unit": "m", "readOnly": True,
                      "forms": [{"href": away, "op": "observeproperty"}]},
        }  # fmt: skip
        described = super().description()
        actions = {"blow": {"title": "Blow", "forms": [{"href": f"{at}/blow"}]}}
        return {
            **described,
            "title": "Weir buoy",
            "properties": properties,
            "actions": actions,
            "security": [],
        }

    mqtt_port = 0


class Snare:
    """What listens elsewhere, and notes all that it is asked, with what credentials."""

    def __init__(self) -> None:
        self.asked: list[tuple[str, str, str]] = []
        snare = self

        class Handler(BaseHTTPRequestHandler):
            def _take(self) -> None:
                snare.asked.append((self.command, self.path, self.headers.get("Authorization", "")))
                body = {"/.well-known/wot": b"hello", "/%7B%7D": b"{}", "/{}": b"{}"}.get(
                    self.path, b"7.5"
                )
                self.send_response(int(self.path[1:]) if self.path[1:].isdigit() else 200)
                self.send_header("Location", "http://elsewhere/")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            do_GET = do_PUT = do_POST = do_DELETE = _take  # noqa: N815

            def log_message(self, *_: Any) -> None: ...

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self.server.server_address[1]}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()


class Sly(Vane):
    """A node whose description sends the hub elsewhere."""

    elsewhere = ""
    redirected = ""

    def description(self) -> dict[str, Any]:
        result = super().description()
        result["properties"]["rain"]["forms"] = [
            {"href": f"{self.elsewhere}/rain", "htv:methodName": "DELETE"}
        ]
        result["actions"]["park"]["forms"] = [{"href": f"{self.elsewhere}/park"}]
        return result

    async def _property(self, request: Request) -> Response:
        if self.redirected:
            return Response(status_code=307, headers={"Location": self.redirected})
        return await super()._property(request)


class Station(Vane):
    """It tells its climate in one object, in the unit that its address asks for, and of
    squalls as they come."""

    squalls: tuple[str, ...] = ()

    def description(self) -> dict[str, Any]:
        result = super().description()
        climate = {"t": {"type": "number", "unit": "Cel"}, "rh": {"type": "number", "unit": "%"}}
        result["properties"] = {
            "climate": {
                "type": "object", "title": "Climate", "readOnly": True, "properties": climate,
                "uriVariables": {"unit": {"type": "string", "default": "Cel"}},
                "forms": [{"href": "/climate{?unit}"}],
            },
            "unreached": {"type": "number", "readOnly": True},
        }  # fmt: skip
        result["actions"] = {}
        result["events"] = {
            "squall": {"forms": [{"href": "/e/squall", "subprotocol": "sse"}]},
            "gust": {"forms": [{"href": "/e/gust", "subprotocol": "longpoll"}]},
        }
        return {**result, "title": "Terrace station", "security": []}

    def more_routes(self) -> list[Route]:
        return [Route("/climate", self._climate), Route("/e/squall", self._squalls)]

    async def _climate(self, request: Request) -> Response:
        warm = {"Cel": 11.5}[request.query_params["unit"]]
        return JSONResponse({"t": warm, "rh": 81})

    async def _squalls(self, request: Request) -> Response:
        async def events() -> AsyncIterator[str]:
            told = 0
            while self._server is not None and not self._server.should_exit:
                for text in self.squalls[told:]:
                    yield f"data: {text}\n\n"
                told = len(self.squalls)
                await asyncio.sleep(0.02)

        return StreamingResponse(events(), media_type="text/event-stream")


class Tap(Vane):
    """The dairy's tap: how it pours is one of several words, its button tells how it
    was pressed over a stream of events, its bell rings over MQTT."""

    mqtt_port = 0

    def __post_init__(self) -> None:
        self.values |= {"mode": "drip", "state": {"valve": "shut", "litres": 12}}
        self.presses: list[str] = []
        self.locked = False

    def description(self) -> dict[str, Any]:
        bell = f"mqtt://127.0.0.1:{self.mqtt_port}/mill/tap/bell"
        return {
            **super().description(),
            "title": "Dairy tap",
            "security": [],
            "properties": {
                "mode": {
                    "type": "string", "enum": ["drip", "pour", "off"], "title": "Mode",
                    "forms": [{"href": "/p/mode"}],
                },
                "state": {
                    "type": "object", "readOnly": True, "forms": [{"href": "/p/state"}],
                    "properties": {
                        "valve": {"type": "string", "enum": ["open", "shut"]},
                        "litres": {"type": "number", "unit": "om:litre"},
                    },
                },
                "flow-sensitivity": {
                    "type": "string", "enum": ["low", "high"], "forms": [{"href": "/p/mode"}],
                },
                "note": {"type": "string", "enum": ["a", 5], "forms": [{"href": "/p/mode"}]},
            },
            "actions": {},
            "events": {
                "button": {
                    "data": {"type": "string", "enum": ["short", "long"]},
                    "forms": [{"href": "/e/button", "subprotocol": "sse"}],
                },
                "bell": {"forms": [{"href": bell, "mqv:controlPacket": "subscribe"}]},
                "silent": {"data": {"type": "string", "enum": ["a"]}},
            },
        }  # fmt: skip

    def more_routes(self) -> list[Route]:
        return [Route("/e/button", self._button)]

    async def _button(self, request: Request) -> Response:
        async def events() -> AsyncIterator[str]:
            told = len(self.presses)
            yield ": here\n\n"
            while self._server is not None and not self._server.should_exit:
                for text in self.presses[told:]:
                    yield f"data: {text}\n\n"
                told = len(self.presses)
                await asyncio.sleep(0.02)

        return StreamingResponse(events(), media_type="text/event-stream")
