"""The console in a full house: 420 entities with 84 readings a second."""

from __future__ import annotations

import contextlib
import json
import subprocess
import sys
import time
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from bench import rig
from bench.figures.measures import Row

if TYPE_CHECKING:
    from playwright.sync_api import Browser, Page

NODES, ENTITIES_EACH, ROOMS = 84, 5, 10
SLOWED, LOOKED_AT_S = 4, 20.0
PHONE = {"width": 390, "height": 844}
WATCH = """
window.tasks = []; window.shifted = 0;
new PerformanceObserver((list) => {
    for (const one of list.getEntries()) window.tasks.push(one.duration);
}).observe({type: "longtask", buffered: true});
new PerformanceObserver((list) => {
    for (const one of list.getEntries()) if (!one.hadRecentInput) window.shifted += one.value;
}).observe({type: "layout-shift", buffered: true});
"""


def crowd() -> list[Row]:
    """The house on a desk; all readings on a phone that is four times slower."""
    from playwright.sync_api import sync_playwright

    with rig.hub() as service, sync_playwright() as play:
        result = rig.quick_nodes(service, NODES, ENTITIES_EACH, ROOMS)
        keys = rig.keys_file(service, result, ENTITIES_EACH)
        words = ["-m", "bench.steady", str(service.mqtt_port), "120", str(keys)]
        args = ["--no-sandbox", "--disable-quic"]
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=args)
        with subprocess.Popen([sys.executable, *words], stdout=subprocess.DEVNULL) as sending:
            try:
                time.sleep(2 * ENTITIES_EACH)  # each entity has been heard
                with page(browser, service.url, slowed=1) as desk:
                    house_s = usable_s(desk, "/", 'a[href^="/rooms/"]')
                with page(browser, service.url, SLOWED, viewport=PHONE) as phone:
                    phone_s = usable_s(phone, "/readings", "tbody tr")
                    busy, longest, shifted = load_of(phone)
            finally:
                sending.kill()
                browser.close()
    house = f"{NODES * ENTITIES_EACH} entities, {NODES} readings/s"
    slow = f"all readings on a phone, {SLOWED} times slowed"
    return [
        (f"{house}: the house page on a desk", f"{house_s:.2f} s", "under 1 s", house_s < 1),
        (f"the same: {slow}, usable", f"{phone_s:.2f} s", "under 2 s", phone_s < 2),
        ("the same: live updates, of its core", f"{busy:.0%}", "under 25 %", busy < 0.25),
        ("the same: longest task", f"{longest:.0f} ms", "100 ms or less", longest <= 100),
        ("the same: layout shift", f"{shifted:.3f}", "under 0.05", shifted < 0.05),
    ]


@contextlib.contextmanager
def page(browser: Browser, url: str, slowed: int, **look: Any) -> Iterator[Page]:
    """A page that is signed in, with the console cached as after a first visit."""
    from tests.browser.conftest import sign_in

    context = browser.new_context(base_url=url, **look)
    made = context.new_page()
    sign_in(made)
    made.goto("/readings")
    made.locator("tbody tr").first.wait_for()
    context.new_cdp_session(made).send("Emulation.setCPUThrottlingRate", {"rate": slowed})
    made.add_init_script(WATCH)
    yield made
    context.close()


def usable_s(page: Page, path: str, first: str) -> float:
    """From the address to the first of what the page shows."""
    begun = time.monotonic()
    page.goto(path, wait_until="commit")
    page.locator(first).first.wait_for()
    return time.monotonic() - begun


def load_of(page: Page) -> tuple[float, float, float]:
    """(part of a core, longest task in ms, layout shift) while values come in."""
    page.wait_for_timeout(3_000)
    page.evaluate("window.tasks = []")
    cdp = page.context.new_cdp_session(page)
    cdp.send("Performance.enable")

    def worked_s() -> float:
        metrics = {m["name"]: m["value"] for m in cdp.send("Performance.getMetrics")["metrics"]}
        return float(metrics["TaskDuration"])

    before, begun = worked_s(), time.monotonic()
    page.wait_for_timeout(LOOKED_AT_S * 1000)
    busy = (worked_s() - before) / (time.monotonic() - begun)
    tasks, shifted = json.loads(page.evaluate("JSON.stringify([window.tasks, window.shifted])"))
    return busy, max(tasks, default=50.0), shifted
