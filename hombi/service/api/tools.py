"""A person's own tools at the MQTT door, and how the hub is."""

from __future__ import annotations

from typing import Any

from django.db import connection
from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.doctor import look
from hombi.hub.house import Tool
from hombi.links.base import Check
from hombi.service.api.shapes import Shape, checked
from hombi.service.bridge import call, call_plain, hub

# A database of years takes long to look through; this many steps are enough to find
# what a broken disk does.
STEPS, STEPS_AT_ONCE = 200, 100_000


class ToolShape(Shape):
    """A tool: it signs in to the MQTT door with its name and its key."""

    tool = s.CharField()
    publish = s.ListField(child=s.CharField())
    subscribe = s.ListField(child=s.CharField())
    added_at = s.IntegerField()


class NewToolShape(ToolShape):
    """A tool with its key, shown this once."""

    key = s.CharField()


class ToolRequest(Shape):
    """A name, and the topic filters it may publish under and subscribe to."""

    name = s.CharField(max_length=60)
    publish = s.ListField(child=s.CharField(max_length=300), default=list)
    subscribe = s.ListField(child=s.CharField(max_length=300), default=list)


class ToolChange(Shape):
    """Other topic filters."""

    publish = s.ListField(child=s.CharField(max_length=300), required=False)
    subscribe = s.ListField(child=s.CharField(max_length=300), required=False)


class CheckShape(Shape):
    """How one part is, and what to do about it."""

    part = s.CharField()
    state = s.ChoiceField(["ok", "warning", "fault"])
    text = s.CharField()
    advice = s.CharField(allow_blank=True)


def tool_data(tool: Tool) -> dict[str, Any]:
    """A tool as programs see it."""
    return {
        "tool": tool.name,
        "publish": tool.publish,
        "subscribe": tool.subscribe,
        "added_at": tool.added_ms,
    }


class ToolsView(APIView):
    """Tools."""

    @extend_schema(responses=ToolShape(many=True))
    def get(self, request: Request) -> Response:
        """All tools, by name."""
        return Response([tool_data(tool) for _, tool in sorted(hub().house.tools.items())])

    @extend_schema(request=ToolRequest, responses={201: NewToolShape})
    def post(self, request: Request) -> Response:
        """Let a tool in."""
        tool, key = call(hub().tools.add(**checked(request, ToolRequest)))
        return Response({**tool_data(tool), "key": key}, status=201)


class ToolView(APIView):
    """One tool."""

    @extend_schema(request=ToolChange, responses=ToolShape)
    def patch(self, request: Request, tool: str) -> Response:
        """Give it other topics."""
        given = checked(request, ToolChange)
        return Response(
            tool_data(call(hub().tools.change(tool, given.get("publish"), given.get("subscribe"))))
        )

    @extend_schema(responses={204: None})
    def delete(self, request: Request, tool: str) -> Response:
        """Shut it out."""
        call(hub().tools.remove(tool))
        return Response(status=204)


class ToolKeyView(APIView):
    """A tool's key."""

    @extend_schema(request=None, responses=NewToolShape)
    def post(self, request: Request, tool: str) -> Response:
        """Make a new key; the one before is void at once."""
        key = call(hub().tools.rotate(tool))
        return Response({**tool_data(hub().tools.find(tool)), "key": key})


class DoctorView(APIView):
    """How the hub is."""

    @extend_schema(responses=CheckShape(many=True))
    def get(self, request: Request) -> Response:
        """A look at every part, and what to do."""
        checks = call_plain(look, hub())
        checks.insert(3, _database())
        return Response(
            [{"part": c.part, "state": c.state, "text": c.text, "advice": c.advice} for c in checks]
        )


def _database() -> Check:
    """SQLite's own quick check, given up when the file is large."""
    connection.ensure_connection()
    steps = 0

    def enough() -> int:
        nonlocal steps
        steps += 1
        return int(steps > STEPS)

    connection.connection.set_progress_handler(enough, STEPS_AT_ONCE)
    try:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA quick_check(1)")
            said = str(cursor.fetchone()[0])
    except Exception as error:  # noqa: BLE001 - whatever SQLite says is the finding
        said = "ok, as far as was looked" if "interrupted" in str(error) else str(error)
    finally:
        connection.connection.set_progress_handler(None, 0)
    if said.startswith("ok"):
        return Check("database file", "ok", said)
    return Check(
        "database file", "fault", said, "stop the hub, copy the data folder, and look at the disk"
    )
