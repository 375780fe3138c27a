from __future__ import annotations

import asyncio
import string

import pytest

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.memory import MemoryRecords
from hombi.hub.notices import AddPhone, RemovePhone
from hombi.hub.notices.push import Fate, PushResult
from hombi.hub.ports import DeliveryRecord, PhoneRecord
from tests.hub.parts import ManualClock, Rig, rig, settle

LATER = PushResult(Fate.LATER, "the push service asks to try again later (503)")


async def phone(
    r: Rig, name: str = "Ada's phone", person: str = "ada", number: int = 1
) -> PhoneRecord:
    return await r.do(
        AddPhone(PhoneRecord(0, name, person, f"https://push.example/{number}", "k", "a", 0))
    )


async def tell(r: Rig, *words: str) -> None:
    r.hub.outbox.tell(*words)
    await settle()


async def test_a_notice_goes_to_all_phones_or_to_one_persons() -> None:
    async with rig() as r:
        await phone(r)
        await phone(r, "Ben's phone", "ben", 2)
        await tell(r, "everyone", "Dry", "81 %", "/")
        await tell(r, "ben", "For Ben", "", "/")
        await r.clock.forward(0)
        assert sorted(r.phones.told) == [
            ("Ada's phone", "Dry", "81 %"),
            ("Ben's phone", "Dry", "81 %"),
            ("Ben's phone", "For Ben", ""),
        ]


async def test_what_reaches_nobody_is_journaled() -> None:
    async with rig() as r:
        await tell(r, "everyone", "Dry", "", "/")
        await settle()
        assert r.records.journal.all[-1].event == "NoticeUnsent"


async def test_it_is_tried_again_with_growing_pauses() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [LATER, LATER, LATER]
        await tell(r, "everyone", "Dry", "", "/")
        await r.clock.forward(0)
        (delivery,) = r.records.notices.deliveries.values()
        assert (delivery.attempts, delivery.next_ms - r.clock.now) == (1, 5_000)
        await r.clock.forward(5_000)
        (delivery,) = r.records.notices.deliveries.values()
        assert (delivery.attempts, delivery.next_ms - r.clock.now) == (2, 15_000)
        await r.clock.forward(14_999)
        assert r.phones.told == []
        await r.clock.forward(1 + 60_000)
        assert len(r.phones.told) == 1
        assert [e for e in r.events() if e.startswith("Notice")] == [
            "NoticeDelayed",
            "NoticeDelivered",
        ]


async def test_the_push_services_own_wish_counts_when_it_is_longer() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [PushResult(Fate.LATER, "429", 120.0)]
        await tell(r, "everyone", "Dry", "", "/")
        await r.clock.forward(119_000)
        assert r.phones.told == []
        await r.clock.forward(1_000)
        assert len(r.phones.told) == 1


async def test_after_a_day_it_is_given_up_and_said() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [LATER] * 100
        await tell(r, "everyone", "Dry", "", "/")
        await r.clock.forward(26 * 3_600_000)
        (delivery,) = r.records.notices.deliveries.values()
        assert delivery.state == "failed"
        assert r.hub.needs()[0].kind == "notice"


async def test_a_phone_that_is_gone_is_removed() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [PushResult(Fate.GONE, "gone (410)")]
        await tell(r, "everyone", "Dry", "", "/")
        await r.clock.forward(0)
        assert r.hub.outbox.phones == {}
        assert r.records.notices.phones() == []
        assert "gone (410)" in r.records.journal.all[-1].text
        (delivery,) = r.records.notices.deliveries.values()
        assert (delivery.phone, delivery.state, delivery.problem) == (
            "Ada's phone",
            "failed",
            "gone (410)",
        ), "it stays listed"


async def test_what_the_push_service_refuses_is_not_tried_again() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [PushResult(Fate.IMPOSSIBLE, "refused (403)")]
        await tell(r, "everyone", "Dry", "", "/")
        await r.clock.forward(3_600_000)
        assert r.phones.told == []
        assert "NoticeFailed" in r.events()


async def test_a_restart_loses_nothing() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await phone(r)
        r.phones.answers = [LATER]
        await tell(r, "everyone", "Dry", "", "/")
        await clock.forward(0)
        await tell(r, "everyone", "Never tried", "", "/")
    async with rig(records, clock) as r:
        await clock.forward(5_000)
        assert sorted(told[1] for told in r.phones.told) == ["Dry", "Never tried"]


async def test_the_same_subscription_again_replaces_the_phone() -> None:
    async with rig() as r:
        await phone(r)
        await phone(r, "New name")
        assert [p.name for p in r.hub.outbox.phones.values()] == ["New name"]


async def test_one_hanging_phone_delays_no_other_and_each_has_its_notices_in_order() -> None:
    async with rig() as r:
        await phone(r)
        await phone(r, "Ben's phone", "ben", 2)
        hangs, send = asyncio.Event(), r.phones.send

        async def slow(phone: PhoneRecord, delivery: DeliveryRecord) -> PushResult:
            if phone.person == "ben":
                await hangs.wait()
            return await send(phone, delivery)

        r.phones.send = slow  # type: ignore[method-assign]
        await tell(r, "everyone", "One", "", "/")
        await tell(r, "everyone", "Two", "", "/")
        await r.clock.forward(0)
        assert [title for _, title, _ in r.phones.told] == ["One", "Two"]
        hangs.set()
        await settle()
        assert [title for _, title, _ in r.phones.told[2:]] == ["One", "Two"]


async def test_a_notice_is_the_same_one_however_often_it_is_sent() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await phone(r)
        r.phones.answers = [LATER, LATER]
        await tell(r, "everyone", "Dry", "", "/")
        await clock.forward(0)
        (first,) = {d.identity for d in records.notices.deliveries.values()}
    async with rig(records, clock) as r:
        assert {d.identity for d in records.notices.waiting()} == {first}
        assert 0 < len(first) <= 32
        assert set(first) <= set(string.ascii_letters + string.digits + "-_")


@pytest.mark.parametrize(
    "endpoint",
    [
        "http://192.0.2.1/push",
        "ftp://push.example",
        "javascript:alert(1)",
        "https://192.168.1.9/push",
        "https://127.0.0.1/push",
        "https://[::1]/push",
        "https://2130706433/push",
        "https://localhost/push",
        "https://printer.local/push",
        "https://router/push",
        "https://user@push.example.com/x",
        "https://",
        "http://[",
    ],
)
async def test_an_endpoint_that_is_no_push_service_is_refused(endpoint: str) -> None:
    async with rig() as r:
        with pytest.raises(Invalid, match=r"https address|no public name|user name"):
            await r.do(AddPhone(PhoneRecord(0, "x", "ada", endpoint, "k", "a", 0)))
        with pytest.raises(NotFound):
            await r.do(RemovePhone(99))
