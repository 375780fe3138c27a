"""Picking values out of what foreign nodes say, and saying what they understand."""

from __future__ import annotations

import contextlib
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.kinds import KINDS
from hombi.core.picking import (
    Pick,
    PickError,
    candidates,
    check_pointer,
    check_template,
    filter_of,
    node_in,
    pick_posted,
    pick_value,
    render,
)

NOW = 1_800_000_000_000
# The document of RFC 6901, section 5, with the values that are numbers there.
RFC_6901 = (
    b'{"foo":["bar","baz"],"":0,"a/b":1,"c%d":2,"e^f":3,"g|h":4,"i\\\\j":5,"k\\"l":6," ":7,"m~n":8}'
)


def number(payload: bytes, pointer: str = "", kind: str = "number") -> float | bool | str:
    return pick_value(payload, Pick(pointer), KINDS[kind], NOW).value


@pytest.mark.parametrize(
    ("pointer", "value"),
    [
        ("/", 0),
        ("/a~1b", 1),
        ("/c%d", 2),
        ("/e^f", 3),
        ("/g|h", 4),
        ("/i\\j", 5),
        ('/k"l', 6),
        ("/ ", 7),
        ("/m~0n", 8),
    ],
)
def test_pointers_as_in_the_rfcs_examples(pointer: str, value: int) -> None:
    assert number(RFC_6901, pointer) == value


@pytest.mark.parametrize(
    ("payload", "value", "unit"),
    [
        (b"21.5", 21.5, ""),
        (b" 21,5 ", 21.5, ""),
        (b"-3e2", -300, ""),
        (b'"21.5"', 21.5, ""),
        (b"21.5 mV", 21.5, "mV"),
        (b'"70.1 [degF]"', 70.1, "[degF]"),
    ],
)
def test_bare_payloads_are_numbers_and_may_bring_their_unit(
    payload: bytes, value: float, unit: str
) -> None:
    picked = pick_value(payload, Pick(), KINDS["number"], NOW)
    assert (picked.value, picked.unit, picked.at_ms, picked.stamped) == (value, unit, NOW, True)


@pytest.mark.parametrize(
    ("payload", "kind", "value"),
    [
        (b"ON", "switch", True),
        (b'"off"', "switch", False),
        (b"1", "switch", True),
        (b"0", "contact", False),
        (b"true", "occupancy", True),
        (b"open", "contact", True),
        (b"Closed", "contact", False),
        (b'"detected"', "occupancy", True),
    ],
)
def test_two_states_go_by_many_names(payload: bytes, kind: str, value: bool) -> None:
    assert number(payload, kind=kind) is value


@pytest.mark.parametrize(
    ("payload", "pick", "kind", "said"),
    [
        (b'{"a":1}', Pick("/b"), "number", "nothing stands at /b"),
        (b'{"a":1}', Pick(), "number", "no number"),
        (b'{"a":true}', Pick("/a"), "number", "is true, no number"),
        (b'{"a":"warm"}', Pick("/a"), "temperature", "is warm, no number"),
        (b"half", Pick(), "switch", "neither on nor off"),
        (b"2", Pick(), "contact", "neither open nor closed"),
        (b"\xff\xfe", Pick(), "number", "2 bytes that are not text"),
        (b'{"v":1,"t":"noon"}', Pick("/v", "/t"), "number", "no RFC 3339 time"),
        (b'{"v":1,"t":"2027-01-15T08:00:00"}', Pick("/v", "/t"), "number", "with its zone"),
        (b'{"v":1,"t":true}', Pick("/v", "/t"), "number", "the time at /t is true"),
    ],
)
def test_what_is_not_there_is_said(payload: bytes, pick: Pick, kind: str, said: str) -> None:
    with pytest.raises(PickError, match=said):
        pick_value(payload, pick, KINDS[kind], NOW)


@pytest.mark.parametrize(
    "at",
    [
        1_700_000_000,
        1_700_000_000.0,
        1_700_000_000_000,
        "2023-11-14T22:13:20Z",
        "2023-11-14T23:13:20+01:00",
    ],
)
def test_a_message_may_say_when_it_was(at: Any) -> None:
    picked = pick_value(
        json.dumps({"v": 1, "at": at}).encode(), Pick("/v", "/at"), KINDS["number"], NOW
    )
    assert (picked.at_ms, picked.stamped) == (1_700_000_000_000, False)


