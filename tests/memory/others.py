"""The smaller ports in memory."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Any

from hombi.hub.automations.port import AutomationRecord, TextRecord
from hombi.hub.house import MqttAccount
from hombi.hub.kernel.journal_port import JournalEntry
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.hub.notices.port import DeliveryRecord, NewNotice, PhoneRecord


class MemoryPairing:
    """`PairingPort` without a disk."""

    def __init__(self) -> None:
        self._arrivals: dict[str, ArrivalRecord] = {}

    def arrivals(self) -> list[ArrivalRecord]:
        return [replace(arrival) for arrival in self._arrivals.values()]

    def save(self, arrival: ArrivalRecord) -> None:
        self._arrivals[arrival.id] = replace(arrival)

    def remove(self, arrival_id: str) -> None:
        self._arrivals.pop(arrival_id, None)


class MemoryAutomations:
    """`AutomationsPort` without a disk."""

    def __init__(self) -> None:
        self._ids = count(1)
        self._all: dict[int, AutomationRecord] = {}
        self._texts: dict[str, list[TextRecord]] = {}

    def all(self) -> list[AutomationRecord]:
        return [replace(record) for record in self._all.values()]

    def add(self, slug: str, text: str) -> AutomationRecord:
        record = AutomationRecord(next(self._ids), slug, text)
        self._all[record.id] = replace(record)
        return record

    def save(self, record: AutomationRecord) -> None:
        if record.id in self._all:
            self._all[record.id] = replace(record)

    def remove(self, record: AutomationRecord) -> None:
        self._all.pop(record.id, None)

    def keep_text(self, slug: str, text: TextRecord, most: int) -> None:
        self._texts[slug] = [*self._texts.get(slug, ()), text][-most:]

    def texts(self, slug: str) -> list[TextRecord]:
        return self._texts.get(slug, [])[::-1]


class MemoryJournal:
    """`JournalPort` without a disk."""

    def __init__(self) -> None:
        self.all: list[JournalEntry] = []

    def add(self, entries: Sequence[JournalEntry]) -> list[int]:
        numbers = list(range(len(self.all) + 1, len(self.all) + 1 + len(entries)))
        self.all += [replace(one, id=n) for one, n in zip(entries, numbers, strict=True)]
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
        def wanted(entry: JournalEntry) -> bool:
            return (
                (before is None or entry.id < before)
                and (after is None or entry.id > after)
                and (since_ms is None or entry.at_ms >= since_ms)
                and (until_ms is None or entry.at_ms < until_ms)
                and event in ("", entry.event)
                and node in ("", entry.node)
                and automation in ("", entry.automation)
            )

        return [entry for entry in reversed(self.all) if wanted(entry)][:limit]

    def moments(self, event: str, since_ms: int) -> dict[str, list[int]]:
        result: dict[str, list[int]] = {}
        for one in sorted(self.all, key=lambda entry: entry.at_ms):
            if one.event == event and one.automation:
                before = [at for at in result.get(one.automation, ()) if at >= since_ms]
                result[one.automation] = [*before, one.at_ms]
        return result


class MemoryNotices:
    """`NoticesPort` without a disk."""

    def __init__(self) -> None:
        self._ids = count(1)
        self._phones: dict[int, PhoneRecord] = {}
        self.deliveries: dict[int, DeliveryRecord] = {}
        self._key = self._buttons_key = ""

    def phones(self) -> list[PhoneRecord]:
        return [replace(phone) for phone in self._phones.values()]

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        phone.id = next(self._ids)
        self._phones[phone.id] = replace(phone)
        return phone

    def remove_phone(self, phone_id: int) -> None:
        self._phones.pop(phone_id, None)
        for delivery in self.deliveries.values():
            if delivery.phone_id == phone_id:
                delivery.phone_id = None
                if delivery.state == "waiting":
                    delivery.state, delivery.problem = "failed", "this way was removed"

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        made = [
            DeliveryRecord(
                next(self._ids),
                phone.id,
                phone.name,
                notice.identity,
                notice.title,
                notice.text,
                notice.path,
                notice.created_ms,
                subject=notice.subject,
                urgent=notice.urgent,
                quiet=notice.quiet,
                buttons=notice.buttons,
                person=phone.person,
                picture=notice.picture,
            )
            for phone in phones
            if phone.id in self._phones
        ]
        self.deliveries.update((delivery.id, replace(delivery)) for delivery in made)
        return made

    def waiting(self) -> list[DeliveryRecord]:
        return [replace(d) for d in self.deliveries.values() if d.state == "waiting"]

    def latest(self, limit: int) -> list[DeliveryRecord]:
        return [replace(d) for d in reversed(self.deliveries.values())][:limit]

    def delivery(self, delivery: int) -> DeliveryRecord | None:
        result = self.deliveries.get(delivery)
        return None if result is None else replace(result)

    def save(self, delivery: DeliveryRecord) -> None:
        if delivery.id in self.deliveries:
            self.deliveries[delivery.id] = replace(delivery)

    def push_key(self, fresh: str) -> str:
        self._key = self._key or fresh
        return self._key

    def buttons_key(self, fresh: str) -> str:
        self._buttons_key = self._buttons_key or fresh
        return self._buttons_key


class MemoryMqttAccounts:
    """`MqttAccountsPort` without a disk."""

    def __init__(self) -> None:
        self._all: dict[str, MqttAccount] = {}

    def all(self) -> list[MqttAccount]:
        return [replace(account) for _, account in sorted(self._all.items())]

    def save(self, account: MqttAccount) -> None:
        self._all[account.name] = replace(account)

    def remove(self, name: str) -> None:
        self._all.pop(name, None)


class MemoryKeeping:
    """`KeepingPort` without a disk."""

    def __init__(self) -> None:
        self._all: dict[str, dict[str, Any]] = {}

    def all(self) -> dict[str, dict[str, Any]]:
        return dict(self._all)

    def keep(self, states: Mapping[str, dict[str, Any] | None]) -> None:
        for key, state in states.items():
            if state is None:
                self._all.pop(key, None)
            else:
                self._all[key] = state
