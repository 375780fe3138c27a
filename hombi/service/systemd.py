"""Telling systemd how the hub is (sd_notify(3)): that it is ready, that it lives, that
it stops. Nothing is told where systemd did not start it."""

from __future__ import annotations

import asyncio
import os
import socket

# Half of the time after which systemd takes the hub for hung.
PART, IDLE_S = 0.5, 3600.0


def tell(sentence: str) -> bool:
    """Tell systemd; whether it listens. An address that begins with @ is an abstract
    one."""
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address:
        return False
    if address.startswith("@"):
        address = "\0" + address[1:]
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM | socket.SOCK_CLOEXEC) as sock:
        try:
            sock.sendto(sentence.encode(), address)
        except OSError:
            return False
    return True


async def watching() -> None:
    """Say that the hub is ready, and again and again that it lives: a loop that hangs
    says nothing, and systemd starts the hub anew."""
    tell("READY=1")
    within_us = os.environ.get("WATCHDOG_USEC", "")
    pause_s = int(within_us) / 1_000_000 * PART if within_us.isdigit() else None
    while True:
        if pause_s is not None:
            tell("WATCHDOG=1")
        await asyncio.sleep(pause_s or IDLE_S)
