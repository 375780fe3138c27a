"""Writing automations: the editor, copies, texts of before, sequences, and who is
home."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import TextArea, violations
from tests.house import CLIMATE, PLUG, Service, description, let_in, until

DRY = """name = "Cellar too dry"
about = "The rinds crack."

[watch]
entity = "cellar-rack/humidity"
under = "82 %"      # by trial

[[starts]]
switch = "cellar-mister/switch"
to = "on"
"""


@pytest.fixture(scope="module", autouse=True)
def house(service: Service) -> None:
    let_in(service, description("Cellar rack", **CLIMATE), "Cheese cellar")
    let_in(service, description("Cellar mister", **PLUG), "Cheese cellar")
    with service.hub() as hub:
        hub.automations.add(DRY)


def test_the_editor_completes_and_marks_mistakes(console: Page) -> None:
    console.goto("/automations/cellar-too-dry")
    area = TextArea(console)
    area.has(DRY)
    area.area.click()
    console.keyboard.press("Control+End")
    console.keyboard.type('[[ends]]\nswitch = "')
    offered = console.get_by_role("listbox").get_by_role("option")
    expect(offered).to_have_count(1)
    expect(offered).to_contain_text("cellar-mister/switch")
    # What has only just come up is not taken by a key that was meant for the text.
    console.wait_for_timeout(300)
    console.keyboard.press("Enter")
    console.keyboard.type('"\nto = "')
    expect(console.get_by_role("listbox")).to_contain_text("off")
    console.keyboard.type('of"\n')
    expect(console.get_by_text("'of' is not a state of a switch")).to_be_visible()
    expect(console.locator(".cm-lintRange-error")).to_have_count(1)
    assert violations(console) == []
    console.get_by_role("button", name="line 13, column 6").click()
    expect(area.area).to_be_focused()
    # Undo by the keys, to the text that is kept.
    for _ in range(12):
        console.keyboard.press("Control+z")
    area.has(DRY)


def test_a_copy_is_a_new_one_and_a_text_of_before_comes_back(
    console: Page, service: Service
) -> None:
    console.goto("/automations/cellar-too-dry")
    console.get_by_role("button", name="Copy").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("New automation")
    area = TextArea(console)
    area.has(DRY.replace("too dry", "too dry (copy)"))
    limit = console.get_by_label("cellar-rack/humidity under")
    limit.fill("75 %")
    limit.press("Enter")
    area.has(re.compile('under = "75 %"      # by trial'))
    console.get_by_role("button", name="Put on duty").click()
    expect(console.get_by_role("heading", level=1)).to_have_text("Cellar too dry (copy)")
    with service.hub() as hub:
        text = hub.automations.get("cellar-too-dry-copy").text
        hub.automations.change("cellar-too-dry-copy", text.replace("75 %", "70 %"))
    area.has(text.replace("75 %", "70 %"))
    console.get_by_text("Its texts before (1)").click()
    console.get_by_role("button", name=re.compile("2026|20[0-9]{2}")).click()
    assert violations(console) == []
    console.get_by_role("button", name="Take it into the editor").click()
    area.has(text)
    console.get_by_role("button", name="Save").click()
    until(lambda: service.hub().automations.get("cellar-too-dry-copy").text == text)
    with service.hub() as hub:
        hub.automations.remove("cellar-too-dry-copy")


def test_a_sequence_is_written_and_run_by_name(console: Page, service: Service) -> None:
    console.goto("/automations")
    console.get_by_text("Write a sequence").click()
    area = TextArea(console)
    area.fill('name = "Close up"\n[[steps]]\nswitch = "cellar-mister/swich"\nto = "off"\n')
    expect(console.get_by_text("did you mean cellar-mister/switch?")).to_be_visible()
    area.fill('name = "Close up"\n[[steps]]\nswitch = "cellar-mister/switch"\nto = "off"\n')
    console.get_by_role("button", name="Keep it").first.click()
    expect(console.get_by_text("Cellar mister off")).to_be_visible()
    assert violations(console) == []
    with service.hub() as hub:
        assert [one.sequence for one in hub.sequences.list()] == ["close-up"]


def test_who_is_home_is_said_on_the_house_page(console: Page, service: Service) -> None:
    console.goto("/")
    who = console.get_by_role("region", name="Who is home")
    expect(who).to_contain_text("has not said yet")
    who.get_by_role("button", name=re.compile("^Home")).click()
    expect(who).to_contain_text("is home")
    who.get_by_text("told by their own word").click()
    who.get_by_label("Cellar mister").check()
    who.get_by_label("After the last sign, for").fill("soon")
    who.get_by_role("button", name="Keep it").click()
    expect(who.get_by_role("alert")).to_contain_text("not a length of time")
    who.get_by_label("After the last sign, for").fill("20 min")
    who.get_by_role("button", name="Keep it").click()
    expect(who).to_contain_text("for 20 min after the last sign")
    assert violations(console) == []
    with service.hub() as hub:
        (person,) = hub.presence.list()
        assert person.follows == ["cellar-mister/switch"]
    console.goto("/settings")
    console.get_by_label("Degrees north").fill("53.1")
    console.get_by_label("Degrees east").fill("9.2")
    place = console.get_by_role("region", name="Where the house is")
    place.get_by_role("button", name="Keep it").click()
    expect(place).to_contain_text("Kept.")
    with service.hub() as hub:
        assert hub.house().where is not None
