"""Trusting the house with Chromium and its own certificate store; no error is ever
waved away."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, Playwright, expect

from tests.browser.conftest import WHOLE, sign_in
from tests.conftest import make_service
from tests.house import Service, free_ports


@pytest.fixture(scope="module")
def service(tmp_path_factory: pytest.TempPathFactory, empty_database: Path) -> Iterator[Service]:
    data = tmp_path_factory.mktemp("hub")
    shutil.copy(empty_database, data)
    https, mqtts = free_ports(2)
    result = make_service(
        data,
        HOMBI_HTTPS_USE="true",
        HOMBI_HTTPS_PORT=str(https),
        HOMBI_MQTT_TLS_PORT=str(mqtts),
    )
    result.start().sign_in_first()
    yield result
    result.kill()


def device(
    playwright: Playwright, launch: dict[str, Any], home: Path, authority: Path | None = None
) -> Browser:
    """A browser with a store of its own; it is made before the browser would."""
    store = home / ".pki" / "nssdb"
    store.mkdir(parents=True)
    words = ["certutil", "-d", f"sql:{store}"]
    subprocess.run([*words, "-N", "--empty-password"], check=True)
    if authority is not None:
        taken = ["-A", "-t", "C,,", "-n", "house", "-i", str(authority)]
        subprocess.run([*words, *taken], check=True)
    args = [one for one in launch["args"] if not one.startswith("--host-resolver")]
    args.append("--host-resolver-rules=MAP hombi.local 127.0.0.1 , MAP * ~NOTFOUND")
    return playwright.chromium.launch(
        executable_path=WHOLE,
        args=[*args],
        env={**os.environ, "HOME": str(home)},
    )


def test_a_device_is_led_to_trust_and_then_signs_in_over_https(
    playwright: Playwright,
    browser_type_launch_args: dict[str, Any],
    service: Service,
    tmp_path: Path,
) -> None:
    begins = f"http://hombi.local:{service.port}/trust"
    secure = f"https://hombi.local:{service.env['HOMBI_HTTPS_PORT']}"
    stranger = device(playwright, browser_type_launch_args, tmp_path / "before")
    page = stranger.new_page()
    page.goto(begins)
    expect(page.get_by_role("status")).to_contain_text("does not trust the house yet")
    with page.expect_download() as fetched:
        page.get_by_role("link", name="Get the certificate").click()
    authority = tmp_path / "house.pem"
    fetched.value.save_as(authority)
    page.get_by_text("Compare the certificate").click()
    with service.hub() as hub:
        expect(page.get_by_text(hub.trust().fingerprint)).to_be_visible()
    assert _refused(page, secure) == "net::ERR_CERT_AUTHORITY_INVALID"
    stranger.close()

    trusting = device(playwright, browser_type_launch_args, tmp_path / "after", authority)
    page = trusting.new_page()
    page.goto(begins)
    expect(page.get_by_role("status")).to_contain_text("This device trusts the house")
    page.get_by_role("link", name="Go on over HTTPS").click()
    sign_in(page, secure)
    page.goto(f"{secure}/notices")
    assert page.evaluate("isSecureContext")
    expect(page.get_by_role("button", name="Take notifications here")).to_be_enabled()
    # The worker that shows notices runs.
    assert page.evaluate("navigator.serviceWorker.ready.then((one) => one.active.state)") in (
        "activating",
        "activated",
    )
    page.goto(f"{secure}/trust")
    expect(page.get_by_role("link", name="Take notices on this device")).to_be_visible()
    trusting.close()


def _refused(page: Page, url: str) -> str:
    try:
        page.goto(url)
    except Exception as error:
        return str(error).split(" at ")[0].split("Page.goto: ")[-1]
    return "it was let in"
