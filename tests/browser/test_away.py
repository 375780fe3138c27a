"""The console when the hub, the network or the session is away: nothing acts late,
nothing typed is lost, and it comes back by itself."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest
from playwright.sync_api import BrowserContext, Page, Route, expect

from tests.browser.conftest import TextArea, sign_in
from tests.conftest import make_service
from tests.house import PASSWORD, Joined, Service, until

DRY = (
    'name = "Too dry"\n\n[watch]\nentity = "cellar-rack/humidity"\nunder = "20 %"\n\n'
    '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
)


@pytest.fixture(scope="module", autouse=True)
def cellar(service: Service, rack: Joined, mister: Joined) -> Iterator[None]:
    rack.post([{"n": "temperature", "v": 11.25}, {"n": "humidity", "v": 84.5}])
    with service.hub() as hub:
        hub.automations.add(DRY)
        hub.automations.duty("too-dry", False)
    with mister.connected() as client:
        mister.publish(client, [{"n": "switch", "vb": False}])
        yield


def test_a_switch_that_is_tapped_offline_is_dropped_and_said_so(
    console: Page, context: BrowserContext, service: Service
) -> None:
    console.goto("/rooms/cheese-cellar")
    switch = console.get_by_role("switch")
    expect(switch).to_be_visible()
    with service.hub() as hub:
        before = len(list(hub.journal(event="CommandConfirmed")))
    context.set_offline(True)
    switch.click()
    expect(console.get_by_text("Not sent. This device is offline.")).to_be_visible()
    context.set_offline(False)
    expect(console.get_by_text("The hub does not answer; what you see")).to_have_count(0)
    time.sleep(3)
    with service.hub() as hub:
        assert hub.entities.get("cellar-mister/switch").value == 0.0
        assert len(list(hub.journal(event="CommandConfirmed"))) == before
    switch.click()
    expect(console.get_by_text("confirmed", exact=True)).to_be_visible()


def test_values_are_hatched_while_the_hub_is_away_and_the_stream_comes_back(
    console: Page, rack: Joined
) -> None:
    refused = {"live": True}

    def live(route: Route) -> None:
        if refused["live"]:
            route.fulfill(status=503, body="no")
        else:
            route.continue_()

    console.route("**/api/live*", live)
    console.goto("/rooms/cheese-cellar")
    expect(console.get_by_text("The hub does not answer; what you see is from")).to_be_visible()
    assert console.locator("main[data-old]").count() == 1
    refused["live"] = False
    expect(console.get_by_text("The hub does not answer; what you see is from")).to_have_count(0)
    rack.post([{"n": "temperature", "v": 13.75}])
    expect(console.get_by_text("13.8")).to_be_visible()


def test_a_part_that_cannot_be_fetched_is_said_and_the_page_comes_back(
    context: BrowserContext, cookies: list[dict[str, object]]
) -> None:
    context.add_cookies(cookies)  # type: ignore[arg-type]
    page = context.new_page()
    away = {"parts": True}
    page.add_init_script("window.requestIdleCallback = () => 0")
    page.add_init_script("navigator.serviceWorker.register = () => new Promise(() => {})")

    def part(route: Route) -> None:
        if away["parts"]:
            route.abort()
        else:
            route.continue_()

    page.route("**/assets/EntityPage-*.js", part)
    page.goto("/readings/cellar-rack/humidity")
    expect(page.get_by_role("heading", name="A part of this page could not")).to_be_visible()
    expect(page.get_by_role("navigation", name="Places")).to_be_visible()
    away["parts"] = False
    expect(page.get_by_role("heading", name="Cellar rack humidity")).to_be_visible()


def test_the_parts_are_there_before_they_are_needed(console: Page, context: BrowserContext) -> None:
    """Unless the device is to be sparing, as the tests' own page is."""
    fetched: dict[Page, list[str]] = {}
    for page in (console, context.new_page()):
        page.on("request", lambda request, page=page: fetched[page].append(request.url))
        fetched[page] = []
        page.goto("/")
        expect(page.get_by_role("heading", name="What needs you")).to_be_visible()
    until(
        lambda: all(
            any(part in url for url in fetched[page]) or bool(page.wait_for_timeout(100))
            for part in ("EntityPage", "MessagesPage", "Palette")
        )
    )
    assert not [url for url in fetched[console] if "MessagesPage" in url]


