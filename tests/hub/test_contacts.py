"""Contacts of people: their addresses, the buttons of a phone, loudspeakers."""

from __future__ import annotations

import pytest

from hombi.hub.automations.changes import AddAutomation
from hombi.hub.errors import Invalid, Refused
from hombi.hub.kernel import STRANGER
from hombi.hub.nodes.admission import AdmitArrival
from hombi.hub.nodes.pairing import proof_of
from hombi.hub.notices.buttons import Buttons
from hombi.hub.notices.contacts import AddContact, PressButton, SetQuietHours
from hombi.hub.notices.form import filled, problem
from hombi.hub.notices.outbox import Told
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from tests.house import description
from tests.hub.parts import ManualClock, Rig, rig, settle
from tests.hub.test_outbox import about, phone, states
from tests.memory import MemoryRecords


@pytest.mark.parametrize(
    ("sort", "address"),
    [
        ("mail", "ada"), ("mail", "ada@"), ("mail", "a b@mill.example"),
        ("mail", "ada@mill.example\r\nBcc: all@mill.example"), ("mail", "Ada <ada@mill.example>"),
        ("post", "ftp://mill.example"), ("post", "https://"), ("post", "https://u:p@mill.example"),
        ("loudspeaker", "cellar-mister/say/text"), ("loudspeaker", "nowhere"),
    ],
)  # fmt: skip
async def test_an_address_that_cannot_be_one_is_refused(sort: str, address: str) -> None:
    async with rig() as r:
        await r.cellar()
        with pytest.raises(
            Invalid, match=r"not a mail address|not an address to post to|takes no text"
        ):
            await r.do(AddContact(PhoneRecord(0, "x", "ada", address, "", "", 0, sort)))


SAY = {"say": {"input": {"type": "object", "properties": {"text": {"type": "string"}}}}}
DAMP = """
name = "Damp"
[watch]
entity = "cellar-rack/humidity"
over = "90 %"
[[starts]]
switch = "cellar-mister/switch"
to = "on"
[[starts]]
notify = "everyone"
title = "Cellar is damp"
[[remind]]
every = "5 min"
notify = "everyone"
title = "Still damp"
"""


async def pressed(r: Rig, button: str, delivery: DeliveryRecord) -> str:
    right = r.hub.contacts.buttons.right(delivery.id, button)
    return await r.hub.context.changes.do(PressButton(right), STRANGER)


async def test_a_button_does_just_what_it_says_once() -> None:
    async with rig() as r:
        await r.cellar()
        await phone(r)
        await r.do(AddAutomation(DAMP))
        r.say("cellar-rack", "humidity", 95)
        await settle()
        (delivery,) = r.phones.taken
        assert [button["label"] for button in delivery.buttons] == [
            "I see to it", "Switch Cellar mister off", "Not again for an hour",
        ]  # fmt: skip
        assert await pressed(r, "off", delivery) == "Switch Cellar mister off"
        await settle()
        assert r.link.sent[-1][1].value == 0.0
        with pytest.raises(Refused, match="pressed already"):
            await pressed(r, "off", delivery)
        entry = next(one for one in r.records.journal.all if one.event == "ButtonPressed")
        assert entry.by == delivery.person, "and no stranger, although it came without a sign-in"
        await pressed(r, "acknowledge", delivery)
        await r.clock.forward(6 * 60_000)
        assert [title for _, title, _ in r.phones.told] == ["Cellar is damp"], "no reminder"
        by = [one.by for one in r.records.journal.all if one.event == "AutomationAcknowledged"]
        assert by == ["ada"]


async def test_not_again_for_an_hour_counts_for_one_person_and_one_subject() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await phone(r)
        await phone(r, "Ben's phone", "ben", 2)
        buttons = ({"do": "hush", "label": "Not again for an hour"},)
        r.hub.outbox.tell(about("Dry", buttons=buttons))
        await settle()
        mine = next(one for one in r.phones.taken if one.person == "ada")
        await pressed(r, "hush", mine)
    async with rig(records, clock) as r:
        r.hub.outbox.tell(about("Dry again"))
        r.hub.outbox.tell(about("Door", "door"))
        await settle()
        assert sorted((who[0], title) for who, title, _ in r.phones.told) == [
            ("A", "Door"), ("B", "Door"), ("B", "Dry again"),
        ]  # fmt: skip
        clock.now += 3_600_001
        r.hub.outbox.tell(about("Dry at last"))
        await settle()
        assert ("Ada's phone", "Dry at last", "") in r.phones.told


