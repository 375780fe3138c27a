"""MQTT 3.1.1 packets on bytes worked out by hand from the standard, and on any bytes at
all."""

from __future__ import annotations

import contextlib
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.decoding import _ACKS, Reader
from hombi.links.wifi.mqtt.encoding import encode
from hombi.links.wifi.mqtt.properties import _TABLE, WILL
from hombi.links.wifi.mqtt.wire import MalformedPacket

EXAMPLES = [
    # 3.1: protocol name, level 4, flags clean+will qos1 retain+password+username,
    # keep-alive 10, then the payload
    (
        "10 24 00 04 4d 51 54 54 04 ee 00 0a 00 02 61 62 00 03 61 2f 77 00 04 67 6f 6e "
        "65 00 01 75 00 06 73 65 63 72 65 74",
        p.Connect("ab", 4, True, 10, "u", b"secret", p.Publish("a/w", b"gone", 1, True)),
    ),
    ("10 0c 00 04 4d 51 54 54 04 02 00 3c 00 00", p.Connect("", 4, True, 60)),
    ("20 02 01 00", p.Connack(0, True)),
    ("20 02 00 05", p.Connack(5, False)),
    # 3.3: topic "a/b", identifier 10, as in figure 3.11 of the standard
    ("32 07 00 03 61 2f 62 00 0a", p.Publish("a/b", b"", 1, False, 10)),
    ("3b 08 00 03 61 2f 62 00 0a 78", p.Publish("a/b", b"x", 1, True, 10, True)),
    ("30 06 00 03 61 2f 62 78", p.Publish("a/b", b"x")),
    ("40 02 00 0a", p.Puback(10)),
    # 3.8: "a/b" at QoS 1 and "c/d" at QoS 2, as in figure 3.23
    ("82 0e 00 0a 00 03 61 2f 62 01 00 03 63 2f 64 02", p.Subscribe(10, (("a/b", 1), ("c/d", 2)))),
    # 3.9: granted 0, granted 2, failure, as in figure 3.27
    ("90 05 00 0a 00 02 80", p.Suback(10, (0, 2, 0x80))),
    ("a2 0c 00 0a 00 03 61 2f 62 00 03 63 2f 64", p.Unsubscribe(10, ("a/b", "c/d"))),
    ("b0 02 00 0a", p.Unsuback(10)),
    ("c0 00", p.Pingreq()),
    ("d0 00", p.Pingresp()),
    ("e0 00", p.Disconnect()),
]


@pytest.mark.parametrize(("written", "packet"), EXAMPLES)
def test_reads_and_writes_the_bytes_of_the_standard(written: str, packet: p.Packet) -> None:
    data = bytes.fromhex(written)
    assert Reader().feed(data) == [packet]
    assert encode(packet) == data


