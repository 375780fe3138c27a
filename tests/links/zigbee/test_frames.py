"""The co-processor's frames, on bytes worked out by hand, and on any bytes at all."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.links.zigbee import answers, commands
from hombi.links.zigbee.commands import Id
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.frames import MAX_DATA, Decoder, Frame, FrameError, encode

FRAMES = st.builds(Frame, st.integers(0, 0xFFFF), st.binary(max_size=MAX_DATA))


def test_a_ping_is_five_bytes() -> None:
    assert encode(Frame(Id.PING)) == bytes.fromhex("fe 00 21 01 20")


def test_the_check_byte_is_the_exclusive_or_of_length_to_data() -> None:
    # 02 ^ 41 ^ 00 ^ 05 ^ a0 = e6
    assert encode(Frame(0x4100, b"\x05\xa0")) == bytes.fromhex("fe 02 41 00 05 a0 e6")


def test_more_than_250_bytes_do_not_fit() -> None:
    with pytest.raises(FrameError, match="up to 250 bytes, not 251"):
        encode(Frame(0x2401, bytes(251)))


@given(st.lists(FRAMES, max_size=6), st.integers(1, 40))
def test_what_is_sent_comes_out_however_it_is_cut(frames: list[Frame], cut: int) -> None:
    line, decoder = b"".join(map(encode, frames)), Decoder()
    result = [one for at in range(0, len(line), cut) for one in decoder.feed(line[at : at + cut])]
    assert result == frames
    assert decoder.skipped == 0
    assert not decoder.unfinished


@given(st.binary(max_size=600), st.lists(FRAMES, min_size=1, max_size=4))
def test_rubbish_is_skipped_and_what_follows_is_found(rubbish: bytes, frames: list[Frame]) -> None:
    decoder = Decoder()
    result = list(decoder.feed(rubbish + b"".join(map(encode, frames))))
    while decoder.unfinished:
        decoder.give_up()
        result += decoder.feed(b"")
    assert all(frame in result or rubbish for frame in frames)
    if 0xFE not in rubbish:
        assert result == frames
        assert decoder.skipped == len(rubbish)


def test_a_bad_frame_takes_no_good_one_with_it() -> None:
    good = encode(Frame(0x6101, b"\x79\x01"))
    broken = good[:-1] + bytes((good[-1] ^ 1,))
    decoder = Decoder()
    assert list(decoder.feed(broken + good)) == [Frame(0x6101, b"\x79\x01")]
    assert decoder.skipped == len(broken)


def test_half_a_frame_holds_up_the_next_until_it_is_given_up() -> None:
    good, decoder = encode(Frame(0x6101, b"\x79\x01")), Decoder()
    assert list(decoder.feed(b"\xfe\xf0" + good)) == []
    assert list(decoder.give_up()) == [Frame(0x6101, b"\x79\x01")]


def test_sync_bytes_in_a_row_hold_up_nothing() -> None:
    good, decoder = encode(Frame(0x6101, b"\x79\x01")), Decoder()
    assert list(decoder.feed(b"\xfe" * 60 + good)) == [Frame(0x6101, b"\x79\x01")]
    assert list(decoder.feed(b"\xfe\x31" * 40 + good)) == []
    assert list(decoder.give_up()) == [Frame(0x6101, b"\x79\x01")], (
        "all of it is as old: one look is enough"
    )
    assert not decoder.unfinished


@given(FRAMES)
def test_any_frame_is_parsed_or_refused_with_the_declared_error(frame: Frame) -> None:
    with contextlib.suppress(CodecError):
        answers.parse(frame)


@given(st.sampled_from(sorted(answers._PARSERS)), st.binary(max_size=120))
def test_any_data_of_a_known_command_is_parsed_or_refused(command: int, data: bytes) -> None:
    with contextlib.suppress(CodecError):
        assert answers.parse(Frame(command, data)) is not None


# The commands' layouts, as the table in the facts has them.


def test_what_is_asked_is_laid_out_as_specified() -> None:
    assert commands.permit_join(60).data == bytes.fromhex("0f fcff 3c 00")
    assert commands.register(1, [0x0000], [0x0500]).data == bytes.fromhex(
        "01 0401 0500 00 00 01 0000 01 0005"
    )
    assert commands.ask(Id.SIMPLE_DESCRIPTOR, 0x1234, 3).data == bytes.fromhex("3412 3412 03")
    ieee, ours = 0x0011223344556677, 0x8899AABBCCDDEEFF
    bound = bytes.fromhex("3412 7766554433221100 01 0204 03 ffeeddccbbaa9988 01")
    assert commands.bind(0x1234, ieee, 1, 0x0402, ours, 1).data == bound
    sent = commands.data_request(0x1234, 1, 6, 7, b"\x11\x05\x01")
    assert sent.data == bytes.fromhex("3412 01 01 0600 07 30 1e 03 110501")
    assert commands.store_init(commands.Item.PAN_ID, b"\x62\x1a").data == bytes.fromhex(
        "8300 0200 02 621a"
    )
    assert commands.store_write(commands.Item.PAN_ID, b"\x62\x1a").data == bytes.fromhex(
        "8300 00 02 621a"
    )


def test_what_comes_is_read_as_specified() -> None:
    def parsed(command: int, data: str) -> object:
        return answers.parse(Frame(command, bytes.fromhex(data)))

    announced = parsed(Id.ANNOUNCED, "3412 3412 7766554433221100 8e")
    assert announced == commands.Announced(0x1234, 0x0011223344556677, 0x8E)
    assert isinstance(announced, commands.Announced)
    assert announced.router
    assert not announced.sleepy
    assert parsed(Id.JOINED, "3412 7766554433221100 0000") == commands.Joined(
        0x1234, 0x0011223344556677, 0
    )
    assert parsed(Id.LEFT, "3412 7766554433221100 00 00 01") == commands.Left(
        0x1234, 0x0011223344556677, True
    )
    assert parsed(Id.ACTIVE_ENDPOINTS_CAME, "3412 00 3412 02 01f2") == commands.Endpoints(
        0x1234, 0, (1, 0xF2)
    )
    simple = parsed(
        Id.SIMPLE_DESCRIPTOR_CAME, "3412 00 3412 0e 01 0401 0203 00 02 0000 0204 01 0300"
    )
    assert simple == commands.SimpleDescriptor(
        0x1234, 0, 1, 0x0104, 0x0302, (0x0000, 0x0402), (0x0003,)
    )
    node = parsed(Id.NODE_DESCRIPTOR_CAME, "3412 00 3412 02 40 80 3412 50 5000 0000 5000 00")
    assert node == commands.NodeDescriptor(0x1234, 0, 2, 0x80, 0x1234)
    came = "0000 0204 3412 01 01 00 a8 00 01020304 09 08 18 2a 0a 0000 29 3409"
    assert parsed(Id.AF_INCOMING, came) == commands.Incoming(
        0x0402, 0x1234, 1, 0xA8, False, bytes.fromhex("182a0a0000293409")
    )
    assert parsed(Id.AF_INCOMING, came + "cdef1e") == parsed(Id.AF_INCOMING, came), (
        "newer firmware has some bytes more"
    )
    assert parsed(0x6102, "02 01 02 07 01 fe253401") == commands.Version(2, 1, 2, 7, 1, 0x013425FE)
    assert parsed(0x6102, "02 00 02 06 03") == commands.Version(2, 0, 2, 6, 3)
    assert parsed(
        0x6550, "0000 09 621a 0000 dddddddddddddddd 0000000000000000 0f"
    ) == commands.NetworkInfo(0x1A62, 0xDDDDDDDDDDDDDDDD, 15)
    assert parsed(
        0x6550, "0000 621a 0000 dddddddddddddddd 0000000000000000 0f"
    ) == commands.NetworkInfo(0x1A62, 0xDDDDDDDDDDDDDDDD, 15)
    assert parsed(Id.AF_DATA_CONFIRM, "e9 01 07") == commands.Confirm(0xE9, 1, 7)
