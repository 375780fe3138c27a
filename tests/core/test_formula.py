"""Formulas: what they come to, the units that must fit, and no way out."""

from __future__ import annotations

import contextlib
import math
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.formula import FormulaError, compile_formula, past_of, sources_of

V = "board/adc-v"


def value(text: str, *given: tuple[str, float], kind: str = "") -> tuple[float, str]:
    """What a formula makes of (kind, value) pairs, in the order of its sources."""
    made = compile_formula(text, tuple(name for name, _ in given), kind)
    return made.compute([number for _, number in given]), made.kind.name


def test_the_constants_of_a_data_sheet_cancel() -> None:
    # 2 µA for each lux through 10 kΩ: 0.4 V are 20 lx.
    assert value(f"{V} / 10 kΩ / 2 µA * 1 lx", ("voltage", 0.4)) == (
        pytest.approx(20.0), "illuminance",
    )  # fmt: skip
    assert value("a/p * 2 h", ("power", 500.0)) == (pytest.approx(1.0), "energy")
    assert value("a/v * a/c", ("voltage", 230.0), ("current", 2.0)) == (460.0, "power")
    # A tank: its height less the distance down to the water.
    assert value("(1.2 m - a/d) / 1 m * 100 %", ("distance", 0.3), kind="level") == (
        pytest.approx(90.0), "level",
    )  # fmt: skip


def test_temperatures_are_numbers_in_celsius_and_kelvins_are_differences() -> None:
    inside, outside = ("temperature", 20.0), ("temperature", -5.0)
    assert value("a/t - b/t", inside, outside) == (25.0, "temperature")
    assert value("a/t + 2 K", inside) == (22.0, "temperature")
    assert value("if(a/t > 68 °F, 1, 0)", ("temperature", 20.1))[0] == 1
    assert value("max(a/t, b/t, 21 °C)", inside, outside)[0] == 21.0
    assert value("a/t * 1.8 / 1 K + 32", inside)[0] == pytest.approx(68.0)


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("2 + 3 * 4 ^ 2 / 8 - 1", 7.0),
        ("-2 ^ 2", -4.0),
        ("2 ^ 3 ^ 2", 512.0),
        ("(1 + 2) * -3", -9.0),
        ("mean(1, 2, 6) + min(4, 3) + max(1, 2) + abs(-1)", 9.0),
        ("min(2) + max(3) + mean(4)", 9.0),
        ("ln(exp(2)) + log10(1000) + sqrt(16)", 9.0),
        ("if(1 < 2 and not (2 <= 1 or 3 > 4), 5, 6)", 5.0),
        ("if(2 >= 2, 1e1, 1.5e-1)", 10.0),
        ("5 l/min * 2 min / 1 l", 10.0),
        ("1 kWh / 1 J", 3.6e6),
        ("36 km/h / 1 m * 1 s", 10.0),
    ],
)  # fmt: skip
def test_arithmetic_by_hand(text: str, number: float) -> None:
    result, kind = value(text)
    assert result == pytest.approx(number)
    assert kind == "number"


@pytest.mark.parametrize(
    ("text", "kinds", "said"),
    [
        ("", (), "is empty"),
        ("a/h + ", ("humidity",), "column 7: it ends too early"),
        ("a/h ++ 3", ("humidity",), "column 6: '+' does not fit here"),
        ("a/h + a/t", ("humidity", "temperature"), "a plain number plus temperature does not fit"),
        ("2 lox", (), "column 3: no unit 'lox' is known; did you mean lx?"),
        ("lgo(3)", (), "column 1: there is no function 'lgo'"),
        ("sqr(3)", (), "did you mean sqrt?"),
        ("ln(a/t)", ("temperature",), "takes a plain number, not temperature"),
        ("abs(1, 2)", (), "abs takes one value"),
        ("ln(1, 2)", (), "ln takes another number of values"),
        ("3 / 0", (), "it divides by zero"),
        ("2 ^ 1 m", (), "an exponent is a plain number"),
        ("1 m ^ a/n", ("number",), "written as a number"),
        ("a/t * a/t", ("temperature",), "gives temperature^2, and no kind measures that"),
        ("3 dB + 3 m", (), "sound plus length does not fit"),
        ("(" * 31 + "1" + ")" * 31, (), "nested 30 levels"),
        ("1" + "+1" * 300, (), "500 characters at most"),
        ("1 if 2", (), "column 6: '2' does not fit here"),
        ("__import__('os')", (), "does not fit here"),
        ("a/h.__class__", ("humidity",), "does not fit here"),
        ("1; 2", (), "does not fit here"),
        ("1,5 * 2", (), "',' does not fit here"),
    ],
)  # fmt: skip
def test_a_mistake_is_named_with_its_place(text: str, kinds: tuple[str, ...], said: str) -> None:
    with pytest.raises(FormulaError) as refused:
        compile_formula(text, kinds)
    assert said in str(refused.value), str(refused.value)


