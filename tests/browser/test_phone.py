"""The console as an app on a phone: installable, told by the hub, opening the right
page; and a hub that goes away."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Iterator
from typing import Any

import httpx
import pytest
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.browser.conftest import WHOLE
from tests.house import Joined, Service, free_ports, until
from tests.phones import phone_service


@pytest.fixture(scope="module")
def browser(launch_browser: Callable[..., Browser]) -> Iterator[Browser]:
    """One that shows notices."""
    with launch_browser(executable_path=WHOLE) as result:
        yield result


@pytest.fixture
def browser_context_args(browser_context_args: dict[str, Any]) -> dict[str, Any]:
    """Notices are shown by the worker."""
    return {**browser_context_args, "service_workers": "allow"}


@pytest.fixture
def allowed(context: BrowserContext, base_url: str) -> BrowserContext:
    context.grant_permissions(["notifications"], origin=base_url)
    return context


def test_it_can_be_installed(service: Service) -> None:
    manifest = httpx.get(f"{service.url}/manifest.webmanifest").json()
    assert (manifest["name"], manifest["display"], manifest["start_url"]) == (
        "Hombi",
        "standalone",
        "/",
    )
    for icon in manifest["icons"]:
        answer = httpx.get(service.url + icon["src"])
        assert answer.headers["content-type"] == icon["type"]


def test_the_browsers_subscription_reaches_the_hub_and_a_notice_reaches_it(
    allowed: BrowserContext, console: Page, service: Service, tmp_path: Any
) -> None:
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        # Offline there is no push service to subscribe with; the lab's stands in for
        # it.
        given = {"endpoint": f"http://127.0.0.1:{port}/push/{phone.channel}", "keys": phone.keys()}
        console.add_init_script(
            f"PushManager.prototype.subscribe = async () => ({{ toJSON: () => "
            f"({json.dumps(given)}) }})"
        )
        console.goto("/notices")
        console.get_by_label("Name of this device").fill("Ada's phone")
        console.get_by_role("button", name="Take notifications here").click()
        reached = console.get_by_role("region", name="How people are reached")
        expect(reached.get_by_text("Ada's phone").first).to_be_visible()
        console.get_by_role("button", name="Try it Ada's phone").click()
        until(lambda: phone.notices)
        assert phone.notices[0]["text"] == "This is Ada's phone."
        told = console.get_by_role("region", name="Sent notices")
        expect(told.get_by_text("delivered")).to_be_visible()
        console.get_by_role("button", name="Remove Ada's phone").click()
        console.get_by_role("dialog").get_by_role("button", name="Remove").click()
        expect(reached.get_by_text("ada has no contact yet.")).to_be_visible()


def test_without_a_push_service_it_says_so(
    allowed: BrowserContext, console: Page, service: Service
) -> None:
    console.add_init_script(
        "PushManager.prototype.subscribe = async () => { throw new Error('no service') }"
    )
    console.goto("/notices")
    console.get_by_label("Name of this device").fill("Ada's phone")
    console.get_by_role("button", name="Take notifications here").click()
    expect(console.get_by_role("alert")).to_contain_text("push service cannot be reached")


def test_a_push_is_shown_and_its_click_opens_the_page(
    allowed: BrowserContext, console: Page, service: Service, cellar: Joined
) -> None:
    console.goto("/")
    console.evaluate("navigator.serviceWorker.ready.then(() => true)")
    devtools = allowed.new_cdp_session(console)
    registrations: list[str] = []
    devtools.on(
        "ServiceWorker.workerRegistrationUpdated",
        lambda e: registrations.extend(r["registrationId"] for r in e["registrations"]),
    )
    devtools.send("ServiceWorker.enable")
    until(lambda: registrations or console.wait_for_timeout(50))
    notice = {
        "title": "Cellar is dry",
        "text": "81.0 % for 10 min",
        "path": "/automations/cellar-too-dry",
        "at": 1,
        "picture": "/icon-192.png",
    }
    devtools.send(
        "ServiceWorker.deliverPushMessage",
        {"origin": service.url, "registrationId": registrations[0], "data": json.dumps(notice)},
    )
    shown = (
        "navigator.serviceWorker.ready.then((r) => r.getNotifications())"
        ".then((all) => all.map((n) => [n.title, n.body, n.data.path, n.image ?? '-']))"
    )
    until(lambda: console.evaluate(shown) or console.wait_for_timeout(50))
    assert console.evaluate(shown) == [
        ["Cellar is dry", "81.0 % for 10 min", "/automations/cellar-too-dry",
         service.url + "/icon-192.png"]
    ]  # fmt: skip
    (worker,) = allowed.service_workers
    worker.evaluate(
        """async () => {
            const [notification] = await self.registration.getNotifications();
            self.dispatchEvent(new NotificationEvent("notificationclick", { notification }));
        }"""
    )
    expect(console.get_by_role("heading", level=1)).to_have_text("Cellar too dry")


def test_a_notice_replaces_the_one_about_the_same_and_its_button_needs_no_page(
    allowed: BrowserContext, console: Page, service: Service
) -> None:
    """The console's own worker: what it shows, whether it rings, what it sends."""
    console.goto("/")
    console.evaluate("navigator.serviceWorker.ready.then(() => true)")
    (worker,) = allowed.service_workers
    shown = worker.evaluate(
        """async () => {
            const rings = [];
            const show = self.registration.showNotification.bind(self.registration);
            self.registration.showNotification = (title, how) => {
                rings.push(how.renotify);
                return show(title, how);
            };
            const say = { title: "Door open", tag: "door", buttons: [
                { do: "hush", label: "Not again for an hour", right: "1.hush.abc" } ] };
            for (const one of [
                { ...say, id: "a" }, { ...say, id: "a" }, { ...say, id: "b" },
                { ...say, id: "c", quiet: true, text: "closed again", buttons: [] },
            ]) {
                const data = { json: () => one };
                let done;
                const event = new Event("push");
                Object.assign(event, { data, waitUntil: (work) => { done = work; } });
                self.dispatchEvent(event);
                await done;
            }
            const left = await self.registration.getNotifications();
            const asked = [], fetched = self.fetch.bind(self);
            self.fetch = async (url, how) => {
                // The page goes on fetching what it may need later.
                if (typeof url !== "string") return fetched(url, how);
                asked.push([url, how.method, how.credentials, how.body]);
                return new Response(JSON.stringify({ done: "Not again for an hour" }));
            };
            await show("Door open", { tag: "door", actions: [{ action: "hush", title: "Hush" }],
                data: { id: "d", path: "/", rights: { hush: "1.hush.abc" } } });
            const [notification] = await self.registration.getNotifications();
            let pressed;
            const event = new NotificationEvent("notificationclick",
                { notification, action: "hush" });
            event.waitUntil = (work) => { pressed = work; };
            self.dispatchEvent(event);
            await pressed;
            const [after] = await self.registration.getNotifications();
            return { rings, left: left.map((n) => [n.body, n.silent]), asked, after: after.body };
        }"""
    )
    assert shown["rings"][:4] == [True, False, True, False], "it rings for what is new"
    assert shown["left"] == [["closed again", True]]
    assert shown["asked"] == [["/api/notices/press", "POST", "omit", '{"right":"1.hush.abc"}']]
    assert shown["after"] == "Done: Not again for an hour"


def test_a_hub_that_goes_away_is_a_thin_line_and_what_was_known_stays(
    console: Page, service: Service, cellar: Joined
) -> None:
    console.goto("/rooms/cheese-cellar")
    tile = console.locator('[data-entity="cellar-rack/humidity"]')
    expect(tile).to_contain_text("84.5")
    service.kill()
    expect(console.get_by_text("The hub does not answer; what you see is from")).to_be_visible(
        timeout=30_000
    )
    expect(tile).to_contain_text("84.5")
    service.start()
    expect(console.get_by_text("The hub does not answer")).to_have_count(0, timeout=30_000)
    cellar.post([{"n": "humidity", "v": 77.7}])
    expect(tile).to_contain_text("77.7")


def test_an_uncompressed_point_is_what_browsers_take(service: Service) -> None:
    key = httpx.get(
        f"{service.url}/api/phones/key", headers={"Authorization": f"Bearer {service.token}"}
    ).json()["key"]
    point = base64.urlsafe_b64decode(key + "=" * (-len(key) % 4))
    assert (len(point), point[0]) == (65, 4)
    assert (
        ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), point).public_bytes(
            Encoding.X962, PublicFormat.UncompressedPoint
        )
        == point
    )
