"""A sensor's past imported, a tally made, units chosen: in the console."""

from __future__ import annotations

import re
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import violations
from tests.house import Joined, Service, until

RACK = "/readings/cellar-rack/temperature"


@pytest.fixture(scope="module", autouse=True)
def values(service: Service, rack: Joined) -> None:
    """Ten hours in which the humidity goes over 80 % every two hours."""
    now = round(time.time())
    pack = [
        {"n": name, "v": value, "t": now - 600 * n}
        for n in range(60, 0, -1)
        for name, value in (("humidity", 85 if n % 12 < 3 else 70), ("temperature", 11))
    ]
    rack.post(pack)
    with service.hub() as hub:
        until(lambda: hub.entities.numbers("cellar-rack/humidity").count >= 59)


def test_a_past_is_seen_stored_and_taken_back(
    console: Page, service: Service, tmp_path: Path
) -> None:
    start = datetime.now(UTC).replace(microsecond=0) - timedelta(days=5)
    lines = ["Datum;Temp"]
    lines += [f"{start + timedelta(minutes=30 * n):%d.%m.%Y %H:%M};9,{n % 10}" for n in range(50)]
    file = tmp_path / "old-logger.csv"
    file.write_text("\n".join([*lines, "gestern;5", ""]))
    console.goto(RACK)
    console.get_by_text("Import its past from a file").click()
    console.get_by_label("A CSV, with columns").set_input_files(file)
    expect(console.get_by_text("50 readings would be stored")).to_be_visible()
    expect(console.get_by_text("line 52: 'gestern' is not a time")).to_be_visible()
    expect(console.get_by_text("between 9.0 °C and 9.9 °C")).to_be_visible()
    assert violations(console) == []
    console.get_by_role("button", name="Store them").click()
    expect(console.get_by_text("50 readings are stored")).to_be_visible()
    with service.hub() as hub:
        assert hub.entities.numbers("cellar-rack/temperature", "week").low == 9.0
    imports = console.get_by_role("list", name="Imports")
    expect(imports).to_contain_text("old-logger.csv")
    imports.get_by_role("button", name="Take it back").click()
    expect(imports).to_have_count(0)
    with service.hub() as hub:
        assert hub.entities.numbers("cellar-rack/temperature", "week").low == 11.0


def test_a_tally_is_made_from_a_number_in_two_steps(console: Page) -> None:
    console.goto("/rooms/cheese-cellar")
    console.get_by_role("button", name="Add a computed value").click()
    console.get_by_role("combobox", name=re.compile("^What")).select_option("hysteresis")
    console.get_by_role("combobox", name=re.compile("^From the value")).select_option(
        label="Cellar rack humidity"
    )
    console.get_by_role("textbox", name=re.compile("^On")).fill("80")
    console.get_by_role("textbox", name=re.compile("^Off")).fill("75")
    console.get_by_role("textbox", name=re.compile("^Name")).fill("Damp spell")
    console.get_by_role("button", name="Add it").click()
    expect(console.get_by_role("heading", name="Cellar rack damp spell")).to_be_visible()
    expect(console.locator("[data-value]").first).to_have_text(re.compile("active|idle"))
    console.goto("/rooms/cheese-cellar")
    console.get_by_role("button", name="Add a computed value").click()
    console.get_by_role("combobox", name=re.compile("^What")).select_option("starts")
    console.get_by_role("combobox", name=re.compile("^From the value")).select_option(
        label="Cellar rack damp spell"
    )
    console.get_by_role("combobox", name=re.compile("^Per")).select_option("month")
    console.get_by_role("textbox", name=re.compile("^Name")).fill("Damp spells")
    console.get_by_role("button", name="Add it").click()
    expect(console.get_by_role("heading", name="Cellar rack damp spells")).to_be_visible()
    tally = console.get_by_role("region", name="Tally")
    expect(tally).to_contain_text(re.compile(r"this month[3-6]"))
    expect(tally.get_by_role("listitem").last).to_have_text(re.compile(r"\w{3}: [3-6]"))
    assert violations(console) == []


def test_a_formula_that_does_not_fit_is_said_and_one_that_does_is_made(console: Page) -> None:
    console.goto("/rooms/cheese-cellar")
    console.get_by_role("button", name="Add a computed value").click()
    console.get_by_role("combobox", name=re.compile("^What")).select_option("formula")
    text = console.get_by_role("textbox", name="Formula")
    text.fill("cellar-rack/temperature + cellar-rack/humidity")
    console.get_by_role("textbox", name=re.compile("^Name")).fill("Warmer")
    console.get_by_role("button", name="Add it").click()
    expect(console.get_by_role("alert")).to_contain_text("temperature plus a plain number")
    text.fill("cellar-rack/temperature + 2 K")
    console.get_by_role("button", name="Add it").click()
    expect(console.get_by_role("heading", name="Cheese cellar warmer")).to_be_visible()
    expect(console.locator("[data-value]").first).to_have_text("13.0 °C")


def test_the_household_chooses_fahrenheit_and_one_value_does_not(console: Page) -> None:
    console.goto("/settings")
    units = console.get_by_role("region", name="Units")
    with console.expect_response(lambda one: one.request.method != "GET"):
        units.get_by_label("Temperature").select_option("°F")
    console.goto(RACK)
    value = console.locator("[data-value]").first
    expect(value).to_have_text("51.8 °F")
    expect(console.get_by_label("This span in numbers")).to_contain_text("highest51.8 °F")
    console.get_by_text("How it is shown").click()
    console.get_by_role("combobox", name=re.compile("^Unit")).first.select_option("K")
    expect(value).to_have_text("284.1 K")
    console.get_by_role("combobox", name=re.compile("^Unit")).first.select_option("")
    expect(value).to_have_text("51.8 °F")
    console.goto("/settings")
    with console.expect_response(lambda one: one.request.method != "GET"):
        units.get_by_label("Temperature").select_option("°C")
    console.goto(RACK)
    expect(value).to_have_text("11.0 °C")


def test_a_sensor_beside_values_that_were_read_off_an_instrument(console: Page) -> None:
    console.goto(RACK)
    console.get_by_role("button", name="Compare with a reference").click()
    console.get_by_role("combobox", name=re.compile("^Reference")).select_option(
        label="values that I read off an instrument"
    )
    now = datetime.now(UTC)
    lines = [f"{now - timedelta(hours=n):%Y-%m-%d %H:%M} = 11.5" for n in range(8, 1, -1)]
    said = console.get_by_role("textbox", name=re.compile("^What the instrument said"))
    said.fill("\n".join([*lines, "later = 3"]))
    expect(console.get_by_text("This line is not a time and value: later = 3")).to_be_visible()
    said.fill("\n".join(lines))
    expect(console.get_by_text("7 values.")).to_be_visible()
    expect(console.get_by_text("a gain needs 24 values, and 7 are there")).to_be_visible()
    assert violations(console) == []
    console.get_by_role("button", name="Correct by the offset").click()
    expect(console.locator("[data-value]").first).to_have_text("11.5 °C")