@pytest.mark.parametrize(
    ("length", "encoded"), [(127, "7f"), (128, "80 01"), (16_383, "ff 7f"), (16_384, "80 80 01")]
)
def test_remaining_length_as_in_table_2_4(length: int, encoded: str) -> None:
    packet = p.Publish("t", b"x" * (length - 3))
    data = encode(packet)
    assert data[1 : 1 + len(bytes.fromhex(encoded))] == bytes.fromhex(encoded)
    assert Reader().feed(data) == [packet]


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("00 00", "no packet type 0"),
        ("f0 00", "no packet type 15"),
        ("62 03 00 01 00", "longer"),
        ("41 02 00 0a", "MQTT-2.2.2-2"),
        ("80 08 00 0a 00 03 61 2f 62 01", "MQTT-2.2.2-2"),
        ("36 07 00 03 61 2f 62 00 0a", "MQTT-3.3.1-4"),
        ("38 05 00 03 61 2f 62", "MQTT-3.3.1-2"),
        ("32 07 00 03 61 2f 62 00 00", "MQTT-2.3.1-1"),
        ("32 06 00 03 61 2f 62 00", "ends too early"),
        ("30 01 00", "ends too early"),
        ("30 05 00 03 61 00 62", "MQTT-1.5.3-2"),
        ("30 05 00 03 ff fe 62", "MQTT-1.5.3-1"),
        ("40 03 00 0a 00", "longer than its content"),
        ("82 02 00 0a", "MQTT-3.8.3-3"),
        ("82 08 00 0a 00 03 61 2f 62 03", "MQTT-3-8.3-4"),
        ("a2 02 00 0a", "MQTT-3.10.3-2"),
        ("10 0c 00 04 4d 51 54 58 04 02 00 3c 00 00", "MQTT-3.1.2-1"),
        ("10 0c 00 04 4d 51 54 54 04 03 00 3c 00 00", "MQTT-3.1.2-3"),
        ("10 0c 00 04 4d 51 54 54 04 22 00 3c 00 00", "MQTT-3.1.2-11"),
        ("10 0c 00 04 4d 51 54 54 04 42 00 3c 00 00", "MQTT-3.1.2-22"),
        ("30 ff ff ff ff 7f", "more than four bytes"),
        ("30 ff ff 7f", "over the limit"),
    ],
)
def test_refuses_what_the_standard_forbids(written: str, said: str) -> None:
    with pytest.raises(MalformedPacket, match=said):
        Reader().feed(bytes.fromhex(written))


def test_another_version_is_read_as_far_as_its_level() -> None:
    (packet,) = Reader().feed(bytes.fromhex("10 0d 00 04 4d 51 54 54 05 02 00 3c 00 00 00"))
    assert isinstance(packet, p.Connect)
    assert packet.level == 5


texts = st.text(st.characters(blacklist_categories=("Cs",), blacklist_characters="\0"), max_size=12)
identifiers = st.integers(1, 0xFFFF)
publishes = st.integers(0, 2).flatmap(
    lambda qos: st.builds(
        p.Publish, texts, st.binary(max_size=300), st.just(qos), st.booleans(),
        identifiers if qos else st.just(0), st.booleans() if qos else st.just(False),
    )
)  # fmt: skip
packets = st.one_of(
    publishes,
    st.builds(p.Puback, identifiers),
    st.builds(p.Connack, st.integers(0, 5), st.booleans()),
    st.builds(
        p.Subscribe,
        identifiers,
        st.lists(st.tuples(texts, st.integers(0, 2)), min_size=1, max_size=3).map(tuple),
    ),
    st.builds(p.Unsubscribe, identifiers, st.lists(texts, min_size=1, max_size=3).map(tuple)),
    st.builds(
        p.Connect,
        texts,
        st.just(4),
        st.booleans(),
        st.integers(0, 0xFFFF),
        texts,
        st.binary(max_size=20),
    ),
    st.sampled_from([p.Pingreq(), p.Pingresp(), p.Disconnect()]),
)


@given(st.lists(packets, max_size=6), st.lists(st.integers(1, 40), min_size=1, max_size=40))
def test_a_stream_cut_anywhere_gives_the_same_packets(
    sent: list[p.Packet], cuts: list[int]
) -> None:
    stream, reader, result, at, place = (
        b"".join(map(encode, sent)),
        Reader(),
        list[p.Packet](),
        0,
        0,
    )
    while at < len(stream):
        size = cuts[place % len(cuts)]
        result += reader.feed(stream[at : at + size])
        at, place = at + size, place + 1
    assert result == sent


@given(st.binary(max_size=400), st.sampled_from([4, 5]))
def test_any_bytes_are_packets_or_malformed(data: bytes, level: int) -> None:
    with contextlib.suppress(MalformedPacket):
        Reader(level=level).feed(data)


VALUES: dict[str, st.SearchStrategy[Any]] = {
    "flag": st.integers(0, 1), "u16": st.integers(1, 0xFFFF), "u32": st.integers(1, 2**32 - 1),
    "varint": st.integers(1, 2**28 - 1),
    "text": texts, "binary": st.binary(max_size=20),
    "pair": st.lists(st.tuples(texts, texts), min_size=1, max_size=3).map(tuple),
}  # fmt: skip


