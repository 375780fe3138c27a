"""The API described to programs, as OpenAPI: the shapes of `hombi.wire` are the only
source of what is taken and given. Whoever loads this loads the library that does it, 3
MB and more with each description: it is loaded when somebody asks."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules
from typing import Any

import msgspec

from hombi import wire
from hombi.core.series.export import FORMATS
from hombi.service.api.wire_schema import TEMPLATE
from hombi.wire.base import Ask, Shape
from hombi.wire.live import NEWS

_STREAM: list[dict[str, list[str]]] = [{"token": []}, {"cookieAuth": []}]


def _shapes() -> list[type[msgspec.Struct]]:
    """All shapes that go over the API."""
    modules = [import_module(f"{wire.__name__}.{m.name}") for m in iter_modules(wire.__path__)]
    return [
        shape
        for module in modules
        for shape in vars(module).values()
        if isinstance(shape, type)
        and issubclass(shape, msgspec.Struct)
        and shape.__module__ == module.__name__
        and shape not in (Shape, Ask)
    ]


def add_wire(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Add the shapes, the streams, which are plain views, and problem details as every
    operation's error."""
    _, components = msgspec.json.schema_components(
        [*_shapes(), *NEWS.values()], ref_template=TEMPLATE
    )
    schemas = result["components"].setdefault("schemas", {})
    schemas.update(sorted(components.items()))
    kinds = "; ".join(f"`{kind}` is {shape.__name__}" for kind, shape in NEWS.items())
    result["paths"]["/api/live"] = _stream(
        "live",
        f"Server-Sent Events. {kinds}. Begin after a position with `after` (each answer has "
        "one in its header Hombi-Live), or resume with Last-Event-ID; the event `reset` means "
        "that some were missed: fetch the present state again.",
        [{"in": "query", "name": "after", "schema": {"type": "string"}}],
        {"oneOf": [{"$ref": TEMPLATE.format(name=shape.__name__)} for shape in NEWS.values()]},
    )
    filters: list[dict[str, Any]] = [
        {"in": "query", "name": n, "schema": {"type": "string"}} for n in ("topic", "node", "text")
    ]
    number = {"type": "integer"}
    filters.append({"in": "query", "name": "after", "schema": number})
    result["paths"]["/api/messages/live"] = _stream(
        "messages_live",
        "Server-Sent Events: `messages`, each with the messages that fit and came since the "
        "one before, and how many were passed over because more came than anybody can read.",
        filters,
        {"$ref": TEMPLATE.format(name="Messages")},
    )
    result["paths"]["/api/entities/{node}/{name}/export"] = _file()
    problem = {"$ref": TEMPLATE.format(name="Problem")}
    content = {"application/problem+json": {"schema": problem}}
    for path in result["paths"].values():
        for one in path.values():
            answer = {"description": "a problem", "content": content}
            one.setdefault("responses", {})["default"] = answer
    return result


def _file() -> dict[str, Any]:
    text, number = {"type": "string"}, {"type": "integer"}
    query: list[dict[str, Any]] = [
        {"in": "query", "name": "format", "schema": {"enum": list(FORMATS), "type": "string"}},
        {"in": "query", "name": "span", "schema": text},
        {"in": "query", "name": "start", "schema": number},
        {"in": "query", "name": "end", "schema": number},
    ]
    place = [{"in": "path", "name": n, "schema": text, "required": True} for n in ("node", "name")]
    content = {one.media_type.partition(";")[0]: {"schema": text} for one in FORMATS.values()}
    about = "An entity's single readings of a span as a file, the bad ones too; any number of them."
    return {
        "get": {
            "operationId": "entities_export",
            "description": about,
            "parameters": [*place, *query],
            "tags": ["api"],
            "responses": {"200": {"description": "the file", "content": content}},
        }
    }


def _stream(
    name: str, about: str, parameters: list[dict[str, Any]], schema: dict[str, Any]
) -> dict[str, Any]:
    content = {"text/event-stream": {"schema": schema}}
    return {
        "get": {
            "operationId": name,
            "description": about,
            "tags": [name.split("_", maxsplit=1)[0]],
            "parameters": parameters,
            "security": _STREAM,
            "responses": {"200": {"description": "the stream", "content": content}},
        }
    }
