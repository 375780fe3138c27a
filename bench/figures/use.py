"""What a person waits for, and what the house costs."""

from __future__ import annotations

import json
import sqlite3
import statistics
import subprocess
import sys
import time
from pathlib import Path

import httpx

from bench import rig
from bench.figures.measures import Row, memory_mb, processor_s
from tests.house import Service, description, let_in, until

MONTH_ROWS, MONTH_ENTITIES = 43_200, 200


def month() -> list[Row]:
    """One entity's month of 43,200 readings among 8.6 million, as 600 points through
    the API, warm."""
    with rig.hub() as service:
        rig.nodes(service, 20, 10)
        service.stop()
        end = round(time.time() * 1000)
        with sqlite3.connect(service.data / "hub.sqlite3") as db:
            ids = [
                row[0]
                for row in db.execute(
                    "SELECT id FROM records_entity ORDER BY id LIMIT ?", (MONTH_ENTITIES,)
                )
            ]
            for entity in ids:
                db.execute(
                    "INSERT INTO records_reading WITH RECURSIVE n(i) AS (SELECT 0 UNION "
                    "ALL SELECT i + 1 FROM n WHERE i < ? - 1) "
                    "SELECT ?, ? - i * 60000, 0, NULL, 20 + i % 97 / 10.0, 0 "
                    "FROM n ORDER BY i DESC",
                    (MONTH_ROWS, entity, end),
                )
            (total,) = db.execute("SELECT count(*) FROM records_reading").fetchone()
        service.start()
        begun = time.monotonic()
        until(lambda: rolled_up(service, ids), within_s=900)
        rolled_s = time.monotonic() - begun
        headers = {"Authorization": f"Bearer {service.token}"}
        with httpx.Client(base_url=service.url, headers=headers) as http:

            def took_ms(path: str, **params: object) -> float:
                times = []
                for _ in range(12):
                    begun = time.perf_counter()
                    http.get(path, params=params).raise_for_status()
                    times.append((time.perf_counter() - begun) * 1000)
                return statistics.median(times[2:])

            one = "/api/entities/node-7/t3"
            light = took_ms(one)
            month_ms = took_ms(f"{one}/history", span="month", points=800)
            year = {"start": end - 365 * 86_400_000, "end": end}
            year_ms = took_ms(f"{one}/history", points=800, **year)
            eight = [f"node-7/t{n}" for n in range(1, 9)]
            eight_ms = took_ms("/api/courses", entity=eight, span="month", points=800)
            size = (service.data / "hub.sqlite3").stat().st_size
            with sqlite3.connect(service.data / "hub.sqlite3") as db:
                taken = "SELECT sum(pgsize) FROM dbstat WHERE name = 'records_reading'"
                (readings,) = db.execute(taken).fetchone()
            on = time.strftime("%Y-%m-%d", time.gmtime(end / 1000 - 86_400 * 2))
            review_ms = took_ms("/api/review", on=on)
    among = f"of one entity among {total / 1e6:.1f} million"
    return [
        (
            f"a month {among}, 800 points",
            f"{month_ms:.0f} ms ({month_ms / light:.0f} times a call without a series)",
            "under 25 ms",
            month_ms < 25,
        ),
        (f"a year {among}", f"{year_ms:.0f} ms", "under 40 ms", year_ms < 40),
        (
            f"a month of eight {among.removeprefix('of one entity ')}",
            f"{eight_ms:.0f} ms",
            "under 150 ms",
            eight_ms < 150,
        ),
        (
            f"a month of {MONTH_ENTITIES} entities looked back at",
            f"{review_ms:.0f} ms",
            "under 1 s for 100",
            review_ms < 1000 * MONTH_ENTITIES / 100,
        ),
        (
            "a reading on the disk, its index in",
            f"{readings / total:.0f} bytes; {size / total:.0f} with all sums kept for ever",
            "40 or less",
            readings / total <= 40,
        ),
        ("its readings rolled up", f"{total / rolled_s:,.0f}/s", "a year in a night", True),
    ]


def rolled_up(service: Service, ids: list[int]) -> bool:
    """Whether all hours of these entities that are over are rolled up."""
    due = time.time() * 1000 // 3_600_000 * 3_600_000 - 3_600_000
    with sqlite3.connect(service.data / "hub.sqlite3") as db:
        sums = "SELECT max(start_ms) FROM records_rollup WHERE entity_id = ? AND width_ms = 3600000"
        return all((db.execute(sums, (one,)).fetchone()[0] or 0) >= due for one in ids)


