from __future__ import annotations

import asyncio
import json
import string
from datetime import datetime
from zoneinfo import ZoneInfo

import pytest

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.machine.events import ClockSet
from hombi.hub.notices.contacts import AddContact, SetQuietHours
from hombi.hub.notices.outbox import RemovePhone, Told, address_of
from hombi.hub.notices.port import PhoneRecord
from hombi.hub.notices.push import fitting
from hombi.hub.notices.quiet import QuietHours
from hombi.hub.notices.sending import Fate, Sent
from tests.hub.parts import ManualClock, Rig, rig, settle
from tests.memory import MemoryRecords

LATER = Sent(Fate.LATER, "the push service asks to try again later (503)")


async def phone(
    r: Rig, name: str = "Ada's phone", person: str = "ada", number: int = 1
) -> PhoneRecord:
    return await r.do(
        AddContact(PhoneRecord(0, name, person, f"https://push.example/{number}", "k", "a", 0))
    )


async def tell(r: Rig, *words: str) -> None:
    r.hub.outbox.tell(Told(*words))
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
        r.phones.answers = [Sent(Fate.LATER, "429", 120.0)]
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
        r.phones.answers = [Sent(Fate.GONE, "gone (410)")]
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
        r.phones.answers = [Sent(Fate.IMPOSSIBLE, "refused (403)")]
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
        hangs = r.phones.hangs["ben"] = asyncio.Event()
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
        with pytest.raises(Invalid, match=r"https address|not a public name|user name"):
            await r.do(AddContact(PhoneRecord(0, "x", "ada", endpoint, "k", "a", 0)))
        with pytest.raises(NotFound):
            await r.do(RemovePhone(99))


def states(r: Rig) -> dict[str, str]:
    return {delivery.title: delivery.state for delivery in r.records.notices.deliveries.values()}


def about(title: str, subject: str = "automation/dry", **more: object) -> Told:
    return Told("everyone", title, subject=subject, **more)  # type: ignore[arg-type]


async def test_a_newer_notice_about_the_same_takes_the_place_of_one_that_waits() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [LATER]
        for title in ("Dry", "Still dry", "Drier"):
            r.hub.outbox.tell(about(title))
            await settle()
        r.hub.outbox.tell(about("Door open", "automation/door"))
        await r.clock.forward(60_000)
        assert [title for _, title, _ in r.phones.told] == ["Drier", "Door open"]
        assert states(r) == {
            "Dry": "replaced", "Still dry": "replaced", "Drier": "delivered",
            "Door open": "delivered",
        }  # fmt: skip


async def test_what_is_over_is_said_without_a_sound_and_only_once() -> None:
    async with rig() as r:
        await phone(r)
        r.hub.outbox.over("automation/door", lambda lasted: f"closed again after {lasted}", "/")
        r.hub.outbox.tell(about("Door open", "automation/door"))
        await settle()
        r.clock.now += 6 * 60_000
        for _ in range(2):
            r.hub.outbox.over("automation/door", lambda lasted: f"closed again after {lasted}", "/")
            await settle()
        assert r.phones.told == [
            ("Ada's phone", "Door open", ""),
            ("Ada's phone", "Door open", "closed again after 6 min"),
        ], "of what nobody was told, nothing is said"
        assert [one.quiet for one in r.phones.taken] == [False, True]
        assert r.phones.taken[0].subject == r.phones.taken[1].subject


async def test_of_a_time_that_is_past_nothing_is_said() -> None:
    """What told of its end itself, or was blind, begins anew when it starts again."""
    async with rig() as r:
        await phone(r)
        r.hub.outbox.tell(about("Door open", "automation/door"))
        await settle()
        r.clock.now += 3 * 24 * 3_600_000
        r.hub.outbox.forget("automation/door")
        r.hub.outbox.over("automation/door", lambda lasted: f"closed again after {lasted}", "/")
        await settle()
        assert len(r.phones.told) == 1, "it was told of before"
        r.hub.outbox.tell(about("Door open", "automation/door"))
        await settle()
        r.clock.now += 60_000
        r.hub.outbox.over("automation/door", lambda lasted: f"closed again after {lasted}", "/")
        await settle()
        assert r.phones.told[-1] == ("Ada's phone", "Door open", "closed again after 1 min")


async def test_an_urgent_one_keeps_its_place_beside_a_newer_one_that_is_not() -> None:
    async with rig() as r:
        r.hub.house.people |= {"ada"}
        await phone(r)
        r.phones.answers = [LATER]
        r.hub.outbox.tell(about("Leak", "water", urgent=True))
        await settle()
        await r.do(SetQuietHours("ada", "07:30-09:00"))
        r.hub.outbox.tell(about("Still wet", "water"))
        await settle()
        await r.clock.forward(60_000)
        assert [title for _, title, _ in r.phones.told] == ["Leak"]
        await r.clock.forward(2 * 3_600_000)
        assert [title for _, title, _ in r.phones.told] == ["Leak", "Still wet"]
        assert set(states(r).values()) == {"delivered"}


async def test_the_next_attempt_comes_though_a_timer_is_early_or_the_clock_is_set() -> None:
    async with rig() as r:
        await phone(r)
        r.phones.answers = [LATER, LATER]
        r.hub.outbox.tell(about("Dry"))
        await settle()
        (contact,) = r.hub.outbox.phones
        r.hub.outbox._begin(contact)  # as by a timer that is early
        await r.clock.forward(5_000)
        (delivery,) = r.records.notices.deliveries.values()
        assert delivery.attempts == 2
        r.clock.now -= 3_600_000
        r.hub.context.announce(ClockSet(by_ms=-3_600_000))
        await r.clock.forward(15_000)
        assert states(r) == {"Dry": "delivered"}