def said(kind: int) -> st.SearchStrategy[dict[str, Any]]:
    """Any properties that may stand in this packet."""
    fitting = {}
    for name, form, kinds in _TABLE.values():
        if kind in kinds:
            many = name == "subscription_id" and kind == p.PUBLISH
            fitting[name] = (
                st.lists(VALUES[form], min_size=1, max_size=3).map(tuple) if many else VALUES[form]
            )
    return st.fixed_dictionaries({}, optional=fitting)


reasons = st.integers(0, 0xFF)
codes = st.lists(reasons, min_size=1, max_size=3).map(tuple)
packets_5 = st.one_of(
    st.builds(lambda packet, said: replace(packet, properties=said), publishes, said(p.PUBLISH)),
    *(st.builds(made, identifiers, reasons, said(kind)) for kind, made in _ACKS.items()),
    st.builds(p.Connack, reasons, st.booleans(), said(p.CONNACK)),
    st.builds(
        p.Subscribe, identifiers,
        st.lists(st.tuples(texts, st.sampled_from([0, 1, 2, 5, 0x2E])), min_size=1).map(tuple),
        said(p.SUBSCRIBE),
    ),
    st.builds(p.Suback, identifiers, codes, said(p.SUBACK)),
    st.builds(
        p.Unsubscribe, identifiers, st.lists(texts, min_size=1, max_size=3).map(tuple),
        said(p.UNSUBSCRIBE),
    ),
    st.builds(p.Unsuback, identifiers, codes, said(p.UNSUBACK)),
    st.builds(p.Disconnect, reasons, said(p.DISCONNECT)),
    st.builds(p.Auth, reasons, said(p.AUTH)),
    st.builds(
        p.Connect, texts, st.just(5), st.booleans(), st.integers(0, 0xFFFF), texts,
        st.binary(max_size=20),
        st.none() | st.builds(
            p.Publish, texts, st.binary(max_size=9), st.integers(0, 2), st.booleans(),
            properties=said(WILL),
        ),
        said(p.CONNECT),
    ),
)  # fmt: skip


@given(st.lists(packets_5, max_size=4))
def test_what_is_written_with_properties_is_read_the_same(sent: list[p.Packet]) -> None:
    stream = b"".join(encode(packet, 5) for packet in sent)
    assert Reader(level=5).feed(stream) == sent


@given(packets_5, st.integers(0, 200), st.integers(0, 255))
def test_a_packet_with_one_wrong_byte_is_a_packet_or_malformed(
    packet: p.Packet, place: int, byte: int
) -> None:
    data = bytearray(encode(packet, 5))
    data[place % len(data)] = byte
    with contextlib.suppress(MalformedPacket):
        Reader(level=5).feed(bytes(data))


def test_the_examples_of_mqtt_5_on_bytes_worked_out_by_hand() -> None:
    # connect: clean start, keep-alive 60, session expiry 10 (0x11), client identifier
    # "a"
    data = bytes.fromhex("10 13 00 04 4d 51 54 54 05 02 00 3c 05 11 00 00 00 0a 00 01 61")
    assert Reader().feed(data) == [p.Connect("a", 5, True, 60, properties={"session_expiry": 10})]
    # publish at QoS 1 to "a/b", identifier 10, with the user property ("k", "v")
    data = bytes.fromhex("32 10 00 03 61 2f 62 00 0a 07 26 00 01 6b 00 01 76 78")
    assert Reader(level=5).feed(data) == [
        p.Publish("a/b", b"x", 1, False, 10, properties={"user": (("k", "v"),)})
    ]
    # an acknowledgement that leaves out reason and properties (3.4.2.1), and one that
    # says 0x10
    assert Reader(level=5).feed(bytes.fromhex("40 02 00 0a 40 03 00 0a 10")) == [
        p.Puback(10),
        p.Puback(10, 0x10),
    ]
