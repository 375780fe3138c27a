"""The smaller ports on the ORM."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from django.db import OperationalError, connection, transaction
from django.db.models import Max

from hombi.hub.automations.port import AutomationRecord, TextRecord
from hombi.hub.errors import Busy
from hombi.hub.house import MqttAccount
from hombi.hub.kernel.journal_port import JournalEntry
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.hub.notices.port import DeliveryRecord, NewNotice, PhoneRecord
from hombi.service.records import models as m
from hombi.service.records import queries

# So many texts of automations are kept in all.
MOST_TEXTS = 5_000


class DatabasePairing:
    """`hombi.hub.nodes.pairing_port.PairingPort`."""

    def arrivals(self) -> list[ArrivalRecord]:
        return [ArrivalRecord(**row) for row in m.Arrival.objects.values()]

    def save(self, arrival: ArrivalRecord) -> None:
        values = asdict(arrival)
        m.Arrival.objects.update_or_create(id=values.pop("id"), defaults=values)

    def remove(self, arrival_id: str) -> None:
        m.Arrival.objects.filter(id=arrival_id).delete()


class DatabaseMqttAccounts:
    """`hombi.hub.nodes.mqtt_accounts_port.MqttAccountsPort`."""

    def all(self) -> list[MqttAccount]:
        return [MqttAccount(**row) for row in m.MqttAccount.objects.order_by("name").values()]

    def save(self, account: MqttAccount) -> None:
        values = asdict(account)
        m.MqttAccount.objects.update_or_create(name=values.pop("name"), defaults=values)

    def remove(self, name: str) -> None:
        m.MqttAccount.objects.filter(pk=name).delete()


class DatabaseAutomations:
    """`hombi.hub.automations.port.AutomationsPort`."""

    def all(self) -> list[AutomationRecord]:
        return [
            AutomationRecord(a.pk, a.slug, a.text, a.enabled, a.state)
            for a in m.Automation.objects.order_by("pk")
        ]

    def add(self, slug: str, text: str) -> AutomationRecord:
        made = m.Automation.objects.create(slug=slug, text=text)
        return AutomationRecord(made.pk, slug, text)

    def save(self, record: AutomationRecord) -> None:
        state = json.dumps(record.state)
        with connection.cursor() as cursor:
            cursor.execute(queries.STAND, (record.text, record.enabled, state, record.id))

    def remove(self, record: AutomationRecord) -> None:
        m.Automation.objects.filter(pk=record.id).delete()

    def keep_text(self, slug: str, text: TextRecord, most: int) -> None:
        m.AutomationText.objects.create(automation=slug, **asdict(text))
        kept = m.AutomationText.objects.filter(automation=slug).order_by("-pk")
        kept.filter(pk__in=list(kept.values_list("pk", flat=True)[most:])).delete()
        # Those of automations that were removed stay, until there are too many.
        last = m.AutomationText.objects.order_by("-pk").values_list("pk", flat=True)
        if oldest := last[MOST_TEXTS : MOST_TEXTS + 1]:
            m.AutomationText.objects.filter(pk__lte=oldest[0]).delete()

    def texts(self, slug: str) -> list[TextRecord]:
        rows = m.AutomationText.objects.filter(automation=slug).order_by("-pk")
        return [TextRecord(*row) for row in rows.values_list("at_ms", "by", "text")]


class DatabaseJournal:
    """`hombi.hub.kernel.journal_port.JournalPort`."""

    def add(self, entries: Sequence[JournalEntry]) -> list[int]:
        numbers = []
        try:
            with transaction.atomic(), connection.cursor() as cursor:
                for entry in entries:
                    about = (
                        entry.by,
                        entry.node,
                        entry.entity,
                        entry.automation,
                        json.dumps(entry.data),
                    )
                    cursor.execute(queries.HAPPENED, (entry.at_ms, entry.event, entry.text, *about))
                    numbers.append(cursor.lastrowid)
        except OperationalError as error:  # a full disk, a locked file
            raise Busy(str(error)) from error
        return numbers

    def entries(
        self,
        limit: int,
        *,
        before: int | None = None,
        after: int | None = None,
        since_ms: int | None = None,
        until_ms: int | None = None,
        event: str = "",
        node: str = "",
        automation: str = "",
    ) -> list[JournalEntry]:
        result = m.JournalEntry.objects.order_by("-id")
        bounds = {"id__lt": before, "id__gt": after, "at_ms__gte": since_ms, "at_ms__lt": until_ms}
        words = {"event": event, "node": node, "automation": automation}
        wanted: dict[str, Any] = {n: value for n, value in bounds.items() if value is not None}
        wanted |= {name: value for name, value in words.items() if value}
        return [JournalEntry(**row) for row in result.filter(**wanted).values()[:limit]]

    def moments(self, event: str, since_ms: int) -> dict[str, list[int]]:
        every = m.JournalEntry.objects.filter(event=event).exclude(automation="")
        last = every.values_list("automation").annotate(at=Max("at_ms"))
        result = {name: [at] for name, at in last if at < since_ms}
        lately = every.filter(at_ms__gte=since_ms).order_by("at_ms")
        for name, at_ms in lately.values_list("automation", "at_ms").iterator():
            result.setdefault(name, []).append(at_ms)
        return result


class DatabaseNotices:
    """`hombi.hub.notices.port.NoticesPort`."""

    def phones(self) -> list[PhoneRecord]:
        return [PhoneRecord(**row) for row in m.Phone.objects.values()]

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        values = asdict(phone)
        del values["id"]
        phone.id = m.Phone.objects.create(**values).pk
        return phone

    def remove_phone(self, phone_id: int) -> None:
        with transaction.atomic():
            waiting = m.Delivery.objects.filter(phone_id=phone_id, state="waiting")
            waiting.update(state="failed", problem="this way was removed")
            m.Phone.objects.filter(pk=phone_id).delete()

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        with transaction.atomic():
            stored = m.Notice.objects.create(**{**asdict(notice), "buttons": list(notice.buttons)})
            wanted = m.Phone.objects.filter(pk__in=[p.id for p in phones])
            known = set(wanted.values_list("pk", flat=True))
            made = [
                m.Delivery.objects.create(
                    notice=stored,
                    phone_id=phone.id,
                    phone_name=phone.name,
                    person=phone.person,
                )
                for phone in phones
                if phone.id in known  # one may have been removed a moment ago
            ]
        return [_delivery(delivery) for delivery in made]

    def waiting(self) -> list[DeliveryRecord]:
        result = m.Delivery.objects.filter(state="waiting").select_related("notice")
        return [_delivery(delivery) for delivery in result.order_by("pk")]

    def latest(self, limit: int) -> list[DeliveryRecord]:
        result = m.Delivery.objects.select_related("notice", "phone").order_by("-id")
        return [_delivery(delivery) for delivery in result[:limit]]

    def delivery(self, delivery: int) -> DeliveryRecord | None:
        result = m.Delivery.objects.select_related("notice", "phone").filter(pk=delivery).first()
        return None if result is None else _delivery(result)

    def save(self, delivery: DeliveryRecord) -> None:
        m.Delivery.objects.filter(pk=delivery.id).update(
            state=delivery.state,
            attempts=delivery.attempts,
            next_ms=delivery.next_ms,
            problem=delivery.problem,
            pressed=list(delivery.pressed),
            settled_ms=delivery.settled_ms,
        )

    def push_key(self, fresh: str) -> str:
        return _hub_key("vapid", fresh)

    def buttons_key(self, fresh: str) -> str:
        return _hub_key("buttons", fresh)


class DatabaseKeeping:
    """`hombi.hub.machine.keeping_port.KeepingPort`."""

    def all(self) -> dict[str, dict[str, Any]]:
        return dict(m.LinkState.objects.values_list("key", "state"))

    def keep(self, states: Mapping[str, dict[str, Any] | None]) -> None:
        sealed = m.LinkState._meta.get_field("state").get_db_prep_save
        gone = [(key,) for key, state in states.items() if state is None]
        rows = [(key, sealed(s, connection)) for key, s in states.items() if s is not None]
        with transaction.atomic(savepoint=False), connection.cursor() as cursor:
            if gone:
                cursor.executemany(queries.KEEP_NO_LONGER, gone)
            if rows:
                cursor.executemany(queries.KEEP, rows)


def _delivery(stored: m.Delivery) -> DeliveryRecord:
    notice = stored.notice
    return DeliveryRecord(
        stored.pk,
        stored.phone_id,
        stored.phone_name or (stored.phone.name if stored.phone else ""),
        notice.identity or f"notice-{notice.pk}",
        notice.title,
        notice.text,
        notice.path,
        notice.created_ms,
        stored.attempts,
        stored.next_ms,
        stored.state,
        stored.problem,
        notice.subject,
        notice.urgent,
        notice.quiet,
        tuple(notice.buttons),
        tuple(stored.pressed),
        stored.settled_ms,
        stored.person or (stored.phone.person if stored.phone else ""),
        notice.picture,
    )


def _hub_key(name: str, fresh: str) -> str:
    key, _ = m.HubKey.objects.get_or_create(name=name, defaults={"value": fresh})
    return str(key.value)
