"""MQTT accounts for boards and programs of a person's own, and how the hub is."""

from __future__ import annotations

from django.db import connection
from rest_framework.request import Request
from rest_framework.response import Response

from hombi import wire
from hombi.hub.doctor import look
from hombi.hub.kernel import Right
from hombi.hub.nodes.tools import AddTool, ChangeTool, NewToolKey, RemoveTool
from hombi.links.base import Check
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, given
from hombi.service.bridge import change, read

# A database of years takes long to look through; this many steps are enough to find
# what a broken disk does.
STEPS, STEPS_AT_ONCE = 200, 100_000


class ToolsView(View):
    """Tools."""

    reads = Right.KEEP

    @operation(gives=list[wire.Tool])
    def get(self, request: Request) -> Response:
        """All tools, by name."""
        return Response(
            read(lambda h: [answers.tool(tool) for _, tool in sorted(h.house.tools.items())])
        )

    @operation(takes=wire.ToolRequest, gives=wire.NewTool, status=201)
    def post(self, request: Request) -> Response:
        """Let a tool in."""
        payload = body(request, wire.ToolRequest)
        wanted = AddTool(payload.name, payload.publish, payload.subscribe)
        made = change(actor(request), wanted, lambda _, m: answers.new_tool(m))
        return Response(made, status=201)


class ToolView(View):
    """One tool."""

    @operation(takes=wire.ToolChange, gives=wire.Tool)
    def patch(self, request: Request, tool: str) -> Response:
        """Give it other topics."""
        payload = body(request, wire.ToolChange)
        wanted = ChangeTool(tool, given(payload.publish), given(payload.subscribe))
        return Response(change(actor(request), wanted, lambda _, t: answers.tool(t)))

    @operation()
    def delete(self, request: Request, tool: str) -> Response:
        """Revoke the key."""
        return done(request, RemoveTool(tool))


class ToolKeyView(View):
    """A tool's key."""

    @operation(gives=wire.NewTool)
    def post(self, request: Request, tool: str) -> Response:
        """Make a new key; the old one stops working at once."""
        made = change(actor(request), NewToolKey(tool), lambda _, m: answers.new_tool(m))
        return Response(made)


class DoctorView(View):
    """How the hub is."""

    @operation(gives=list[wire.Check])
    def get(self, request: Request) -> Response:
        """A look at every part, and what to do."""
        checks = read(look)
        checks.insert(3, _database())
        return Response(
            [
                wire.Check(
                    part=c.part,
                    state=c.state,  # type: ignore[arg-type]
                    text=c.text,
                    advice=c.advice,
                )
                for c in checks
            ]
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
            sentence = str(cursor.fetchone()[0])
    except Exception as error:  # noqa: BLE001 - whatever SQLite says is the finding
        sentence = "ok, as far as was looked" if "interrupted" in str(error) else str(error)
    finally:
        connection.connection.set_progress_handler(None, 0)
    if sentence.startswith("ok"):
        return Check("database file", "ok", sentence)
    advice = "stop the hub, copy the data folder, and look at the disk"
    return Check("database file", "fault", sentence, advice)
