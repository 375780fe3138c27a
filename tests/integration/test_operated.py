"""What a household operates over Zigbee, with a hub as people run it: each is let in,
shown, set, confirmed by its node, and as it was after a restart."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

import pytest

from hombi.client import Hub, Wrong
from hombi.wire.automations import PretendValue
from hombi.wire.entities import Entity
from tests.air import Air, hub_in, let_in
from tests.house import Service, until


@pytest.fixture(scope="module")
def both(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Service, Air]]:
    with hub_in(tmp_path_factory.mktemp("operated")) as (service, air):
        with service.hub() as hub:
            until(lambda: hub.zigbee.info().state == "up")
            hub.pairing.open("5 min")
            until(lambda: air.do(lambda: air.stick.permits))
            for node in (
                *("loft-dial", "loft-lamp", "loft-reading-lamp", "loft-blind"),
                *("drying-room-radiator", "drying-room-ceiling-fan", "workshop-lock"),
                "boathouse-siren",
            ):
                let_in(hub, air, node, air.nodes[node].plan.room)
            hub.pairing.close()
        yield service, air


@pytest.fixture(scope="module")
def service(both: tuple[Service, Air]) -> Service:
    return both[0]


@pytest.fixture(scope="module")
def air(both: tuple[Service, Air]) -> Air:
    return both[1]


@pytest.fixture
def hub(service: Service) -> Iterator[Hub]:
    with service.hub() as hub:
        yield hub


def known(hub: Hub, address: str) -> Entity:
    return until(lambda: found if (found := hub.entities.get(address)).value is not None else None)


def attribute(air: Air, node: str, cluster: int, number: int) -> object:
    return air.do(lambda: air.nodes[node]._read(1, cluster, number).value)


def test_a_press_starts_an_automation_each_time(hub: Hub, air: Air) -> None:
    hub.automations.add(
        'name = "Dial"\n[watch]\nentity = "loft-dial/button"\nis = "toggle"\n'
        '[[starts]]\nswitch = "loft-lamp/switch"\nto = "other"\n'
    )
    known(hub, "loft-lamp/switch")
    until(lambda: (1, 6) in air.do(lambda: air.nodes["loft-dial"].bound))
    for expected in (True, False, True):
        air.do(lambda: air.nodes["loft-dial"].tap("tap"))
        until(lambda wanted=expected: air.do(lambda: air.nodes["loft-lamp"].on) is wanted)
    button = hub.entities.get("loft-dial/button")
    assert (button.kind, button.drawn, button.shown) == ("press", "marks", "toggle")
    assert [one.value for one in hub.entities.readings("loft-dial/button", 0)] == [2.0] * 3
    until(lambda: hub.automations.get("dial").started_lately == 3)
    # A turn is a press, and says how far.
    air.do(lambda: air.nodes["loft-dial"].tap("turn left"))
    until(lambda: hub.entities.get("loft-dial/button").shown == "darker")
    assert known(hub, "loft-dial/dial").shown == "5 % left"


@pytest.mark.parametrize(
    ("entity", "to", "shown", "raw"),
    [
        ("loft-reading-lamp/white", "2700 K", "2703 K", (0x0300, 0x0007, 370)),
        ("loft-reading-lamp/hue", "120 °", "120 °", (0x0300, 0x0000, 85)),
        ("loft-reading-lamp/saturation", "50%", "50 %", (0x0300, 0x0001, 127)),
        ("loft-reading-lamp/level", "40 %", "40 %", (0x0008, 0x0000, 102)),
        ("loft-blind/position", "60 %", "60 %", (0x0102, 0x0008, 40)),
        ("drying-room-radiator/target", "21.5 °C", "21.5 °C", (0x0201, 0x0012, 2150)),
        ("drying-room-radiator/mode", "OFF", "off", (0x0201, 0x001C, 0)),
        ("drying-room-ceiling-fan/fan", "medium", "medium", (0x0202, 0x0000, 2)),
        ("workshop-lock/lock", "unlocked", "unlocked", (0x0101, 0x0000, 2)),
    ],
)
def test_it_is_set_and_its_node_confirms_it(
    hub: Hub, air: Air, entity: str, to: str, shown: str, raw: tuple[int, int, int]
) -> None:
    air.do(lambda: setattr(air.nodes["loft-blind"], "travels_s", 0.4))
    known(hub, entity)
    assert hub.entities.set(entity, to).state == "confirmed"
    until(lambda: hub.entities.get(entity).shown == shown)
    cluster, number, wanted = raw
    assert attribute(air, entity.partition("/")[0], cluster, number) == wanted


@pytest.mark.parametrize(
    ("entity", "to", "said"),
    [
        ("drying-room-radiator/target", "40 °C", "takes 5 °C to 30 °C"),
        ("loft-reading-lamp/white", "9000 K", "takes 2203 K to 6536 K"),
        ("drying-room-radiator/mode", "cool", "use 'off' or 'heat'"),
        ("loft-dial/button", "toggle", "read-only"),
    ],
)
def test_what_it_cannot_do_is_said(hub: Hub, entity: str, to: str, said: str) -> None:
    with pytest.raises(Wrong, match=said):
        hub.entities.set(entity, to)


def test_it_blinks_stops_and_sounds(service: Service, hub: Hub, air: Air) -> None:
    node = air.nodes["boathouse-siren"]
    assert {one.name for one in hub.nodes.get("boathouse-siren").actions} == {
        *("blink", "sound", "silence"),
    }
    hub.nodes.act("boathouse-siren", "blink", {"seconds": 60})
    until(lambda: air.do(lambda: node.state) == "blinking")
    air.do(node._does.clear)
    sound = {"seconds": 20, "loudness": "very high", "reason": "fire"}
    hub.nodes.act("boathouse-siren", "sound", sound)
    until(lambda: air.do(lambda: node.state) == "sounding")
    # Start warning (8.4.2.3.1): fire, with flashes, very loud; 20 s.
    sent = air.do(lambda: [f.payload.hex() for c, f in node.answers if c == 0x0502])
    assert sent == ["2714003203"]
    hub.nodes.act("boathouse-siren", "silence")
    until(lambda: air.do(lambda: node.state) == "in the network")
    with pytest.raises(Wrong, match="How loud is one of low"):
        hub.nodes.act("boathouse-siren", "sound", {"loudness": "deafening"})

    blind = air.nodes["loft-blind"]
    air.do(lambda: setattr(blind, "travels_s", 60.0))
    begun = hub.entities.get("loft-blind/position").value
    assert begun is not None
    to = "close" if begun > 50 else "open"
    threading.Thread(target=lambda: service.hombi("set", "loft-blind", to), daemon=True).start()
    until(lambda: air.do(lambda: bool(blind.travels)))
    hub.nodes.act("loft-blind", "stop")
    until(lambda: air.do(lambda: next(iter(blind.travels.values())).takes_s == 0.0))
    air.do(lambda: setattr(blind, "travels_s", 0.2))


def test_choices_are_counted_and_exported_by_their_words(hub: Hub) -> None:
    known(hub, "drying-room-radiator/mode")
    for word in ("heat", "off", "heat"):
        assert hub.entities.set("drying-room-radiator/mode", word).state == "confirmed"
    until(
        lambda: (
            b"heat" in b"".join(hub.entities.export("drying-room-radiator/mode"))
            and b"off" in b"".join(hub.entities.export("drying-room-radiator/mode"))
        )
    )


def test_a_node_is_set_as_a_whole_from_the_command_line(service: Service, air: Air) -> None:
    done = service.hombi("set", "loft-reading-lamp", "switch=on", "level=60%", "white=2700K")
    assert done.returncode == 0, done.stderr
    assert [line.split(",")[0] for line in done.stdout.splitlines()] == [
        "loft-reading-lamp/switch is on",
        "loft-reading-lamp/level is 60 %",
        "loft-reading-lamp/white is 2703 K",
    ]
    assert attribute(air, "loft-reading-lamp", 0x0008, 0) == 152
    for words, said in (
        (("loft-blind", "close"), "loft-blind/position is 0 %"),
        (("Loft blind", "30%"), "loft-blind/position is 30 %"),
        (("workshop-lock", "locked"), "workshop-lock/lock is locked"),
        (("drying-room-radiator", "21"), "drying-room-radiator/target is 21.0 °C"),
    ):
        assert said in service.hombi("set", *words).stdout
    for words, hue, saturation in (
        (("teal",), 127, 254),
        (("colour=#ff8800", "level=50%"), 23, 254),
        (("Dark", "Salmon"), 11, 121),
    ):
        done = service.hombi("set", "loft-reading-lamp", *words)
        assert done.returncode == 0, done.stderr
        assert attribute(air, "loft-reading-lamp", 0x0300, 0) == hue
        assert attribute(air, "loft-reading-lamp", 0x0300, 1) == saturation
    service.hombi("set", "loft-reading-lamp", "colour=4000 K")
    assert attribute(air, "loft-reading-lamp", 0x0300, 7) == 250
    for words, said in (
        (("loft-dial", "on"), "nothing that can be set"),
        (("loft-reading-lamp", "sideways"), "none of its switch, level"),
        (("loft-reading-lamp", "black"), "switch the lamp off instead"),
        (("loft-reading-lamp", "colour=sideways"), "'sideways' is no colour"),
        (("loft-lamp", "colour=teal"), "has no colours"),
        (("loft-lamp", "colour=sideways"), "'sideways' is no colour"),
        (("loft-reading-lamp", "colour=teal", "hue=20"), "cannot be two values"),
        (("loft-reading-lamp", "level=400%", "switch=off"), "beyond what a level can be"),
        (("loft-lamp", "level=10%", "20%"), "cannot be two values"),
        (("loft-lamp/level", "level=10%"), "is not a node"),
        (("loft-lamp", "level=10%", "--taking", "soon"), "not a length of time"),
    ):
        refused = service.hombi("set", *words)
        assert refused.returncode, words
        assert said in " ".join(refused.stderr.split()), refused.stderr
    # What was refused in part was not done in part.
    assert air.do(lambda: air.nodes["loft-reading-lamp"].on) is True


def test_the_command_line_has_words_for_them(service: Service) -> None:
    shown = service.hombi("history", "loft-dial/button").stdout
    assert "toggle" in shown
    assert "mean" not in shown
    assert "heat" in service.hombi("history", "drying-room-radiator/mode").stdout
    detail = service.hombi("entity", "show", "loft-dial/button").stdout
    assert "off, on, toggle, brighter" in " ".join(detail.split())
    assert "believed" not in detail
    why = service.hombi("why", "dial").stdout
    assert "it had last started at" in why
    refused = service.hombi("entity", "kind", "loft-dial/button", "choice")
    assert refused.returncode
    assert "words that its node says" in " ".join(refused.stderr.split())
    assert service.hombi("entity", "kind", "loft-dial/button", "press").returncode == 0
    with service.hub() as hub:
        assert (hub.entities.get("loft-dial/button").words or [])[:3] == ["off", "on", "toggle"]


def test_all_of_it_is_there_after_a_restart(service: Service, air: Air) -> None:
    with service.hub() as hub:
        before = {one.entity: one for one in hub.entities.list()}
    service.stop()
    service.start()
    with service.hub() as hub:
        until(lambda: hub.zigbee.info().state == "up")
        for address, one in before.items():
            there = hub.entities.get(address)
            assert (there.kind, there.words, there.drawn) == (one.kind, one.words, one.drawn)
        assert hub.entities.get("loft-dial/button").shown == "darker"
        # What was pressed before the start does nothing now; the next press does.
        on = air.do(lambda: air.nodes["loft-lamp"].on)
        air.do(lambda: air.nodes["loft-dial"].tap("tap"))
        until(lambda: air.do(lambda: air.nodes["loft-lamp"].on) is not on)


def test_now_has_a_line_for_what_belongs_together(service: Service, hub: Hub) -> None:
    hub.entities.set("loft-reading-lamp/switch", "on")
    lines = [" ".join(line.split()) for line in service.hombi("now").stdout.splitlines()]
    (lamp,) = [line for line in lines if "loft-reading-lamp" in line]
    assert "loft-reading-lamp on, level" in lamp
    assert "saturation" in lamp
    (radiator,) = [line for line in lines if "drying-room-radiator " in line]
    assert "target" in radiator
    assert "mode" in radiator
    assert sum("loft-dial " in line for line in lines) == 1
    until(lambda: hub.entities.get("loft-reading-lamp/switch").since)
    # Who asks for one node wants each of its values, with its address.
    alone = service.hombi("now", "--node", "loft-reading-lamp").stdout
    assert "loft-reading-lamp/saturation" in alone
    assert "loft-reading-lamp/level" in alone


def test_a_dial_dims_a_lamp_as_far_as_it_is_turned(hub: Hub, air: Air) -> None:
    """Also turned faster than the lamp answers, and to the end of what it can be."""
    hub.automations.add(
        'name = "Dims"\n[watch]\nentity = "loft-dial/dial"\nis_not = "0 %"\n'
        '[[starts]]\nset = "loft-lamp/level"\nby = "loft-dial/dial"\n'
    )
    assert hub.entities.set("loft-lamp/level", "50 %").state == "confirmed"

    def turn(which: str, times: int) -> None:
        for _ in range(times):
            air.do(lambda: air.nodes["loft-dial"].tap(f"turn {which}"))
            time.sleep(0.02)

    # Each step is 13 of 254 levels.
    step = 100 * 13 / 254
    for which, times, level in (
        ("right", 4, 50 + 4 * step),
        ("left", 2, 50 + 2 * step),
        ("right", 12, 100.0),
        ("left", 25, 0.0),
        ("right", 3, 3 * step),
    ):
        turn(which, times)
        until(
            lambda level=level: (
                abs((hub.entities.get("loft-lamp/level").value or 0) - level) < 1.5
                and hub.entities.get("loft-lamp/level").wanted is None
            )
        )
    # What it did is counted by its replay and told by *why*; a rehearsal lists it.
    text = hub.automations.get("dims").text
    assert "Loft lamp level by Loft dial" in hub.automations.get("dims").sentence
    replayed = hub.automations.replay(text)
    assert replayed.starts >= 46
    (done,) = hub.automations.why("dims").done
    assert done.done
    pretended = [PretendValue(entity="loft-dial/dial", value="-10 %")]
    (step,) = hub.automations.rehearse(text, pretended).steps
    assert step.effects == ["Loft lamp level by Loft dial"]
    hub.automations.remove("dims")
