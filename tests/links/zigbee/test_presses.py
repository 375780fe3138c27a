"""Buttons and dials: commands of output clusters, as the bytes of the standard."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from hombi.core.kinds import kind_by_key
from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_plan import Part
from hombi.links.zigbee import zcl
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.presses import GivenPress, Remote, answer_of_panel, remotes
from hombi.links.zigbee.profiles import read_profile
from tests.links.told import on_link, until
from tests.links.zigbee.rig import PLANS, Rig, rig_at

ON_OFF, LEVEL, SCENES, COVERING, COLOUR, PANEL = 0x0006, 0x0008, 0x0005, 0x0102, 0x0300, 0x0501
EVERY = Remote(1, (SCENES, ON_OFF, LEVEL, COVERING, COLOUR, PANEL))


def heard(cluster: int, data: str, remote: Remote = EVERY) -> list[tuple[str, object]]:
    """What a frame in hex comes to: words of presses, and turns in %."""
    frame = zcl.decode(bytes.fromhex(data))
    return [
        (one.name, remote.words[int(one.value)] if one.name == "1/press" else one.value)
        for one in remote.heard(cluster, frame, 0)
    ]


# Frame control 01 (a cluster's command, client to server), sequence 2A, command,
# payload.
@pytest.mark.parametrize(
    ("cluster", "data", "word"),
    [
        (ON_OFF, "012A00", "off"),
        (ON_OFF, "012A01", "on"),
        (ON_OFF, "012A02", "toggle"),
        (ON_OFF, "012A400001", "off"),
        (ON_OFF, "012A42002C010000", "on"),
        (LEVEL, "012A00800A00", "level"),
        (LEVEL, "012A010053", "brightening"),
        (LEVEL, "012A0501FF", "darkening"),
        (LEVEL, "012A03", "stop"),
        (LEVEL, "012A07", "stop"),
        (COLOUR, "012A4C01450001000000000000", "warmer"),
        (COLOUR, "012A4C03450001000000000000", "colder"),
        (COLOUR, "012A4B00000000000000", "stop"),
        (COLOUR, "012A02013201", "next colour"),
        (SCENES, "012A05000003", "scene 3"),
        (SCENES, "012A050000C8", "another scene"),
        (COVERING, "012A00", "open"),
        (COVERING, "012A01", "close"),
        (COVERING, "012A02", "stop"),
        (COVERING, "012A0532", "position"),
        (PANEL, "012A0003000000", "arm all"),
        (PANEL, "012A0000000000", "disarm"),
        # Armed with a code (1234), which the hub does not know.
        (PANEL, "012A0002043132333400", "arm night"),
        (PANEL, "012A04", "panic"),
    ],
)
def test_a_command_is_a_press(cluster: int, data: str, word: str) -> None:
    assert heard(cluster, data) == [("1/press", word)]


@pytest.mark.parametrize(
    ("data", "turned"), [("012A02001A0100", 10.24), ("012A0601FE0000", -100.0)]
)
def test_a_step_of_a_dial_is_a_press_and_a_turn(data: str, turned: float) -> None:
    word = "brighter" if turned > 0 else "darker"
    assert heard(LEVEL, data) == [("1/press", word), ("1/turn", turned)]


@pytest.mark.parametrize(
    ("cluster", "data"),
    [
        (ON_OFF, "012AFD00"),  # a maker's own command, which only a profile names
        (ON_OFF, "05CD1B2A00"),  # the same number, of a maker
        (LEVEL, "012A0202400100"),  # a way that the standard does not have
        (0x0402, "012A00"),
        # With a code, anybody may want to disarm.
        (PANEL, "012A0000043132333400"),
    ],
)
def test_what_means_nothing_is_no_press(cluster: int, data: str) -> None:
    assert heard(cluster, data) == []


@pytest.mark.parametrize("data", ["012A02", "012A0200", "012A01"])
def test_a_command_that_is_cut_off_is_refused(data: str) -> None:
    with pytest.raises(CodecError):
        heard(LEVEL, data)


@pytest.mark.parametrize(
    ("data", "answered"),
    [
        ("012A0003000000", "03"),
        ("012A0000000000", "00"),
        ("012A0000043132333400", "04"),
        ("012A0009000000", "04"),
    ],
)
def test_a_keypad_is_told_what_becomes_of_it(data: str, answered: str) -> None:
    answer = answer_of_panel(zcl.decode(bytes.fromhex(data)))
    assert answer is not None
    # A cluster's command, from the server, that wants no answer; its own sequence.
    assert zcl.encode(answer).hex() == f"192a00{answered}"


def test_a_profile_gives_words_in_place_of_the_usual_ones() -> None:
    given = (
        GivenPress(1, ON_OFF, 0xFD, b"\x00", "pressed"),
        GivenPress(1, ON_OFF, 0xFD, b"\x01", "double"),
        GivenPress(2, ON_OFF, 0xFD, b"", "pressed"),
    )
    found = remotes({1: (ON_OFF, LEVEL), 3: (0x0019,)}, given)
    assert found[1].words[:2] == ("pressed", "double")
    assert "toggle" not in found[1].words
    assert found[2].words == ("pressed",)
    assert set(found) == {1, 2}
    assert heard(ON_OFF, "012AFD01", found[1]) == [("1/press", "double")]
    assert heard(ON_OFF, "012A02", found[1]) == []


def test_a_profile_says_which_presses_there_are() -> None:
    text = (
        '[profile]\nmake = "Weirside"\nmodel = "Knob K1"\n\n'
        '[[press]]\ncluster = 6\ncommand = 0xFD\npayload = "01"\nword = "double"\n\n'
        '[[value]]\ncluster = 0x0012\nattribute = 0x0055\ntype = "u16"\nname = "knob"\n'
        'kind = "press"\nwords = { 1 = "pressed", 2 = "double", 0 = "held" }\n'
    )
    profile, toml = read_profile(text)
    assert profile is not None, toml.mistakes
    assert profile.presses == (GivenPress(1, 6, 0xFD, b"\x01", "double"),)
    (knob,) = profile.added
    assert kind_by_key(knob.kind).words == ("pressed", "double", "held")
    assert [knob.value(raw) for raw in (1, 2, 0, 9)] == [0.0, 1.0, 2.0, None]


@pytest.mark.parametrize(
    ("table", "what"),
    [
        ('[[press]]\ncluster = 6\ncommand = 300\nword = "on"', "expected a command"),
        ('[[press]]\ncluster = 6\ncommand = 1\npayload = "0"\nword = "on"', "in hex"),
        ("[[press]]\ncluster = 6\ncommand = 1", "press has no word"),
        (
            '[[value]]\ncluster = 1\nattribute = 1\ntype = "u8"\nkind = "choice"',
            "a choice has no words",
        ),
        (
            '[[value]]\ncluster = 1\nattribute = 1\ntype = "u8"\nkind = "humidity"\n'
            'words = { 0 = "dry" }',
            "words go with the kinds",
        ),
        (
            '[[value]]\ncluster = 1\nattribute = 1\ntype = "u8"\nkind = "choice"\n'
            'words = { 0 = "a|b" }',
            "words by raw value",
        ),
    ],
)
def test_what_is_wrong_with_presses_and_words_is_said(table: str, what: str) -> None:
    profile, toml = read_profile(f'[profile]\nmake = "Weirside"\nmodel = "K"\n\n{table}\n')
    assert profile is None
    assert what in " ".join(f"{one}" for one in toml.mistakes)


def remote(rig: Rig) -> ZigbeeNode:
    """A remote of two endpoints, that sleeps."""
    plan = PLANS["terrace-light"]
    parts = {
        number: Part(0x0006, {0x0000: {}} if number == 1 else {}, outputs)
        for number, outputs in ((1, (ON_OFF, LEVEL)), (2, (ON_OFF,)))
    }
    return rig.build(replace(plan, address="remote", ieee=plan.ieee + 0x500, parts=parts))


def command(sequence: int, number: int, payload: bytes = b"") -> zcl.Zcl:
    return zcl.Zcl(sequence, number, payload, cluster_command=True)


async def test_a_remote_is_bound_and_each_press_comes_once(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = remote(rig)
        arrived = await rig.arrive("remote")
        names = [value.name for value in arrived.offer.values]
        assert names[:3] == ["button-1", "dial-1", "button-2"]
        rig.driver.follow(on_link("remote", arrived))
        await until(lambda: {(1, ON_OFF), (1, LEVEL), (2, ON_OFF)} <= node.bound)
        for sequence in (7, 7, 8):  # the second is the first again, over the air
            node.send(1, ON_OFF, command(sequence, 2))
        node.send(2, ON_OFF, command(9, 0))
        node.send(1, LEVEL, command(10, 2, bytes.fromhex("001A0100")))
        await until(lambda: rig.told.values.get("remote/1/turn"))
        button = next(value for value in arrived.offer.values if value.name == "button-1")
        words = button.kind.words
        assert words is not None
        pressed = [words[int(one.value)] for one in rig.told.values["remote/1/press"]]
        assert pressed == ["toggle", "toggle", "brighter"]
        assert [one.value for one in rig.told.values["remote/2/press"]] == [0.0]
        # It is told that each was understood, unless it wants no answer.
        understood = (ON_OFF, bytes.fromhex("0200"))
        await until(lambda: [(c, f.payload) for c, f in node.answers].count(understood) == 2)