def test_signing_in_again_happens_over_the_page_and_keeps_what_was_typed(
    console: Page, context: BrowserContext
) -> None:
    console.goto("/automations/too-dry")
    area = TextArea(console)
    area.fill(DRY.replace("20 %", "25 %"))
    expect(console.get_by_role("button", name="Save")).to_be_enabled()
    context.clear_cookies()
    console.get_by_role("button", name="Save").click()
    sheet = console.get_by_role("dialog", name="Sign in again")
    sheet.get_by_label("Password").fill(PASSWORD)
    sheet.get_by_role("button", name="Sign in").click()
    expect(sheet).to_have_count(0)
    area.has(DRY.replace("20 %", "25 %"))
    console.get_by_role("button", name="Save").click()
    expect(console.get_by_text("saved", exact=True)).to_be_visible()


def test_a_draft_outlives_a_reload_and_another_tab_is_not_written_over(
    context: BrowserContext, console: Page, service: Service
) -> None:
    sign_in(console)
    console.goto("/automations/too-dry")
    area = TextArea(console)
    mine = area.text + "# mine\n"
    area.fill(mine)
    expect(console.get_by_text("not saved; kept on this device")).to_be_visible()
    console.on("dialog", lambda dialog: dialog.accept())
    console.reload()
    area.has(mine)
    with service.hub() as hub:
        theirs = hub.automations.get("too-dry").text + "# theirs\n"
        hub.automations.change("too-dry", theirs)
    expect(console.get_by_text("Somebody changed this automation")).to_be_visible()
    expect(console.get_by_role("button", name="Save")).to_be_disabled()
    console.get_by_role("button", name="Take the other").click()
    area.has(theirs)


@contextlib.contextmanager
def portal(port: int) -> Iterator[None]:
    """A network that answers every address with its own sign-in page."""

    class Inn(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.send_header("Content-Type", "text/html")
            self.end_headers()
            self.wfile.write(b"<h1>Welcome to the inn</h1>")

        def log_message(self, *what: object) -> None:
            pass

    with ThreadingHTTPServer(("127.0.0.1", port), Inn) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield
        server.shutdown()


def test_the_page_is_shown_with_its_age_while_the_hub_restarts(
    browser: object, tmp_path_factory: pytest.TempPathFactory
) -> None:
    service = make_service(tmp_path_factory.mktemp("tablet")).start()
    service.sign_in_first()
    with service.hub() as hub:
        hub.rooms.add("Cheese cellar")
    context = browser.new_context(base_url=service.url)  # type: ignore[attr-defined]
    page = context.new_page()
    sign_in(page)
    expect(page.get_by_role("heading", name="Cheese cellar")).to_be_visible()
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    page.reload()
    expect(page.get_by_role("heading", name="Cheese cellar")).to_be_visible()
    page.wait_for_timeout(1_500)
    service.stop()
    page.reload()
    expect(page.get_by_role("heading", name="Cheese cellar")).to_be_visible()
    expect(page.get_by_text("The hub does not answer; what you see is from")).to_be_visible()
    with portal(service.port):
        page.reload()
        expect(page.get_by_text("Something answers that is not the hub")).to_be_visible()
        expect(page.get_by_text("Welcome to the inn")).to_have_count(0)
    service.start()
    page.reload()
    expect(page.get_by_role("heading", name="Cheese cellar")).to_be_visible()
    expect(page.get_by_text("The hub does not answer; what you see is from")).to_have_count(0)
    context.close()
    service.stop()
