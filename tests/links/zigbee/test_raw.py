"""Frames in words, and the profile that they begin. The bytes are worked out from the
ZCL specification."""

from __future__ import annotations

import json

from hypothesis import given
from hypothesis import strategies as st

from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.profiles import read_profile
from hombi.links.zigbee.raw import Unnamed, draft, in_words


def words(cluster: int, hexed: str) -> object:
    return json.loads(
        in_words(cluster, zcl.decode(bytes.fromhex(hexed)), tunnels=cluster == 0xFC52)
    )


def test_a_report_says_attributes_with_their_types() -> None:
    # Report (0x0A) from the server: attribute 0x0000 of type s16 (0x29) is 0x0735 =
    # 1845; 0x0011, u16 (0x21), is "invalid".
    assert words(0x0402, "18 07 0a 0000 29 3507 1100 21 ffff") == {
        "0x0000": {"s16": 1845},
        "0x0011": {"u16": None},
    }
    # The same with a manufacturer code, 0x1399, and an octet string (0x41), which
    # profiles have no word for.
    assert words(0xFC01, "1c 9913 07 0a 0700 41 02beef") == {
        "manufacturer": "0x1399",
        "0x0007": {"0x41": "beef"},
    }
    # Read response (0x01): 0x0000 is there (status 0), 0x0005 is none (0x86).
    assert words(0x0402, "18 07 01 0000 00 29 3507 0500 86") == {
        "0x0000": {"s16": 1845},
        "0x0005": {"status": "0x86"},
    }


def test_tunnelled_values_are_said_by_their_numbers() -> None:
    # Command 02 of the cluster: sequence 0x0001; number 5, type 2 (value), 4 bytes,
    # 0x2f; number 1, type 1 (bool), 1 byte.
    assert words(0xFC52, "09 01 02 0001 05 02 0004 0000002f 01 01 0001 01") == {
        "5": {"s32": 47},
        "1": {"bool": True},
    }


def test_what_is_not_understood_is_bytes() -> None:
    assert words(0x0500, "09 01 00 2100 00 00 0000") == {
        "cluster command": "0x00",
        "payload": "210000000000",
    }
    assert words(0x0402, "18 07 0a 0000 29 35") == {
        "general command": "0x0A",
        "payload": "00002935",
    }


def test_a_draft_is_a_profile_and_names_what_has_no_name() -> None:
    result = [
        Unnamed(1, 0xFC52, 21, tunnel.S32, 687, tunnelled=True),
        Unnamed(1, 0xFC52, 22, tunnel.BYTES, b"\x01\x02", tunnelled=True),
        Unnamed(2, 0xFC01, 7, dt.U16, 12, 0x1399),
        Unnamed(2, 0xFC01, 8, dt.TEXT, "v2"),
    ]
    text = draft('Kelp "Row"', "S7", "", result)
    profile, toml = read_profile(text)
    assert profile is not None, toml.mistakes
    assert (profile.make, profile.models) == ('Kelp "Row"', ("S7",))
    assert [(p.wire, p.manufacturer) for p in profile.added] == [
        ("2/FC01/0007@1399", 0x1399),
        ("1/dp21", 0),
    ]
    assert "# tunnelled 22 is '0102', which is not a number" in text
    assert "# 0xFC01/0x0008 is 'v2', which is not a number" in text
    more = draft("", "", text, [Unnamed(1, 0xFC52, 30, tunnel.BOOL, True, tunnelled=True)])
    assert more.startswith(text)
    longer, _ = read_profile(more)
    assert longer is not None
    assert len(longer.added) == 3
    elsewhere, _ = read_profile(
        draft("A", "B", "", [Unnamed(3, 0xFD00, 1, tunnel.BOOL, False, tunnelled=True)])
    )
    assert elsewhere is not None
    assert [(p.endpoint, p.cluster) for p in elsewhere.added] == [(3, 0xFD00)]


@given(st.integers(0, 0xFFFF), st.binary(max_size=60))
def test_any_frame_has_words(cluster: int, data: bytes) -> None:
    try:
        frame = zcl.decode(data)
    except CodecError:
        return
    assert isinstance(json.loads(in_words(cluster, frame, tunnels=cluster == 0xFC52)), dict)