async def test_a_right_that_was_made_up_or_is_old_presses_nothing() -> None:
    async with rig() as r:
        await phone(r)
        buttons = ({"do": "hush", "label": "Not again for an hour"},)
        r.hub.outbox.tell(about("Dry", buttons=buttons))
        await settle()
        (delivery,) = r.phones.taken
        right = r.hub.contacts.buttons.right(delivery.id, "hush")
        other = r.hub.contacts.buttons.right(delivery.id + 1, "hush")
        stranger = Buttons("another key").right(delivery.id, "hush")
        for made_up in (
            right[:-1] + ("0" if right[-1] != "0" else "1"),
            right.replace(".hush.", ".off."), other, stranger, "", ".", "1..", "ä.hush.x",
            f"{10**30}.hush.x",
        ):  # fmt: skip
            with pytest.raises(Refused):
                await r.hub.context.changes.do(PressButton(made_up), STRANGER)
        r.clock.now += 25 * 3_600_000
        with pytest.raises(Refused, match="more than a day old"):
            await pressed(r, "hush", delivery)
        with pytest.raises(Refused):
            await r.do(PressButton(right))  # a person has no such right: it is the phone's


async def test_a_loudspeaker_says_it_and_says_nothing_late() -> None:
    async with rig() as r:
        volume = {"type": "integer", "unit": "%", "minimum": 0, "maximum": 100}
        thing = {**description("Terrace speaker", volume=volume), "actions": SAY}
        r.hub.pairing.open_window(60_000)
        arrival, _ = await r.hub.pairing.ask(thing, proof_of("1234", thing["id"]))
        await r.do(AdmitArrival(arrival.record.id, "1234", "Terrace speaker", "Terrace"))
        address = "terrace-speaker/say/text"
        await r.do(AddContact(PhoneRecord(0, "terrace", "ada", address, "", "", 0, "loudspeaker")))
        r.hub.outbox.tell(Told("ada", "Rain", "take the washing in", sorts=("loudspeaker",)))
        await settle()
        assert r.link.acts == [("terrace-speaker", "say", {"text": "Rain. take the washing in"})]
        assert states(r) == {"Rain": "delivered"}
        r.hub.house.people |= {"ada"}
        await r.do(SetQuietHours("ada", "07:30-09:00"))
        r.hub.outbox.tell(Told("ada", "Hens in", sorts=("loudspeaker",)))
        await settle()
        await r.clock.forward(2 * 3_600_000)
        assert states(r)["Hens in"] == "too late"
        assert len(r.link.acts) == 1
        assert not list(r.hub.outbox.needs()), "quiet hours are no fault"


@pytest.mark.parametrize(
    ("form", "what"),
    [
        ('{"a": "{title}"', "line 1, column 16"),
        ('{"a": "{titel}"}', "a notice has no {titel}; did you mean title?"),
        ('{"a": NaN}', "NaN is not a value"),
        ("[" * 1_900 + "]" * 1_900, "nested too deeply"),
        ('"' + "x" * 4_000 + '"', "4,002 characters; 4,000 are the most"),
    ],
)
def test_a_form_that_cannot_be_one_says_why(form: str, what: str) -> None:
    assert what in problem(form)


@pytest.mark.parametrize(
    ("form", "body"),
    [
        ('"{title}"', '"Wet \\"floor\\" {text}"'),
        ('{"{title}": ["{urgent}", " {urgent}", null, 1.5]}',
         '{"{title}": [true, " true", null, 1.5]}'),
        ('"{at} {not this} {{title}}"', '"7 {not this} {Wet \\"floor\\" {text}}"'),
    ],
)  # fmt: skip
def test_a_form_is_filled_and_nothing_in_a_notice_is_taken_for_its_own(
    form: str, body: str
) -> None:
    said = {"title": 'Wet "floor" {text}', "text": "secret", "urgent": True, "at": 7}
    assert filled(form, said).decode() == body


async def test_only_a_post_has_a_form() -> None:
    async with rig() as r:
        contact = PhoneRecord(0, "mail", "ada", "ada@mill.example", "", "", 0, "mail", '"{title}"')
        with pytest.raises(Invalid, match="only a post has a form"):
            await r.do(AddContact(contact))
