"""The links that are installed, found by their entry points."""

from __future__ import annotations

import logging
from importlib.metadata import EntryPoint, entry_points

from hombi.links.base import Link

log = logging.getLogger(__name__)

GROUP = "hombi.links"


class UnusableLink(Exception):
    """A link that is installed cannot be used; the message says why."""


def installed() -> tuple[list[Link], list[str]]:
    """The links that are installed, by name, and what is wrong with the others."""
    links, wrong = [], []
    for point in sorted(entry_points(group=GROUP), key=lambda one: one.name):
        try:
            links.append(_loaded(point))
        except UnusableLink as error:
            wrong.append(str(error))
    return links, wrong


def _loaded(point: EntryPoint) -> Link:
    try:
        link = point.load()
    except Exception as error:
        log.exception("the link %s cannot be loaded", point.name)
        sentence = f"{type(error).__name__}: {error}"
        raise UnusableLink(f"the link {point.name} cannot be loaded: {sentence}") from error
    if not isinstance(link, Link) or link.name != point.name:
        raise UnusableLink(f"the entry point {point.name} of {GROUP} names no link of this name")
    return link
