from __future__ import annotations

import pytest

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.memory import MemoryRecords
from hombi.hub.notices.push import Fate, PushResult
from hombi.hub.ports import PhoneRecord
from tests.hub.parts import ManualClock, Rig, rig, settle

LATER = PushResult(Fate.LATER, "the push service asks to try again later (503)")


async def phone(r: Rig, name: str = "Ada's phone", person: str = "ada", number: int = 1) -> PhoneRecord:
    return await r.hub.outbox.add_phone(PhoneRecord(0, name, person, f"https://push.example/{number}", "k", "a", 0))


async def test_a_notice_goes_to_all_phones_or_to_one_persons() -> None:
    async with rig() as r:
        await phone(r)
        await phone(r, "Ben's phone", "ben", 2)
        await r.hub.outbox.tell("everyone", "Dry", "81 %", "/")
        await r.hub.outbox.tell("ben", "For Ben", "", "/")
        await r.clock.forward(0)
        assert sorted(r.phones.told) == [
            ("Ada's phone", "Dry", "81 %"),
            ("Ben's phone", "Dry", "81 %"),
            ("Ben's phone", "For Ben", ""),
        ]


async def test_what_reaches_nobody_is_journaled() -> None:
    async with rig() as r:
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await settle()
        assert r.records.journal[-1].event == "NoticeUnsent"


async def test_it_is_tried_again_with_growing_pauses() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [LATER, LATER, LATER]
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await r.clock.forward(0)
        (delivery,) = r.records.deliveries.values()
        assert (delivery.attempts, delivery.next_ms - r.clock.now) == (1, 5_000)
        await r.clock.forward(5_000)
        (delivery,) = r.records.deliveries.values()
        assert (delivery.attempts, delivery.next_ms - r.clock.now) == (2, 15_000)
        await r.clock.forward(14_999)
        assert r.phones.told == []
        await r.clock.forward(1 + 60_000)
        assert len(r.phones.told) == 1
        assert [e for e in r.events() if e.startswith("Notice")] == ["NoticeDelayed", "NoticeDelivered"]


async def test_the_push_services_own_wish_counts_when_it_is_longer() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [PushResult(Fate.LATER, "429", 120.0)]
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await r.clock.forward(119_000)
        assert r.phones.told == []
        await r.clock.forward(1_000)
        assert len(r.phones.told) == 1


async def test_after_a_day_it_is_given_up_and_said() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [LATER] * 100
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await r.clock.forward(26 * 3_600_000)
        (delivery,) = r.records.deliveries.values()
        assert delivery.state == "failed"
        assert r.hub.needs()[0]["kind"] == "notice"


async def test_a_phone_that_is_gone_is_removed() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [PushResult(Fate.GONE, "gone (410)")]
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await r.clock.forward(0)
        assert r.hub.outbox.phones == {}
        assert r.records.phones() == []
        assert "gone (410)" in r.records.journal[-1].text


async def test_what_the_push_service_refuses_is_not_tried_again() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [PushResult(Fate.IMPOSSIBLE, "refused (403)")]
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await r.clock.forward(3_600_000)
        assert r.phones.told == []
        assert "NoticeFailed" in r.events()


async def test_a_restart_loses_nothing() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await phone(r)
        r.phones.answers = [LATER]
        await r.hub.outbox.tell("everyone", "Dry", "", "/")
        await clock.forward(0)
        await r.hub.outbox.tell("everyone", "Never tried", "", "/")
    async with rig(records, clock) as r:
        await clock.forward(5_000)
        assert sorted(told[1] for told in r.phones.told) == ["Dry", "Never tried"]


async def test_the_same_subscription_again_replaces_the_phone() -> None:
    async with rig() as r:
        await phone(r)
        await phone(r, "New name")
        assert [p.name for p in r.hub.outbox.phones.values()] == ["New name"]


@pytest.mark.parametrize("endpoint", ["http://192.0.2.1/push", "ftp://push.example", "javascript:alert(1)"])
async def test_an_endpoint_that_is_no_push_service_is_refused(endpoint: str) -> None:
    async with rig() as r:
        with pytest.raises(Invalid, match="https address"):
            await r.hub.outbox.add_phone(PhoneRecord(0, "x", "ada", endpoint, "k", "a", 0))
        with pytest.raises(NotFound):
            await r.hub.outbox.remove_phone(99)
