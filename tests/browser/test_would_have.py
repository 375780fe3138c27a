"""An automation over its past: its limit tried, taken into the text, and why not."""

from __future__ import annotations

import re
import time

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import TextArea, violations
from tests.house import Joined, Service, until

MIN = 60_000


@pytest.fixture(scope="module", autouse=True)
def past(service: Service, rack: Joined, cellar: Joined) -> int:
    """Four hours in which it was dry for twenty minutes of each."""
    start = round(time.time() * 1000) - 300 * MIN
    pack = [
        {"n": "humidity", "v": 80 if 20 <= n % 60 < 40 else 87, "t": (start + n * MIN) / 1000}
        for n in range(240)
    ]
    assert rack.post(pack).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.numbers("cellar-rack/humidity").count >= 240)
    return start


def test_a_limit_is_tried_on_the_past_and_taken_into_the_text(
    console: Page, service: Service
) -> None:
    console.goto("/automations/cellar-too-dry")
    would = console.get_by_role("region", name="What it would have done")
    would.get_by_role("button", name="day", exact=True).click()
    expect(would).to_contain_text("It would have started 4 times")
    expect(would).to_contain_text("Cellar mister on: 4 times")
    expect(would).to_contain_text("nothing switches cellar-mister/switch off again")
    limit = would.get_by_role("slider")
    expect(limit).to_have_attribute("aria-valuetext", re.compile("82"))
    assert violations(console) == []
    limit.focus()
    for _ in range(25):
        limit.press("ArrowDown")
    expect(would).to_contain_text("It would have started 0 times")
    would.get_by_role("button", name="Take this limit into the text").click()
    text = TextArea(console)
    text.has(re.compile('under = "79.5 %"\nuntil = "83.5 %"\n\n'))
    text.has(re.compile('about = "The rinds crack."'))
    console.get_by_role("button", name="Discard changes").click()
    expect(would).to_contain_text("It would have started 4 times")


def test_a_new_text_is_tried_before_it_is_kept(console: Page) -> None:
    console.goto("/automations/new")
    TextArea(console).fill(
        'name = "Too damp"\n[watch]\nentity = "cellar-rack/humidity"\nover = "86 %"\n'
        '[[starts]]\nnotify = "everyone"\ntitle = "Damp"\n'
    )
    would = console.get_by_role("region", name="What it would have done")
    would.get_by_role("button", name="day", exact=True).click()
    expect(would).to_contain_text("tell everyone “Damp”: 5 times")
    console.get_by_role("button", name="Discard changes").click()
    expect(would).to_have_count(0)


def test_why_it_did_not_start(console: Page, service: Service, past: int) -> None:
    console.goto("/automations/cellar-too-dry")
    expect(console.get_by_text(re.compile("^At .* it "))).to_be_visible()
    with service.hub() as hub:
        result = hub.automations.why("cellar-too-dry", past + 50 * MIN)
    at = time.gmtime((past + 50 * MIN) / 1000)
    console.get_by_label("At another moment").fill(time.strftime("%Y-%m-%d %H:%M", at))
    if result.phase == "idle":
        expect(
            console.get_by_text("it did not start: the value was not under 82 %")
        ).to_be_visible()
    expect(console.get_by_text(re.compile("Cellar rack humidity was 87.0 %"))).to_be_visible()
    assert violations(console) == []


def test_it_is_rehearsed_with_pretend_values(console: Page, service: Service) -> None:
    console.goto("/automations/cellar-too-dry")
    console.get_by_text("Rehearse it with pretend values").click()
    console.get_by_label("Value 1", exact=True).fill("81 %")
    console.get_by_role("button", name="Then another value").click()
    console.get_by_label("When, value 2").fill("20 min")
    console.get_by_label("Value 2", exact=True).fill("87")
    console.get_by_role("button", name="Rehearse", exact=True).click()
    steps = console.get_by_role("list", name="What happens").get_by_role("listitem")
    expect(steps).to_have_count(2)
    expect(steps.nth(0)).to_contain_text("at once It starts: 81.0 % under 82 %")
    expect(steps.nth(0)).to_contain_text("Cellar mister on")
    expect(steps.nth(1)).to_contain_text("after 20 min It ends")
    assert violations(console) == []
    # Its clock, by hand and by itself: what comes later is faint.
    clock, faint = console.get_by_label("The clock of the rehearsal"), re.compile("text-faint")
    clock.press("Home")
    expect(steps.nth(1)).to_have_class(faint)
    console.get_by_role("button", name="Let the clock run").click()
    expect(console.get_by_role("button", name="Stop the clock")).to_be_visible()
    expect(steps.nth(1)).not_to_have_class(faint)
    expect(console.get_by_role("button", name="Let the clock run")).to_be_visible()
    parts = console.get_by_role("list", name="What each part said").last.get_by_role("listitem")
    expect(parts).to_have_text(["Cellar rack humidity under 82 %"])
    said = parts.get_by_role("img").get_attribute("aria-label") or ""
    assert re.fullmatch(r"so from \d\d:\d\d to \d\d:\d\d", said)
    # A value can be dragged, too: over what is usual here, and what the text names.
    value, slider = (
        console.get_by_label("Value 1", exact=True),
        console.get_by_label("Value 1, dragged"),
    )
    assert float(slider.get_attribute("min") or 99) < 81
    assert float(slider.get_attribute("max") or 0) > 87
    slider.press("End")
    expect(value).to_have_value(f"{float(slider.get_attribute('max') or 0):.1f} %")
    expect(console.get_by_text(re.compile("^Nothing happens until"))).to_be_visible()
    slider.press("Home")
    expect(steps.nth(0)).to_contain_text("It starts")
    value.fill("warm")
    console.get_by_role("button", name="Rehearse", exact=True).click()
    expect(console.get_by_role("alert")).to_contain_text("is not a number")
    with service.hub() as hub:
        assert hub.entities.get("cellar-mister/switch").wanted is None