def test_the_kind_that_is_wanted_must_fit() -> None:
    assert value("a/h", ("humidity", 50.0), kind="moisture") == (pytest.approx(50.0), "moisture")
    for kind, said in (
        ("temperature", "a temperature is temperature"),
        ("humidty", "did you mean humidity?"),
        ("contact", "a contact has two states"),
    ):
        with pytest.raises(FormulaError, match=said.replace("?", r"\?")):
            value("a/h", ("humidity", 50.0), kind=kind)


def test_what_a_formula_names() -> None:
    text = 'loft-beam/humidity - "10-rack/humidity" + loft-beam/humidity * value'
    assert sources_of(text) == ("loft-beam/humidity", "10-rack/humidity", "value")
    with pytest.raises(FormulaError, match="20 values at most"):
        sources_of(" + ".join(f"a/b{n}" for n in range(21)))


@pytest.mark.parametrize("text", ["1 / a/n", "ln(a/n)", "sqrt(a/n - 1)", "exp(a/n + 1e6)"])
def test_what_cannot_be_computed_is_an_error_and_nothing_worse(text: str) -> None:
    made = compile_formula(text, ("number",))
    with pytest.raises((ArithmeticError, ValueError)):
        made.compute([0.0])


@given(st.text(alphabet="aβ/1 .+-*^()<>=%,µ²'\"_[]{}\\\n;:minfx", max_size=60))
def test_any_text_is_a_formula_or_refused_in_words(text: str) -> None:
    try:
        made = compile_formula(text, ("number",) * len(sources_of(text)))
    except FormulaError:
        return
    with contextlib.suppress(ArithmeticError, ValueError):
        assert isinstance(made.compute([1.5] * len(made.sources)), float | int)


def test_its_cost_is_bounded_and_it_is_plain_arithmetic() -> None:
    longest = "1" + " + a/n" * 80
    begun = time.perf_counter()
    made = compile_formula(longest, ("number",))
    assert math.isclose(made.compute([2.0]), 161.0)
    towers = compile_formula("9^9^9^9^9^9", ())
    with pytest.raises(OverflowError):
        towers.compute([])
    assert time.perf_counter() - begun < 5


def test_the_mean_of_a_past_is_a_source_of_its_own() -> None:
    text = "mean(7 d) + 5 % + mean(loft-beam/humidity, 90 min) - mean(10 %, 20 %)"
    names = ("value~604800000", "loft-beam/humidity~5400000")
    assert sources_of(text, past=True) == names
    assert [past_of(name) for name in names] == [
        ("value", 604_800_000),
        ("loft-beam/humidity", 5_400_000),
    ]
    made = compile_formula(text, ("humidity", "humidity"), "humidity")
    assert made.compute([60.0, 50.0]) == pytest.approx(60 + 5 + 50 - 15)
    with pytest.raises(FormulaError, match="belongs into the limit of an automation"):
        sources_of(text)
    # A mean of several times is one of plain quantities.
    assert sources_of("mean(7 d, 8 d, 9 d) / 1 s", past=True) == ()
    assert past_of("loft-beam/humidity") is None