def screen(samples: int = 40) -> list[Row]:
    """Publish to the pixel's text: a new reading on the room's page in a headless
    browser."""
    from playwright.sync_api import sync_playwright

    from tests.browser.conftest import sign_in
    from tests.house import CLIMATE

    with rig.hub() as service:
        rack = let_in(service, description("Cellar rack", **CLIMATE))
        rack.post([{"n": "humidity", "v": 50}])
        with sync_playwright() as play, rack.connected() as client:
            args = [
                "--no-sandbox",
                "--disable-quic",
                "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1",
            ]
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=args)
            page = browser.new_page(base_url=service.url)
            sign_in(page)
            page.goto("/rooms/cheese-cellar")
            page.locator('[data-entity="cellar-rack/humidity"]').wait_for()
            page.evaluate(
                """() => { window.seen = {}; new MutationObserver(() => {
                    const tile = document.querySelector('[data-entity="cellar-rack/humidity"]');
                    const text = tile.textContent;
                    const value = /(\\d+\\.\\d)%/.exec(text)?.[1];
                    if (value && !(value in window.seen)) window.seen[value] = Date.now();
                }).observe(document.body, {subtree: true, childList: true,
                characterData: true}); }"""
            )
            sent = {}
            for n in range(samples):
                value = f"{51 + n}.5" if n < 45 else f"{n - 44}.5"
                sent[value] = time.time() * 1000
                client.publish(
                    rack.topics["readings"],
                    json.dumps([{"n": "humidity", "v": float(value)}]),
                    qos=1,
                )
                page.wait_for_timeout(120)
            seen = page.evaluate("window.seen")
            browser.close()
    # The page draws four times a second: a value that another one follows within that
    # time is rightly never drawn. It counts until the one that took its place.
    times, drawn = [], None
    for value, at in reversed(sent.items()):
        drawn = seen.get(value, drawn)
        if drawn is not None:
            times.append(drawn - at)
    worst = max(times)
    return [
        (
            "a new reading on the screen",
            f"{statistics.median(times):.0f} ms, at most {worst:.0f} ms",
            "within 300 ms",
            worst < 300,
        )
    ]


def footprint(seconds: float = 60) -> list[Row]:
    """The demo house at speed 1: the hub's memory and its processor time."""
    with rig.hub() as empty:
        port = empty.port
        empty.stop()
        demo = Service(empty.data.with_name("demo"), port, 0)
        env = {**empty.environment, "HOMBI_DATA": str(demo.data)}
        env.pop("HOMBI_MQTT_PORT")
        env.pop("HOMBI_BLUETOOTH_USE")
        process = subprocess.Popen(
            [sys.executable, "-m", "hombi.cli.app", "demo"],
            env=env,
            stdout=subprocess.PIPE,
            text=True,
        )
        assert process.stdout is not None
        for line in process.stdout:
            if "Ctrl-C" in line:
                break
        pid = int((demo.data / "hub.lock").read_text())
        time.sleep(60)  # its past is computed first
        before = processor_s(pid)
        time.sleep(seconds)
        share = (processor_s(pid) - before) / seconds
        memory = memory_mb(pid)
        process.terminate()
        until(lambda: process.poll() is not None)
    return [
        (
            f"the demo house at speed 1, processor over {seconds:.0f} s",
            f"{100 * share:.1f} % of a core",
            "under 3 %",
            share < 0.03,
        ),
        ("the demo house, memory of the hub", f"{memory:.0f} MB", "under 110 MB", memory < 110),
    ]


def command_line() -> list[Row]:
    """A command with a table of values, beside a Python that does nothing."""

    def took(words: list[str], env: dict[str, str] | None = None) -> float:
        times = []
        for _ in range(15):
            begun = time.perf_counter()
            subprocess.run(words, env=env, stdout=subprocess.DEVNULL, check=True)
            times.append(time.perf_counter() - begun)
        return statistics.median(times[2:])

    with rig.hub() as service:
        rig.nodes(service, 10, 4)
        nothing = took([sys.executable, "-c", "pass"])
        now = took([sys.executable, "-m", "hombi.cli.app", "now"], service.environment)
    what = f"{now:.2f} s (`python -c pass` {nothing:.2f} s)"
    return [("`hombi now`, from the shell to its last line", what, "under 0.3 s", now < 0.3)]


def first_load() -> list[Row]:
    """What the console's first page loads of JavaScript, gzipped."""
    import gzip
    import re

    files = Path(__file__).parents[2] / "hombi" / "service" / "console_files"
    page = (files / "index.html").read_text()
    size = sum(
        len(gzip.compress((files / name).read_bytes()))
        for name in re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', page)
    )
    return [
        (
            "the console's first load, JavaScript gzipped",
            f"{size / 1000:.0f} kB",
            "under 150 kB",
            size < 150_000,
        )
    ]
