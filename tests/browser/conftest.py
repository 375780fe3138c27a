"""A headless Chromium in front of a hub that runs as a process of its own, as people
have it."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import BrowserContext, ConsoleMessage, Page, expect

from tests.house import OWNER, PASSWORD, Joined, Service, until

# A busy machine draws late; what is expected is waited for.
expect.set_options(timeout=30_000)
AXE = (Path(__file__).parents[2] / "console/node_modules/axe-core/axe.min.js").read_text()


# The browser as people have it; and one that draws the same pages for half the work,
# and shows no notices.
WHOLE, LIGHT = "/usr/bin/chromium", "/usr/bin/chromium-headless-shell"


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    args = [
        "--disable-quic",
        # What nobody looks at need not move smoothly.
        "--disable-gpu",
        "--disable-gpu-compositing",
        "--disable-threaded-animation",
        "--disable-lcd-text",
        "--disable-font-subpixel-positioning",
        "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost",
    ]
    return {
        "executable_path": LIGHT,
        "args": args + (["--no-sandbox"] if os.geteuid() == 0 else []),
    }


@pytest.fixture(scope="module")
def base_url(service: Service) -> str:
    return service.url


@pytest.fixture
def browser_context_args(base_url: str) -> dict[str, Any]:
    # What a test puts in the network's place must be asked: no worker answers for it.
    return {
        "base_url": base_url,
        "viewport": {"width": 1280, "height": 800},
        "timezone_id": "UTC",
        "service_workers": "block",
    }


@pytest.fixture(scope="module")
def cookies(service: Service, browser: Any) -> list[dict[str, Any]]:
    """The session of somebody who has signed in."""
    context = browser.new_context(base_url=service.url)
    page = context.new_page()
    sign_in(page)
    result: list[dict[str, Any]] = context.cookies()
    context.close()
    return result


class TextArea:
    """The editor of an automation's text, as a person reads and writes it."""

    def __init__(self, page: Page) -> None:
        self.area = page.locator(".cm-content")
        self.area.wait_for()

    @property
    def text(self) -> str:
        # Lines that are out of sight are not in the page.
        result: str = self.area.evaluate("one => one.cmTile.root.view.state.doc.toString()")
        return result

    def fill(self, text: str) -> None:
        self.area.fill(text)
        self.has(text)

    def has(self, wanted: str | re.Pattern[str]) -> None:
        """Wait until it has this text, or one that fits."""
        whole = isinstance(wanted, str)
        until(lambda: self.text == wanted if whole else re.search(wanted, self.text))


def sign_in(page: Page, url: str = "") -> None:
    page.goto(f"{url}/sign-in")
    page.get_by_label("Name").fill(OWNER)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("navigation", name="Places").wait_for()


@pytest.fixture
def console(context: BrowserContext, cookies: list[dict[str, Any]]) -> Iterator[Page]:
    """The console, signed in. Whatever the browser complains about fails the test."""
    context.add_cookies(cookies)  # type: ignore[arg-type]
    page = context.new_page()
    # What is fetched ahead costs each test a second; it has a test of its own.
    page.add_init_script("Object.defineProperty(navigator.connection, 'saveData', {value: true})")
    complaints: list[str] = []

    def hear(message: ConsoleMessage) -> None:
        # That the hub said no, or was gone, or has no worker, is the test's own doing.
        own = message.text.startswith(("Failed to load", "Service Worker registration blocked"))
        if message.type in ("error", "warning") and not own:
            complaints.append(message.text)

    page.on("console", hear)
    page.on("pageerror", lambda error: complaints.append(str(error)))
    yield page
    assert complaints == []


def violations(page: Page) -> list[str]:
    """What axe finds wrong with the page."""
    page.evaluate(AXE)
    result = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
    return [
        f"{v['id']}: {v['nodes'][0]['html'][:160]} {v['nodes'][0]['failureSummary'][:200]}"
        for v in result["violations"]
    ]


@pytest.fixture(scope="module")
def cellar(service: Service, rack: Joined, mister: Joined) -> Joined:
    """A cellar that has something to show, and an automation that looks at it."""
    rack.post([{"n": "temperature", "v": 11.25}, {"n": "humidity", "v": 84.5}])
    mister.post([{"n": "switch", "vb": False}, {"n": "power", "v": 0.4}])
    with service.hub() as hub:
        hub.automations.add(
            'name = "Cellar too dry"\nabout = "The rinds crack."\n\n'
            '[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\nuntil = "86 %"\n\n'
            '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
        )
    return rack