@pytest.mark.parametrize("sign", ["x", "é", "🧀", "\n", '"', "\x01"])
def test_what_a_push_service_would_refuse_for_its_length_is_cut(sign: str) -> None:
    said = {"title": "Cheese", "text": sign * 9_000, "urgent": True}
    cut = fitting(said)
    assert 3_000 < len(cut) <= 3_900
    read = json.loads(cut)
    assert (read["title"], read["urgent"]) == ("Cheese", True)
    assert read["text"].endswith("…")
    assert set(read["text"][:-1]) == {sign}
    both = json.loads(fitting({**said, "title": sign * 9_000}))
    assert both["title"].endswith("…")
    assert fitting({"title": "é", "text": ""}) == '{"title": "é", "text": ""}'.encode()


async def test_that_it_is_over_is_said_after_a_restart_too() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await phone(r)
        r.hub.outbox.tell(about("Door open"))
        await settle()
    clock.now += 60_000
    async with rig(records, clock) as r:
        r.hub.outbox.over("automation/dry", lambda lasted: f"over after {lasted}", "/")
        await settle()
        assert r.phones.told == [("Ada's phone", "Door open", "over after 1 min")]


async def test_after_a_long_outage_one_notice_sums_them_up_and_urgent_ones_come_alone() -> None:
    async with rig() as r:
        await phone(r)
        await phone(r, "Ben's phone", "ben", 2)
        r.phones.hangs["ben"] = asyncio.Event()
        r.phones.answers = [LATER] * 6
        for number in range(9):
            r.hub.outbox.tell(about(f"No. {number}", f"subject {number}"))
            await settle()
        r.hub.outbox.tell(about("Water in the cellar", "leak", urgent=True))
        await r.clock.forward(2 * 3_600_000)
        told = [(title, text) for who, title, text in r.phones.told if who == "Ada's phone"]
        titles = [title for title, _ in told]
        assert "Water in the cellar" in titles
        assert titles[-1].endswith("notices while you were not reached")
        assert "No. 8" in told[-1][1]
        assert len(told) <= 3, "they are not poured out"
        mine = [
            delivery.state
            for delivery in r.records.notices.deliveries.values()
            if delivery.person == "ada"
        ]
        assert mine.count("told together") >= 8
        assert "waiting" not in mine


async def test_in_quiet_hours_only_what_is_urgent_comes_and_the_rest_afterwards() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        r.hub.house.people |= {"ada", "ben"}
        # 2027-01-15 08:00 UTC.
        await phone(r)
        await phone(r, "Ben's phone", "ben", 2)
        await r.do(SetQuietHours("ada", "07:30-09:00"))
        r.hub.outbox.tell(about("Dry", "dry"))
        r.hub.outbox.tell(about("Leak", "leak", urgent=True))
        await settle()
        assert [(who, what) for who, what, _ in r.phones.told if who[0] == "A"] == [
            ("Ada's phone", "Leak")
        ]
        assert ("Ben's phone", "Dry", "") in r.phones.told
    # They outlive a restart.
    async with rig(records, clock) as r:
        await clock.forward(59 * 60_000)
        assert r.phones.told == []
        await clock.forward(2 * 60_000)
        assert r.phones.told == [("Ada's phone", "Dry", "")]


@pytest.mark.parametrize("hours", ["22:00", "25:00-06:00", "22:00-22:00", "late-early"])
async def test_quiet_hours_that_are_none_are_refused(hours: str) -> None:
    async with rig() as r:
        r.hub.house.people.add("ada")
        with pytest.raises(Invalid, match=r"22:00-06:30|different times"):
            await r.do(SetQuietHours("ada", hours))


@pytest.mark.parametrize(
    ("hours", "at", "over"),
    [
        ("22:00-06:30", "2026-10-25T00:30:00+02:00", "2026-10-25T06:30:00+01:00"),
        ("22:00-06:30", "2026-10-24T23:00:00+02:00", "2026-10-25T06:30:00+01:00"),
        ("22:00-06:30", "2026-10-25T06:30:00+01:00", None),
        ("22:00-06:30", "2026-10-25T21:59:59+01:00", None),
        ("13:00-14:00", "2026-10-25T13:00:00+01:00", "2026-10-25T14:00:00+01:00"),
    ],
)
def test_quiet_hours_follow_the_clock_of_the_house(hours: str, at: str, over: str | None) -> None:
    result = QuietHours.read(hours)
    assert result is not None
    ms = round(datetime.fromisoformat(at).timestamp() * 1000)
    wanted = None if over is None else round(datetime.fromisoformat(over).timestamp() * 1000)
    assert result.over_ms(ms, ZoneInfo("Europe/Berlin")) == wanted


async def test_who_is_meant_and_in_which_contact() -> None:
    async with rig() as r:
        await phone(r)
        for person, sort, name, address in (
            ("ada", "mail", "mail", "ada@mill.example"),
            ("ben", "mail", "mail", "ben@mill.example"),
            ("ada", "post", "ledger", "https://mill.example/told"),
        ):
            await r.do(AddContact(PhoneRecord(0, name, person, address, "", "", 0, sort)))
        outbox = r.hub.outbox

        def named(to: str, *sorts: str) -> list[str]:
            return [address_of(one) for one in outbox.meant(to, sorts)]

        assert named("everyone") == ["ada/ada-s-phone", "ben/mail"], "mail where there is no phone"
        assert named("ada/mail") == ["ada/mail"]
        assert named("everyone", "mail") == ["ada/mail", "ben/mail"]
        assert named("ada", "post") == ["ada/ledger"]
        with pytest.raises(Invalid, match="has a contact called mail already"):
            await r.do(
                AddContact(PhoneRecord(0, "Mail", "ada", "x@mill.example", "", "", 0, "mail"))
            )
