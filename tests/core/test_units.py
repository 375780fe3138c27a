from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.errors import UnitError
from hombi.core.formula.dimensions import measured
from hombi.core.kinds import KINDS
from hombi.core.units import _OF_ONTOLOGIES, UNITS, _letters, conversion, convert, find_unit


@pytest.mark.parametrize(
    ("value", "given_unit", "wanted", "expected"),
    [
        (212, "[degF]", "°C", 100),
        (32, "°F", "Cel", 0),
        (-40, "°F", "°C", -40),
        (0, "K", "°C", -273.15),
        (101325, "Pa", "hPa", 1013.25),
        (1, "kPa", "hPa", 10),
        (0.5, "/", "%", 50),
        (3.6e6, "J", "kWh", 1),
        (1500, "W", "kW", 1.5),
        (250, "mV", "V", 0.25),
        (20, "°C", "om2:degreeCelsius", 20),
        (-30, "dBW", "dBm", 0),
        (1.4, "mS/cm", "µS/cm", 1400),
    ],
)
def test_converts_as_the_standards_say(
    value: float, given_unit: str, wanted: str, expected: float
) -> None:
    assert convert(value, given_unit, wanted) == pytest.approx(expected)


@given(st.floats(-1e6, 1e6), st.sampled_from(sorted(UNITS)), st.sampled_from(sorted(UNITS)))
def test_there_and_back_is_where_it_began(value: float, one: str, other: str) -> None:
    if UNITS[one].measures != UNITS[other].measures:
        with pytest.raises(UnitError, match="measures"):
            conversion(one, other)
    else:
        assert convert(convert(value, one, other), other, one) == pytest.approx(value, abs=1e-6)


@pytest.mark.parametrize(
    ("unit", "said"),
    [("furlong", "docs/nodes.md lists them"), ("lxx", "did you mean lx"), ("kwh", "kW")],
)
def test_an_unknown_unit_is_named_with_the_nearest(unit: str, said: str) -> None:
    with pytest.raises(UnitError, match=rf"no unit '{unit}' is known; .*{said}"):
        find_unit(unit)


@pytest.mark.parametrize("name", sorted({unit.symbol for unit in UNITS.values()}))
def test_formulas_and_nodes_mean_the_same_by_a_unit(name: str) -> None:
    """The table of nodes' units and the library that formulas calculate with (decision
    40): for two units of one measure, both give the same factor."""
    dimension, factor, addend = measured(name)
    for other in UNITS.values():
        if other.measures == UNITS[name].measures and "K" not in (name, other.symbol):
            also, other_factor, other_addend = measured(other.symbol)
            assert also == dimension
            given, plus = conversion(name, other.symbol)
            assert factor / other_factor == pytest.approx(given, rel=1e-6)
            assert (addend - other_addend) / other_factor == pytest.approx(plus, abs=1e-9)


def test_every_kind_is_kept_in_a_known_unit_and_has_its_limits_in_order() -> None:
    for kind in KINDS.values():
        assert not kind.unit or find_unit(kind.unit).symbol == kind.unit
        assert kind.low < kind.high


@pytest.mark.parametrize(
    ("name", "symbol"),
    [
        ("degree_celsius", "°C"),
        ("Degree Celsius", "°C"),
        ("om:degreeCelsius", "°C"),
        ("http://www.ontology-of-units-of-measure.org/resource/om-2/kilowattHour", "kWh"),
        ("http://qudt.org/vocab/unit/DEG_C", "°C"),
        ("unit:KiloW-HR", "kWh"),
        ("unit:A", "A"),
        ("qudt:W-PER-M2", "W/m²"),
        ("om:minute-Time", "min"),
        ("kilowatt_hour", "kWh"),
    ],
)
def test_units_of_ontologies_in_whatever_way_they_are_written(name: str, symbol: str) -> None:
    assert find_unit(name).symbol == symbol


@pytest.mark.parametrize("name", ["HR", "MIN", "unit:nope", "http://qudt.org/vocab/unit/", "://"])
def test_an_abbreviation_alone_is_no_unit_of_an_ontology(name: str) -> None:
    with pytest.raises(UnitError):
        find_unit(name)


def test_each_name_of_an_ontology_is_one_unit_and_each_is_known() -> None:
    letters = [(_letters(n), symbol) for symbol, names in _OF_ONTOLOGIES.items() for n in names]
    assert all(find_unit(f"om:{name}").symbol == symbol for name, symbol in letters)
