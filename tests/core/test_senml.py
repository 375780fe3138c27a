"""Packs from RFC 8428's own text, and what the RFC forbids."""

from __future__ import annotations

import contextlib
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.errors import SenmlError
from hombi.core.senml import Record, Resolved, decode, encode, resolve

NOW = 1_800_000_000_000


def read(text: str) -> list[Resolved]:
    values, refused = resolve(decode(text.encode()), NOW)
    assert refused == []
    return values


def test_a_single_data_point_of_section_5_1_1() -> None:
    assert read('[{"n":"urn:dev:ow:10e2073a01080063","u":"Cel","v":23.1}]') == [
        Resolved("urn:dev:ow:10e2073a01080063", "Cel", NOW, 23.1, stamped=True)
    ]


def test_multiple_data_points_of_section_5_1_2() -> None:
    result = read(
        '[{"bn":"urn:dev:ow:10e2073a01080063:","n":"voltage","u":"V","v":120.1},{"n":"current","u":"A","v":1.2}]',
    )
    assert [(r.name, r.unit, r.value) for r in result] == [
        ("urn:dev:ow:10e2073a01080063:voltage", "V", 120.1),
        ("urn:dev:ow:10e2073a01080063:current", "A", 1.2),
    ]


def test_base_time_and_base_unit_of_section_5_1_2() -> None:
    result = read(
        '[{"bn":"urn:dev:ow:10e2073a0108006:","bt":1.276020076001e+09,"bu":"A","bver":5,"n":"voltage","u":"V","v":120.1},'
        '{"n":"current","t":-5,"v":1.2},{"n":"current","t":-4,"v":1.3},{"n":"current","v":1.7}]'
    )
    assert [r.at_ms for r in result] == [1276020076001, 1276020071001, 1276020072001, 1276020076001]
    assert [r.unit for r in result] == ["V", "A", "A", "A"]


def test_times_below_two_to_the_28_are_relative_to_now() -> None:
    assert read('[{"n":"t","v":1,"t":-30}]')[0].at_ms == NOW - 30_000
    assert read('[{"bt":-60,"n":"t","v":1,"t":10}]')[0].at_ms == NOW - 50_000
    assert read('[{"n":"t","v":1,"t":268435456}]')[0].at_ms == 268435456000


def test_base_value_is_added_and_base_fields_last_until_set_again() -> None:
    result = read('[{"bn":"a/","bv":20,"n":"x","v":1.5},{"n":"y","v":2},{"bn":"b/","n":"z","v":3}]')
    assert [(r.name, r.value) for r in result] == [("a/x", 21.5), ("a/y", 22.0), ("b/z", 23.0)]


def test_booleans_and_texts_are_values_too() -> None:
    assert [r.value for r in read('[{"n":"a","vb":true},{"n":"b","vs":"open"}]')] == [True, "open"]


@pytest.mark.parametrize(
    ("text", "said"),
    [("{}", "not SenML"), ("[{", "not JSON"), ("7", "not SenML"), ("[" * 100_000, "not JSON")],
)
def test_what_is_no_pack_is_said(text: str, said: str) -> None:
    with pytest.raises(SenmlError, match=said):
        decode(text.encode())


@pytest.mark.parametrize(
    ("record", "said"),
    [
        ("1", "record 2 is not SenML"),
        ('{"n":"a","v":"21"}', r"record 2 is not SenML.*\$\.v"),
        ('{"n":"a","v":1e999}', "no finite number"),
        ('{"n":"a","v":Infinity}', "no finite number"),
        ('{"n":"a"}', "record 2 has no value"),
        ('{"n":"a","vd":"aGk"}', "record 2 has a data value"),
        ('{"v":1}', "the name ''"),
        ('{"n":"-a","v":1}', "the name '-a'"),
        ('{"n":"a b","v":1}', "the name 'a b'"),
        ('{"bver":11,"n":"a","v":1}', "version 11"),
        ('{"n":"b","s":3}', "record 2"),
        ('{"n":"b","v":1,"t":1e400}', "no finite time"),
    ],
)
def test_a_record_that_is_wrong_is_named_and_the_others_stand(record: str, said: str) -> None:
    values, refused = resolve(
        decode(f'[{{"n":"first","v":1}},{record},{{"n":"last","v":3}}]'.encode()), NOW
    )
    assert [value.name for value in values] == ["first", "last"]
    assert len(refused) == 1
    assert re.search(said, refused[0])


@pytest.mark.parametrize("null", ['"v":null', '"v":NaN', '"vb":null', '"vs":null'])
def test_null_and_nan_are_a_nodes_word_that_it_has_no_value(null: str) -> None:
    assert [one.value for one in read(f'[{{"n":"a",{null}}},{{"n":"b","v":2}}]')] == [None, 2.0]


def test_milliseconds_are_known_for_what_they_are() -> None:
    (value,) = read(f'[{{"n":"a","v":1,"t":{NOW - 5_000}}}]')
    assert value.at_ms == NOW - 5_000


def test_a_time_since_the_nodes_own_start_is_that_of_its_arrival() -> None:
    values = read('[{"bt":86400,"n":"a","v":1,"t":-60},{"n":"a","v":2,"t":0}]')
    assert [(value.at_ms, value.stamped, value.from_boot) for value in values] == [
        (NOW - 60_000, False, True),
        (NOW, True, True),
    ]


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(payload: bytes) -> None:
    with contextlib.suppress(SenmlError):
        resolve(decode(payload), NOW)


def test_what_is_encoded_is_small_and_reads_back() -> None:
    payload = encode([Record(n="switch", vb=False), Record(n="t", u="Cel", v=0.0)])
    assert payload == b'[{"n":"switch","vb":false},{"n":"t","u":"Cel","v":0.0}]'
    assert [r.value for r in resolve(decode(payload), NOW)[0]] == [False, 0.0]
