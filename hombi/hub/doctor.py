"""A look at every part of the hub: how it is, and what to do about it."""

from __future__ import annotations

import os
import resource
import shutil
from datetime import datetime
from pathlib import Path

from hombi.hub.household.own_state import LOW_DISK
from hombi.hub.hub import Hub
from hombi.hub.readings.intake import clock_said
from hombi.links.base import Check, Driver

VERY_LOW_DISK = 50_000_000
# What of the open files that this process may have is too much.
CROWDED = 0.8
OPEN_FILES = Path("/proc/self/fd")
LATE_MS, VERY_LATE_MS = 200.0, 1_000.0
BEFORE_CLOCKS_MS = (
    1_750_000_000_000  # 2025: a machine that believes in an earlier time has not been told the time
)


def look(hub: Hub) -> list[Check]:
    """All checks, in the order in which a person would go through them."""
    return [
        _settings(hub), _disk(hub), _writing(hub), _parts(hub), _loop(hub), _clock(hub),
        _files(), *hub.trust.checks(), *hub.backups.checks(),
        *(check for driver in hub.links.drivers.values() for check in _link(driver)),
        _pairing(hub), _nodes(hub), _automations(hub), _phones(hub),
    ]  # fmt: skip


def _link(driver: Driver) -> list[Check]:
    """What a driver says of itself; one that fails at that says so too."""
    try:
        return driver.checks()
    except Exception as error:  # noqa: BLE001 - whatever it is, it is the finding
        advice = "the hub's log has more"
        return [Check(driver.link, "fault", f"its check failed: {error}", advice)]


def _parts(hub: Hub) -> Check:
    failing = hub.context.tasks.failing
    if failing:
        text = "; ".join(f"{name}: {why}" for name, why in failing.items())
        return Check(
            "parts", "fault", text, "the hub starts them again by itself; its log has more"
        )
    return Check("parts", "ok", "all running")


def _settings(hub: Hub) -> Check:
    if hub.reload.problem:
        return Check(
            "hombi.toml",
            "fault",
            hub.reload.problem,
            "`hombi check` shows the place; the hub keeps its earlier settings",
        )
    if hub.reload.waiting:
        return Check(
            "hombi.toml",
            "warning",
            f"waiting for a restart: {', '.join(hub.reload.waiting)}",
            "start the hub again",
        )
    return Check("hombi.toml", "ok", "read without mistakes")


def _disk(hub: Hub) -> Check:
    free = shutil.disk_usage(hub.config.data).free
    text = f"{free / 1e9:.1f} GB free at {hub.config.data}"
    if free < VERY_LOW_DISK:
        return Check(
            "disk", "fault", text, "make room now: readings are held in memory when it is full"
        )
    if free < LOW_DISK:
        return Check("disk", "warning", text, "make room soon")
    return Check("disk", "ok", text)


def _writing(hub: Hub) -> Check:
    writer = hub.writer
    if writer.problem:
        return Check(
            "database",
            "fault",
            writer.problem,
            "make room, or see what holds the file; nothing acknowledged is lost",
        )
    return Check(
        "database",
        "ok",
        f"{writer.committed} readings written since the start, {writer.held} on their way",
    )


def _loop(hub: Hub) -> Check:
    late = hub.lag.worst_ms
    text = f"lately at most {late:.0f} ms late"
    if late > VERY_LATE_MS:
        return Check(
            "event loop", "fault", text, "this machine is too busy; see what else runs on it"
        )
    return Check(
        "event loop",
        "warning" if late > LATE_MS else "ok",
        text,
        "see what else runs here" if late > LATE_MS else "",
    )


def _clock(hub: Hub) -> Check:
    now = hub.context.clock.now_ms()
    shown = datetime.fromtimestamp(now / 1000, hub.config.zone).strftime("%d %B %Y %H:%M")
    early = f"this machine thinks it is {shown}" if now < BEFORE_CLOCKS_MS else ""
    if wrong := hub.clock.problem or early:
        advice = "set its clock, or let it take the time from the network"
        return Check("clock", "fault", wrong, advice)
    return Check("clock", "ok", f"{shown}, house time is {hub.config.zone.key}")


def _files() -> Check:
    limit, _ = resource.getrlimit(resource.RLIMIT_NOFILE)
    used = len(os.listdir(OPEN_FILES)) if OPEN_FILES.is_dir() else 0
    text = f"{used} open, {limit - used} of {limit} left for connections"
    if used > limit * CROWDED:
        advice = (
            "see who connects so often (`hombi journal`); a higher limit (ulimit -n) "
            "makes more room"
        )
        return Check("open files", "warning", text, advice)
    return Check("open files", "ok", text)


def _pairing(hub: Hub) -> Check:
    waiting = len(hub.pairing.waiting())
    text = hub.pairing.shown()
    if waiting:
        return Check(
            "pairing",
            "warning",
            f"{text}; waiting to be let in: {waiting}",
            "`hombi arrivals` shows them",
        )
    return Check("pairing", "ok", text)


def _nodes(hub: Hub) -> Check:
    nodes = hub.house.nodes.values()
    silent = [node.address for node in nodes if node.silent]
    refused = [node.address for node in nodes if node.refused]
    shut = [f"{node.title} ({node.shut_out})" for node in nodes if node.shut_out]
    wrong = [f"{node.address}: {clock_said(node.clock)}" for node in nodes if node.clock.wrong]
    if shut:
        advice = "`hombi node secret NODE` gives the hub a node's new secret"
        return Check("nodes", "warning", f"refuse the hub: {', '.join(shut)}", advice)
    if silent:
        return Check(
            "nodes",
            "warning",
            f"no longer heard: {', '.join(silent)}",
            "check their batteries and how far away they are",
        )
    if refused:
        text = f"what they send is partly refused: {', '.join(refused)}"
        return Check("nodes", "warning", text, "`hombi journal` says why")
    if wrong:
        return Check(
            "nodes",
            "warning",
            "; ".join(wrong),
            "set their clocks; until then the hub dates their values by their arrival",
        )
    return Check("nodes", "ok", f"{len(nodes)}, all heard")


def _automations(hub: Hub) -> Check:
    broken = [
        f"{slug}: {runner.broken or runner.mistakes[0].what}"
        for slug, runner in hub.automations.runners.items()
        if runner.broken or runner.mistakes
    ]
    if broken:
        return Check(
            "automations", "fault", "; ".join(broken), "correct their texts in the console"
        )
    return Check("automations", "ok", f"{len(hub.automations.runners)}, all without mistakes")


def _phones(hub: Hub) -> Check:
    if hub.outbox.failed:
        return Check(
            "phones",
            "warning",
            f"notices that did not reach a phone: {hub.outbox.failed}",
            "`hombi journal` says why",
        )
    if not hub.outbox.phones:
        return Check(
            "phones",
            "warning",
            "none, so nobody can get notifications",
            "open the console on a phone, and take notifications on the page Notices",
        )
    return Check("phones", "ok", f"{len(hub.outbox.phones)}")