def test_a_starter_takes_its_first_values_from_this_house(console: Page) -> None:
    console.goto("/automations/new")
    console.get_by_label("Begin with").select_option("Keep the air moist")
    console.get_by_label("The room's humidity").select_option("Cellar rack humidity")
    expect(console.get_by_text(re.compile("for 5 % of the last 30 days here"))).to_be_visible()
    expect(console.get_by_label("Too dry under")).to_have_value("80 %")
    console.get_by_label("The mister").select_option("Cellar mister")
    assert violations(console) == []
    console.get_by_role("button", name="Write the text").click()
    text = TextArea(console)
    text.has(re.compile('under = "80 %"'))
    expect(console.get_by_role("button", name="Put on duty")).to_be_enabled()
    console.get_by_role("button", name="Discard changes").click()


def test_a_value_in_the_form_changes_its_place_in_the_text(console: Page, service: Service) -> None:
    console.goto("/automations/cellar-too-dry")
    text = TextArea(console)
    before = text.text
    limit = console.get_by_label("cellar-rack/humidity under")
    limit.fill("81 %")
    limit.press("Enter")
    text.has(before.replace('"82 %"', '"81 %"'))
    held = console.get_by_label("Held for")
    held.fill("3 min")
    held.press("Enter")
    text.has(re.compile('until = "86 %"\nheld = "3 min"\n'))
    expect(console.get_by_text("under 81 % for 3 min")).to_be_visible()
    console.get_by_label("Held for").fill("")
    console.get_by_label("Held for").press("Enter")
    text.has(before.replace('"82 %"', '"81 %"'))
    limit.fill("82 %")
    limit.press("Enter")
    text.has(before)
    assert violations(console) == []


def test_a_day_is_looked_through_and_actions_run_for_real(console: Page, service: Service) -> None:
    console.goto("/automations/cellar-too-dry")
    line = console.get_by_role("slider", name="A moment of this day")
    line.focus()
    for _ in range(3):
        line.press("ArrowLeft")
    moment = console.get_by_label("At another moment")
    expect(moment).to_have_value(re.compile(r"^20\d\d-\d\d-\d\d \d\d:\d\d"))
    expect(console.get_by_text(re.compile("^At .* it "))).to_be_visible()
    console.get_by_text("Rehearse it with pretend values").click()
    console.get_by_label("The clock begins at").fill("2026-11-20 22:00")
    console.get_by_label("And goes on for").fill("2 h")
    console.get_by_label("Value 1", exact=True).fill("81 %")
    console.get_by_role("button", name="Rehearse", exact=True).click()
    steps = console.get_by_role("list", name="What happens").get_by_role("listitem")
    expect(steps).to_have_count(1)
    assert violations(console) == []
    console.get_by_role("button", name="Run its actions …").click()
    sheet = console.get_by_role("dialog", name="Run its actions now?")
    sheet.get_by_role("button", name="Run start actions").click()
    expect(console.get_by_text("They are under way.")).to_be_visible()
    with service.hub() as hub:
        until(lambda: hub.entities.get("cellar-mister/switch").wanted is not None)


def test_what_was_done_stands_below_the_account(
    console: Page, service: Service, rack: Joined
) -> None:
    with service.hub() as hub:
        hub.automations.add(
            'name = "Mill wet"\n[watch]\nentity = "cellar-rack/humidity"\nover = "95 %"\n'
            '[[starts]]\nnotify = "everyone"\ntitle = "Wet"\n'
        )
        rack.post([{"n": "humidity", "v": 97}])
        until(lambda: hub.automations.why("mill-wet").done)
        console.goto("/automations/mill-wet")
        account = console.get_by_role("main")
        expect(account.get_by_role("heading", name=re.compile("Mill wet started"))).to_be_visible()
        told = account.get_by_role("listitem").filter(has_text=re.compile("reached nobody.*after"))
        expect(told).to_contain_text("no:")
        assert violations(console) == []
        hub.automations.remove("mill-wet")
