"""The OpenAPI schema: what the generator cannot see by itself."""

from __future__ import annotations

from typing import Any


def add_live(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Add the live stream, which is a plain view, and problem details as every
    operation's error."""
    result["paths"]["/api/live"] = {
        "get": {
            "operationId": "live",
            "description": "Server-Sent Events: reading, node, arrival, "
            "pairing, house, automation, "
            "command, journal, notice, "
            "phone. Resume with Last-Event-ID; the event `reset` means that some were "
            "missed: fetch the present state anew.",
            "tags": ["live"],
            "security": [{"token": []}, {"cookieAuth": []}],
            "responses": {
                "200": {
                    "description": "the stream",
                    "content": {"text/event-stream": {"schema": {"type": "string"}}},
                }
            },
        }
    }
    filters: list[dict[str, Any]] = [
        {"in": "query", "name": n, "schema": {"type": "string"}} for n in ("topic", "node", "text")
    ]
    filters.append(
        {
            "in": "query",
            "name": "after",
            "schema": {"type": "integer"},
            "description": "a message's number",
        }
    )
    result["paths"]["/api/messages/live"] = {
        "get": {
            "operationId": "messages_live",
            "description": "Server-Sent Events: `messages`, each with "
            "the messages that fit and came "
            "since the one before, and how "
            "many were passed over because more came than anybody can read.",
            "tags": ["messages"],
            "parameters": filters,
            "security": [{"token": []}, {"cookieAuth": []}],
            "responses": {
                "200": {
                    "description": "the stream",
                    "content": {"text/event-stream": {"schema": {"type": "string"}}},
                }
            },
        }
    }
    result["components"].setdefault("schemas", {})["Problem"] = {
        "type": "object",
        "description": "RFC 9457",
        "required": ["title", "status", "detail"],
        "properties": {
            "type": {"type": "string"},
            "title": {"type": "string"},
            "status": {"type": "integer"},
            "detail": {"type": "string"},
            "mistakes": {"type": "array", "items": {"$ref": "#/components/schemas/Mistake"}},
        },
    }
    answer = {
        "description": "a problem",
        "content": {
            "application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}
        },
    }
    for path in result["paths"].values():
        for operation in path.values():
            operation.setdefault("responses", {})["default"] = answer
    return result
