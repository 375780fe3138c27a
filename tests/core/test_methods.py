"""Computed values against worked examples."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.kinds import KINDS
from hombi.core.series.methods import (
    METHODS,
    MethodError,
    absolute_humidity,
    checked,
    computed,
    dew_point,
    limits_of,
    saturation_hpa,
    saturation_pa_iso,
    surface_humidity,
    temperature_factor,
)

T, H = KINDS["temperature"], KINDS["humidity"]


def test_humid_air_by_the_tables() -> None:
    # Saturation over water, WMO No. 8: at 0 °C 6.112, at 20 °C 23.3 hPa.
    assert saturation_hpa(0.0) == pytest.approx(6.112)
    assert saturation_hpa(20.0) == pytest.approx(23.32, abs=0.02)
    assert dew_point(20.0, 50.0) == pytest.approx(9.26, abs=0.02)
    assert dew_point(20.0, 100.0) == pytest.approx(20.0)
    assert dew_point(20.0, 0.0) is None
    # 20 °C and 50 %: 8.6 g of water in a cubic metre.
    assert absolute_humidity(20.0, 50.0) == pytest.approx(8.62, abs=0.03)


def test_the_humidity_at_a_cold_surface_by_iso_13788() -> None:
    assert saturation_pa_iso(20.0) == pytest.approx(2337, abs=1)
    assert saturation_pa_iso(14.0) == pytest.approx(1598, abs=1)
    assert saturation_pa_iso(11.0) == pytest.approx(1312, abs=1)
    assert saturation_pa_iso(-10.0) == pytest.approx(260, abs=1)
    assert surface_humidity(20.0, 50.0, 0.0, 0.70) == pytest.approx(73.1, abs=0.1)
    assert surface_humidity(20.0, 50.0, -10.0, 0.70) == pytest.approx(89.0, abs=0.1)


def test_the_factor_of_a_surface_from_one_measurement() -> None:
    assert temperature_factor(14.0, 20.0, 0.0) == pytest.approx(0.70)
    assert temperature_factor(28.0, 22.0, 32.0) == pytest.approx(0.4), "a summer's day"
    for surface, inside, outside, said in (
        (18.0, 20.0, 16.0, "less than 5 K apart"),
        (21.0, 20.0, 0.0, "is not between inside"),
        (-1.0, 20.0, 0.0, "is not between inside"),
    ):
        with pytest.raises(MethodError, match=said):
            temperature_factor(surface, inside, outside)


def value(method: str, *values: float, **parameters: float) -> float | None:
    return computed(METHODS[method], values, parameters)


def test_the_others_by_hand() -> None:
    assert value("vapour-deficit", 20.0, 50.0) == pytest.approx(1.166, abs=0.002)
    assert value("humidex", 30.0, 70.0) == pytest.approx(41, abs=0.6)
    assert value("surface-humidity", 20.0, 90.0, -10.0, frsi=0.5) == 100.0, "it condenses"
    assert value("mean", 1.0, 2.0, 6.0) == 3.0
    assert value("median", 1.0, 2.0, 6.0) == 2.0
    assert (value("lowest", 3.0, 1.0), value("highest", 3.0, 1.0)) == (1.0, 3.0)
    assert (value("sum", 3.0, 1.0), value("spread", 3.0, 1.0)) == (4.0, 2.0)
    assert value("difference", 3.0, 5.0) == -2.0
    assert value("dew-point", 20.0, 0.0) is None
    assert value("dew-point", -243.12, 50.0) is None, "no number comes of it"


@given(st.floats(-40, 60), st.floats(1, 100))
def test_the_dew_point_is_where_the_air_is_saturated(celsius: float, humidity: float) -> None:
    point = dew_point(celsius, humidity)
    assert point is not None
    assert point <= celsius + 1e-9
    assert saturation_hpa(point) == pytest.approx(saturation_hpa(celsius) * humidity / 100)


def test_what_each_method_takes_is_checked() -> None:
    method, kind, parameters = checked("surface-humidity", [T, H, T], {"frsi": "0.65"})
    assert (method.name, kind) == ("surface-humidity", H)
    assert parameters == {"frsi": 0.65, "surface": ""}
    assert checked("mean", [T, T], {})[1] is T
    for name, kinds, given_, said in (
        ("dew-pont", [T, H], {}, "did you mean dew-point?"),
        ("dew-point", [H, T], {}, "takes temperature, humidity, in this order"),
        ("mean", [T], {}, "2 to 20 sources, not 1"),
        ("mean", [T, H], {}, "sources of one kind"),
        ("difference", [T, T, T], {}, "has two sources, not 3"),
        ("sum", [KINDS["contact"]] * 2, {}, "has two states"),
        ("mean", [T, T], {"frsi": 1}, "has no parameter 'frsi'; it has none"),
        ("surface-humidity", [T, H, T], {"frsi": "wet"}, "'wet' is not a number"),
        ("surface-humidity", [T, H, T], {"frsi": 7}, "between 0 and 1"),
    ):
        with pytest.raises(MethodError) as refused:
            checked(name, kinds, given_)  # type: ignore[arg-type]
        assert said in str(refused.value)


def test_a_difference_may_be_less_than_nothing() -> None:
    assert limits_of("difference", H) == (-100.0, 100.0)
    assert limits_of("mean", H) == (0.0, 100.0)
    assert limits_of("sum", KINDS["power"])[1] == 20 * 50_000
