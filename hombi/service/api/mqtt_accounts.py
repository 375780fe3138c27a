"""MQTT accounts for boards and programs of a person's own, and how the hub is."""

from __future__ import annotations

from django.db import connection
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.doctor import look
from hombi.hub.kernel import Right
from hombi.hub.nodes.mqtt_accounts import (
    AddMqttAccount,
    ChangeMqttAccount,
    NewMqttAccountKey,
    RemoveMqttAccount,
)
from hombi.links.base import Check
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, given
from hombi.service.bridge import change, read
from hombi.wire.house import Check as CheckShape
from hombi.wire.people import MqttAccount, MqttAccountChange, MqttAccountRequest, NewMqttAccount

# A database of years takes long to look through; this many steps are enough to find
# what a broken disk does.
STEPS, STEPS_AT_ONCE = 200, 100_000


class MqttAccountsView(View):
    """MqttAccounts."""

    reads = Right.KEEP

    @operation(gives=list[MqttAccount])
    def get(self, request: Request) -> Response:
        """All MQTT accounts, by name."""
        return Response(
            read(
                lambda h: [
                    answers.account(account) for _, account in sorted(h.house.mqtt_accounts.items())
                ]
            )
        )

    @operation(takes=MqttAccountRequest, gives=NewMqttAccount, status=201)
    def post(self, request: Request) -> Response:
        """Let an MQTT account in."""
        payload = body(request, MqttAccountRequest)
        wanted = AddMqttAccount(payload.name, payload.publish, payload.subscribe)
        made = change(actor(request), wanted, lambda _, m: answers.new_mqtt_account(m))
        return Response(made, status=201)


class MqttAccountView(View):
    """One account."""

    @operation(takes=MqttAccountChange, gives=MqttAccount)
    def patch(self, request: Request, account: str) -> Response:
        """Give it other topics."""
        payload = body(request, MqttAccountChange)
        wanted = ChangeMqttAccount(account, given(payload.publish), given(payload.subscribe))
        return Response(change(actor(request), wanted, lambda _, t: answers.account(t)))

    @operation()
    def delete(self, request: Request, account: str) -> Response:
        """Revoke the key."""
        return done(request, RemoveMqttAccount(account))


class MqttAccountKeyView(View):
    """An account's key."""

    @operation(gives=NewMqttAccount)
    def post(self, request: Request, account: str) -> Response:
        """Make a new key; the old one stops working at once."""
        made = change(
            actor(request), NewMqttAccountKey(account), lambda _, m: answers.new_mqtt_account(m)
        )
        return Response(made)


class DoctorView(View):
    """How the hub is."""

    @operation(gives=list[CheckShape])
    def get(self, request: Request) -> Response:
        """A look at every part, and what to do."""
        checks = read(look)
        checks.insert(3, _database())
        return Response(
            [
                CheckShape(
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
