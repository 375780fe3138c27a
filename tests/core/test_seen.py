"""Units in which a household sees its values."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.errors import UnitError
from hombi.core.kinds import KINDS
from hombi.core.seen import as_seen, units_of_house
from hombi.core.units import units_for
from hombi.core.values import parse_value, show_limit, show_value

T = KINDS["temperature"]


@pytest.mark.parametrize(
    ("kind", "house", "value", "shown"),
    [
        ("temperature", ("°F",), 20.0, "68.0 °F"),
        ("temperature", ("inHg",), 20.0, "20.0 °C"),
        ("temperature", ("K",), 20.0, "293.1 K"),
        ("pressure", ("inHg",), 1013.25, "29.92 inHg"),
        ("pressure", ("mmHg",), 1013.25, "760.0 mmHg"),
        ("pressure", ("Pa",), 1013.25, "101325 Pa"),
        ("power", ("kW",), 1850.0, "1.850 kW"),
        ("distance", ("ft",), 0.3, "0.98 ft"),
        ("rain", ("ft",), 12.0, "12.0 mm"),
        ("rain", ("in",), 25.4, "1.00 in"),
        ("humidity", ("°F", "ft"), 50.0, "50.0 %"),
        ("contact", ("°F",), 1.0, "open"),
        ("duration", ("min",), 5400.0, "1 h 30 min"),
    ],
)
def test_what_a_household_sees(kind: str, house: tuple[str, ...], value: float, shown: str) -> None:
    assert show_value(value, as_seen(KINDS[kind], house)) == shown


def test_an_entity_can_have_a_unit_and_decimals_of_its_own() -> None:
    assert show_value(20.0, as_seen(T, ("°F",), "°C", 3)) == "20.000 °C"
    assert show_value(20.0, as_seen(T, (), "degF")) == "68.0 °F"
    assert show_value(3.0, as_seen(KINDS["number"], (), "", 0)) == "3"
    assert as_seen(T, ()) is T
    with pytest.raises(UnitError, match=r"ft \(length\) is wanted"):
        as_seen(T, (), "ft")


def test_a_limit_is_seen_so_too_and_a_bare_number_is_meant_so() -> None:
    seen = as_seen(T, ("°F",))
    assert show_limit(20.0, seen) == "68 °F"
    assert parse_value("68", seen, bare=True) == pytest.approx(20.0)
    assert parse_value("20 °C", seen) == 20.0
    assert parse_value("68", T, bare=True) == 68.0


def test_the_units_of_a_house_are_one_for_each_thing() -> None:
    assert units_of_house(["degF", "inHg"]) == ("°F", "inHg")
    assert units_of_house([]) == ()
    for wrong, said in (
        (["°F", "K"], "°F and K measure the same"),
        (["furlong"], "no unit 'furlong' is known"),
    ):
        with pytest.raises(ValueError, match=said):
            units_of_house(wrong)


MEASURED = sorted(kind.name for kind in KINDS.values() if kind.unit)


@given(st.sampled_from(MEASURED), st.data(), st.floats(-1e6, 1e6))
def test_there_and_back_is_the_same_value(name: str, data: st.DataObject, value: float) -> None:
    kind = KINDS[name]
    unit = data.draw(st.sampled_from(units_for(kind.unit)))
    seen = as_seen(kind, (unit,)).as_seen
    there = seen.of(value)
    assert there is not None
    assert seen.back(there) == pytest.approx(value, rel=1e-9, abs=1e-6)
    assert 0 <= seen.decimals <= 3
