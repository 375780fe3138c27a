"""What belongs to a node or a person beside readings: settings, actions, keys,
accounts; and how the hub looks after itself."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from hombi.hub.automations.changes import AddAutomation, ChangeAutomation
from hombi.hub.doctor import look
from hombi.hub.errors import Busy, Invalid, NotFound, Refused
from hombi.hub.kernel import Event
from hombi.hub.kernel.journal_port import JournalEntry
from hombi.hub.nodes.admission import AdmitArrival
from hombi.hub.nodes.messages import BYTES, KEPT, PAYLOAD, TOPICS, Filter, Messages
from hombi.hub.nodes.mqtt_accounts import (
    AddMqttAccount,
    ChangeMqttAccount,
    NewMqttAccountKey,
    RemoveMqttAccount,
)
from hombi.hub.nodes.picks import AddNode
from hombi.hub.nodes.secrets import NewNodeKey, RevokeNodeKey
from hombi.hub.nodes.settings import Act, ChangeSetting, setting_value
from hombi.links.base import Heard, Unreachable
from hombi.links.offer import Setting
from tests.house import CLIMATE, PLUG, description
from tests.hub.parts import ManualClock, Rig, rig, settle

KEEPS = {
    "interval": {"type": "integer", "unit": "s", "minimum": 2, "maximum": 600, "title": "Interval"},
    "gain": {"type": "string", "enum": ["quiet", "brisk"], "title": "Gain"},
}


async def settled_in(r: Rig, **actions: Any) -> None:
    thing = {**description("Rack", **CLIMATE, **KEEPS), "actions": actions}
    r.hub.pairing.open_window(60_000)
    arrival, _ = await r.hub.pairing.ask(thing, "0" * 64)
    arrival.record.proof = ""
    await r.do(AdmitArrival(arrival.record.id, "", "Rack", ""))


async def test_a_setting_is_changed_when_the_node_says_so() -> None:
    async with rig() as r:
        await settled_in(r)
        r.say("rack", "interval", 30.0)
        assert r.hub.house.node("rack").told == {"interval": 30.0}, "a setting is not a reading"
        node = await r.do(ChangeSetting("rack", "interval", "5 s"))
        assert node.told["interval"] == 5
        await r.do(ChangeSetting("rack", "gain", "brisk"))
        assert node.told["gain"] == "brisk"
        r.link.obeys = False
        with pytest.raises(Refused, match=r"rack did not confirm its Interval within 0\.25 s"):
            await r.do(ChangeSetting("rack", "interval", 7))
        await settle()
        assert r.events().count("SettingChanged") == 2


async def test_wrong_settings_and_actions_are_named_with_what_there_is() -> None:
    async with rig() as r:
        await settled_in(
            r,
            wink={
                "input": {
                    "type": "object",
                    "properties": {"times": {"type": "integer", "maximum": 9}},
                }
            },
            rest={},
        )
        with pytest.raises(NotFound, match="Rack has no setting intervall; did you mean interval"):
            await r.do(ChangeSetting("rack", "intervall", 5))
        with pytest.raises(NotFound, match="Rack has no action winc; did you mean wink"):
            await r.do(Act("rack", "winc", {}))
        with pytest.raises(Invalid, match="does not ask for speed; it asks for times"):
            await r.do(Act("rack", "wink", {"speed": 1}))
        await r.do(Act("rack", "wink", {"times": "3"}))
        await r.do(Act("rack", "rest", {}))
        assert r.link.acts == [("rack", "wink", {"times": 3}), ("rack", "rest", None)]


@pytest.mark.parametrize(
    ("setting", "given", "value"),
    [
        (Setting("a", "A", "a", "integer", "s", 2, 600), "30 s", 30),
        (Setting("a", "A", "a", "integer"), 30.0, 30),
        (Setting("a", "A", "a", "number"), "1.5", 1.5),
        (Setting("a", "A", "a", "boolean"), "on", True),
        (Setting("a", "A", "a", "boolean"), False, False),
        (Setting("a", "A", "a", "string", choices=("x", "y")), "y", "y"),
    ],
)
def test_settings_are_read_as_people_and_programs_write_them(
    setting: Setting, given: Any, value: Any
) -> None:
    assert setting_value(setting, given) == value


@pytest.mark.parametrize(
    ("setting", "given", "said"),
    [
        (Setting("a", "A", "a", "integer", "s", 2, 600), 1, "A is 2 to 600 s, not 1"),
        (Setting("a", "A", "a", "integer"), 1.5, "whole number"),
        (Setting("a", "A", "a", "number"), "much", "A is a number, not 'much'"),
        (Setting("a", "A", "a", "number"), None, "A is a number"),
        (Setting("a", "A", "a", "integer"), True, "whole number"),
        (Setting("a", "A", "a", "boolean"), "maybe", "on or off"),
        (Setting("a", "A", "a", "string", choices=("x", "y")), "z", "one of x, y"),
        (Setting("a", "A", "a", "string"), 3, "is a text"),
    ],
)
def test_settings_that_cannot_be_are_refused(setting: Setting, given: Any, said: str) -> None:
    with pytest.raises(Invalid, match=said):
        setting_value(setting, given)


async def test_keys_are_rotated_and_revoked_and_the_old_ones_void_at_once() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        first = await r.do(NewNodeKey("rack"))
        second = await r.do(NewNodeKey("rack"))
        house = r.hub.house
        assert [house.fits("rack", key) for key in (first, second)] == [False, True]
        assert r.link.removed == ["rack", "rack"], "what came in with the old key is cut off"
        await r.do(RevokeNodeKey("rack"))
        assert not house.fits("rack", second)
        assert second not in house.node("rack").key_hash


async def test_mqtt_accounts_have_topics_and_keys_of_their_own() -> None:
    async with rig() as r:
        account, key = await r.do(AddMqttAccount("logger", ["mill/#"], ["mill/+/set"]))
        assert r.hub.house.account("logger", key) == (["mill/#"], ["mill/+/set"])
        assert r.hub.house.account("logger", "wrong") is None
        assert key not in str(account), "only its hash is kept"
        _, new = await r.do(NewMqttAccountKey("logger"))
        assert (r.hub.house.account("logger", key), bool(r.hub.house.account("logger", new))) == (
            None,
            True,
        )
        await r.do(ChangeMqttAccount("logger", None, ["yard/#"]))
        assert r.hub.house.account("logger", new) == (["mill/#"], ["yard/#"])
        for name, publish, said in [
            ("logger", ["a"], "there is an MQTT account logger already"),
            ("Logger 2", ["a"], "not a name for an MQTT account"),
            ("empty", [], "at least one topic filter"),
            ("odd", ["a/#/b"], "not a topic filter"),
        ]:
            with pytest.raises(Invalid, match=said):
                await r.do(AddMqttAccount(name, publish, []))
        with pytest.raises(Invalid, match="an MQTT account is called logger"):
            await r.do(AddNode("Logger", ""))
        await r.do(RemoveMqttAccount("logger"))
        assert r.hub.house.account("logger", new) is None
        with pytest.raises(NotFound):
            await r.do(NewMqttAccountKey("logger"))


def test_messages_are_bounded_by_number_size_and_topics() -> None:
    messages = Messages(ManualClock())
    for number in range(KEPT + TOPICS + 10):
        messages.note(Heard("door", f"mill/{number}/state", b"x"))
    assert len(messages.find(Filter(), 10_000)) == KEPT
    assert len(messages.find(Filter(), 10_000, each_topic=True)) == TOPICS
    for number in range(1000):
        messages.note(Heard("door", f"mill/{number}/state", b"x" * (PAYLOAD + 5)))
    for each_topic in (False, True):
        kept = messages.find(Filter(), 10_000, each_topic=each_topic)
        assert BYTES - 2 * PAYLOAD < sum(one.weight for one in kept) <= BYTES
    newest = messages.find(Filter(), 1)[0]
    assert (newest.number, len(newest.payload), newest.size) == (
        KEPT + TOPICS + 1010,
        PAYLOAD,
        PAYLOAD + 5,
    )
    assert len(newest.heard.payload) == PAYLOAD, "and the rest is nowhere kept"
    assert messages.get(newest.number) is newest
    assert messages.get(1) is None
    for number in range(KEPT + 10):
        messages.note(Heard("bluetooth", f"stranger-{number}/advertisement", b"{}"))
    assert messages.get(newest.number) is newest, (
        "one way in does not push out what came by another"
    )
    assert messages.find(Filter("door"), 1) == [newest]
    numbers = [m.number for m in messages.find(Filter(), 2 * KEPT)]
    assert numbers == sorted(numbers, reverse=True)
    assert len(numbers) == KEPT + len(messages.find(Filter("door"), KEPT))


def test_messages_are_found_by_topic_node_and_text() -> None:
    messages = Messages(ManualClock())
    messages.note(Heard("door", "mill/bed/state", b'{"Soil": 41}', "boards", "herb-bed"))
    messages.note(Heard("broker", "yard/lamp", b"ON"))
    messages.note(Heard("door", "mill/bed/state", b'{"Soil": 42}', "boards", "herb-bed"))

    def numbers(**wanted: str) -> list[int]:
        return [m.number for m in messages.find(Filter(**wanted), 10)]

    assert numbers(topic="mill/+/state") == [3, 1]
    assert numbers(topic="#", text="soil") == [3, 1]
    assert numbers(node="boards") == numbers(node="herb-bed") == [3, 1]
    assert numbers(text="YARD") == [2]
    assert numbers(node="nobody") == []
    assert [m.number for m in messages.find(Filter(), 10, each_topic=True)] == [3, 2]
    assert [m.number for m in messages.find(Filter(), 10, after=2)] == [3]


async def test_a_clock_that_is_set_makes_nobody_silent_and_no_hold_shorter_or_longer() -> None:
    async with rig() as r:
        await r.cellar()
        text = (
            'name = "Dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 '
            '%"\nheld = "5 min"\n'
            '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
        )
        runner = await r.do(AddAutomation(text))
        for _ in range(7):
            r.say("cellar-rack", "humidity", 70.0)
            await r.clock.forward(150_000)
        await r.do(ChangeAutomation("dry", enabled=False))
        await r.do(ChangeAutomation("dry", enabled=True))
        await r.clock.forward(60_000)
        heard = r.hub.house.node("cellar-rack").heard_ms
        for jump in (3_600_000, -7_200_000):
            wall = r.clock.now
            r.clock.now += jump
            r.hub.lag.look(wall, __import__("time").monotonic())
            heard += jump
            assert r.hub.house.node("cellar-rack").heard_ms == pytest.approx(heard, abs=50)
            runner = r.hub.automations.find("dry")
            assert runner.due == pytest.approx(r.clock.now + 240_000, abs=50)
        await settle()
        assert r.events().count("ClockSet") == 2
        r.say("cellar-rack", "humidity", 71.0)
        latest = r.hub.house.entity("cellar-rack/humidity").latest
        assert latest is not None
        assert latest.value == 71.0, "what is heard after the clock was set back is the latest"


async def test_two_readings_in_the_same_millisecond_are_both_kept() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        node = r.hub.house.node("rack")
        for value in (50, 51, 52):
            await r.hub.posts.pack(node.address, b'[{"n":"humidity","v":%d}]' % value)
        assert sorted(reading.value for reading in r.records.history.readings.values()) == [
            50,
            51,
            52,
        ]


async def test_a_settings_file_is_taken_up_while_the_hub_runs(tmp_path: Path) -> None:
    async with rig(data=tmp_path) as r:
        path = tmp_path / "hombi.toml"
        path.write_text(
            '[house]\nname = "Heron Mill"\n[actuation]\nanswer_within = "2 '
            's"\n[http]\nport = 5001\n[https]\nuse = false\n'
        )
        await r.hub.reload.take_up()
        assert (r.hub.config.house_name, r.hub.actuation.answer_s) == ("Heron Mill", 2.0)
        assert r.hub.reload.waiting == ["http.port"]
        assert any("must be started again" in need.text for need in r.hub.needs())
        path.write_text("[house]\nnmae = 3\n")
        await r.hub.reload.take_up()
        assert "did you mean name" in r.hub.reload.problem
        assert r.hub.config.house_name == "Heron Mill", "a file with a mistake changes nothing"
        assert {c.part: c.state for c in look(r.hub)}["hombi.toml"] == "fault"
        path.unlink()
        await r.hub.reload.take_up()
        assert (r.hub.reload.problem, r.hub.config.house_name) == ("", "Home")
        await settle()
        assert [e for e in r.events() if e.startswith("Settings")] == [
            "SettingsChanged",
            "SettingsRefused",
            "SettingsChanged",
        ]


async def test_the_doctor_looks_at_every_part() -> None:
    async with rig(data=Path("/tmp")) as r:
        await r.cellar()
        checks = {c.part: c for c in look(r.hub)}
        assert {
            "hombi.toml",
            "disk",
            "database",
            "event loop",
            "clock",
            "pairing",
            "nodes",
            "automations",
            "phones",
        } <= set(checks)
        assert checks["nodes"].state == "ok"
        assert checks["phones"].state == "warning"
        r.hub.house.node("cellar-rack").silent = True
        r.hub.writer.problem = "readings cannot be written (disk is full)"
        checks = {c.part: c for c in look(r.hub)}
        assert checks["nodes"].text == "no longer heard: cellar-rack"
        assert (checks["database"].state, bool(checks["database"].advice)) == ("fault", True)


class Said(Event):
    """An event by the name of its class."""

    @property
    def sentence(self) -> str:
        return self.name


async def test_an_entry_that_cannot_be_written_holds_up_no_other(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        await settle()  # what the start has to say
        write, tries = r.records.journal.add, list[str]()

        def moody(entries: Sequence[JournalEntry]) -> list[int]:
            tries.append(" ".join(entry.event for entry in entries))
            if "Poison" in tries[-1]:
                raise ValueError("no database takes this")
            if tries.count(tries[-1]) == 1:
                raise Busy("the disk is full")
            return write(entries)

        monkeypatch.setattr("hombi.hub.kernel.journal.AGAIN_S", 0.01)
        monkeypatch.setattr(r.records.journal, "add", moody)
        for event in ("First", "Poison", "Last"):
            r.hub.context.announce(type(event, (Said,), {})())
        async with asyncio.timeout(30):
            while r.events()[-1] != "Last":
                await settle()
        assert tries == ["First Poison Last", "First", "First", "Poison", "Last", "Last"]
        assert r.events()[-2:] == ["First", "Last"]


SPEAKS = """name = "Say so"
[watch]
entity = "rack/humidity"
over = "80 %"
[[starts]]
do = "rack/say"
with = { text = "It is {value}", times = "2" }
[[starts]]
set = "rack/interval"
to = "10 s"
[[ends]]
do = "rack/rest"
"""


async def test_a_switch_does_not_overtake_what_is_asked_for_before_it() -> None:
    async with rig() as r:
        await settled_in(r, rest={})
        await r.let_in("Plug", **PLUG)
        r.link.quick = True
        order: list[Any] = []
        r.link.acts = r.link.sent = order
        text = SPEAKS[: SPEAKS.index("do =")] + 'do = "rack/rest"\n'
        await r.do(AddAutomation(text + '[[starts]]\nswitch = "plug/switch"\nto = "on"\n'))
        r.say("rack", "humidity", 90.0)
        await settle()
        assert [one[0] for one in order] == ["rack", "plug"]


async def test_an_automation_has_a_node_do_what_it_offers_and_sets_its_settings() -> None:
    say = {
        "input": {
            "type": "object",
            "properties": {"times": {"type": "integer", "maximum": 9}, "text": {"type": "string"}},
        }
    }
    async with rig() as r:
        await settled_in(r, say=say, rest={})
        for wrong, said in (
            (("rack/say", "rack/sya"), "did you mean rack/say?"),
            (("times =", "tmes ="), "does not ask for tmes"),
            ((', times = "2"', ""), "needs times"),
            (('"2"', '"10"'), "not 10"),
            (("{value}", "{valu}"), "{valu} stands for nothing"),
            (('"10 s"', '"1 s"'), "is 2 to 600 s, not 1"),
            (("rack/interval", "rack/intervl"), "no entity rack/intervl"),
        ):
            with pytest.raises(Invalid) as refused:
                await r.do(AddAutomation(SPEAKS.replace(*wrong)))
            assert any(said in str(mistake) for mistake in refused.value.mistakes), (
                refused.value.mistakes
            )
        runner = await r.do(AddAutomation(SPEAKS))
        assert "rack: say (text It is {value}, times 2); rack: interval 10 s" in (
            r.hub.automations.spoken(runner.program)  # type: ignore[arg-type]
        )
        r.say("rack", "humidity", 85.0)
        await settle()
        assert r.link.acts == [("rack", "say", {"text": "It is 85.0 %", "times": 2})]
        assert r.hub.house.node("rack").told["interval"] == 10
        r.say("rack", "humidity", 75.0)
        await settle()
        assert r.link.acts[1:] == [("rack", "rest", None)]

        async def away(node: str, action: str, given: Any) -> Any:
            raise Unreachable("rack does not answer")

        r.link.act = away  # type: ignore[method-assign]
        r.say("rack", "humidity", 86.0)
        await settle()
        failed = next(one for one in r.records.journal.all if one.event == "ActionFailed")
        assert failed.text == "say-so could not do all that it says: rack does not answer"
        assert failed.automation == "say-so"