def test_all_single_values_are_candidates_with_pointers_that_find_them() -> None:
    payload = b'{"soil":{"m/3":[41.2,"x"]},"ok":true,"none":null,"":"e"}'
    result = candidates(payload)
    assert [(c.pointer, c.shown) for c in result] == [
        ("/soil/m~13/0", "41.2"),
        ("/soil/m~13/1", "x"),
        ("/ok", "true"),
        ("/", "e"),
    ]
    assert number(payload, result[0].pointer) == 41.2
    assert [(c.pointer, c.shown) for c in candidates(b"0.83")] == [("", "0.83")]
    assert candidates(b"\xff") == []
    assert len(candidates(json.dumps(list(range(1000))).encode())) == 64


@pytest.mark.parametrize(
    ("payload", "pointer", "value", "unit"),
    [
        (b"21.5", "", 21.5, ""),
        (b'{"value": 21.5, "unit": "degF"}', "", 21.5, "degF"),
        (b'{"value": 21.5}', "", 21.5, ""),
        (b'{"climate": {"t": 7}}', "/climate/t", 7, ""),
    ],
)
def test_what_is_posted_is_bare_or_an_object(
    payload: bytes, pointer: str, value: float, unit: str
) -> None:
    picked = pick_posted(payload, pointer, KINDS["number"], NOW)
    assert (picked.value, picked.unit) == (value, unit)


def test_an_object_that_is_posted_may_say_when() -> None:
    assert (
        pick_posted(b'{"value":1,"at":1700000000}', "", KINDS["number"], NOW).at_ms
        == 1_700_000_000_000
    )


@pytest.mark.parametrize(
    ("pattern", "topic", "node"),
    [
        ("mill/{node}/state", "mill/bed/state", "bed"),
        ("mill/{node}/state", "mill/bed/other", None),
        ("mill/{node}", "mill/bed/state", None),
        ("+/{node}/#", "mill/bed/a/b", "bed"),
        ("mill/race/depth", "mill/race/depth", ""),
        ("{node}/t", "/t", ""),
    ],
)
def test_the_placeholder_is_one_level(pattern: str, topic: str, node: str | None) -> None:
    assert node_in(pattern, topic) == node


def test_a_pattern_is_a_filter_for_one_node_or_for_all() -> None:
    assert filter_of("mill/{node}/state") == "mill/+/state"
    assert filter_of("mill/{node}/state", "bed") == "mill/bed/state"


@pytest.mark.parametrize(
    ("template", "kind", "value", "payload"),
    [
        ("{value}", "level", 40.0, "40"),
        ("{value}", "switch", 1.0, "1"),
        ('{"state": "{ON|OFF}"}', "switch", 0.0, '{"state": "OFF"}'),
        ('{"b": {value}, "t": {true|false}}', "level", 12.5, '{"b": 12.5, "t": true}'),
    ],
)
def test_payloads_are_filled_in(template: str, kind: str, value: float, payload: str) -> None:
    assert render(template, value, KINDS[kind]) == payload


def test_a_payload_without_a_blank_and_a_wrong_pointer_are_refused() -> None:
    with pytest.raises(PickError, match="the same for every value"):
        check_template("on")
    with pytest.raises(PickError, match="not a JSON Pointer"):
        check_pointer("climate/t")
    check_pointer("")


@given(
    st.binary(max_size=200),
    st.sampled_from(["", "/a", "/0/b"]),
    st.sampled_from(["", "/t"]),
    st.sampled_from(sorted(KINDS)),
)
def test_any_payload_gives_a_value_or_says_why_not(
    payload: bytes, pointer: str, at: str, kind: str
) -> None:
    with contextlib.suppress(PickError):
        assert pick_value(payload, Pick(pointer, at), KINDS[kind], NOW).name == ""
    candidates(payload)


json_values = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=4),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3)
    ),
    max_leaves=12,
)


@given(json_values)
def test_every_candidate_is_found_by_its_pointer(content: Any) -> None:
    payload = json.dumps(content).encode()
    for candidate in candidates(payload):
        with contextlib.suppress(PickError):
            pick_value(payload, Pick(candidate.pointer), KINDS["number"], NOW)
            assert candidate.shown


@pytest.mark.parametrize(
    ("payload", "word"), [(b"2", "2"), (b"2.0", "2"), (b'"2"', "2"), (b'"OFF"', "off")]
)
def test_the_words_of_a_choice_may_be_numbers(payload: bytes, word: str) -> None:
    kind = KINDS["choice"].with_words(["off", "1", "2"])
    value = pick_value(payload, Pick(), kind, 0).value
    assert isinstance(value, float)
    assert kind.word(value) == word


@pytest.mark.parametrize("payload", [b"3", b"true", b"[]", b'"on"', b"1e400"])
def test_what_is_no_word_of_a_choice_is_said(payload: bytes) -> None:
    kind = KINDS["choice"].with_words(["off", "1", "2"])
    with pytest.raises(PickError, match="is not off, 1 or 2"):
        pick_value(payload, Pick(), kind, 0)
