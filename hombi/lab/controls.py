"""What a person does with the lab's radio nodes: press a button, carry one away, run
its battery down, pull the stick out.

As addresses for the command line, and as a page.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Protocol

from starlette.requests import Request
from starlette.responses import FileResponse, JSONResponse, Response
from starlette.routing import Route

from hombi.lab.zigbee_house import ZigbeeHouse

PAGE = Path(__file__).with_name("lab.html")


class Held(Protocol):
    """A node that a person has in hand."""

    away: bool
    drained: float | None

    @property
    def title(self) -> str:
        """Its name on its label."""

    @property
    def link(self) -> str:
        """The link it speaks over."""

    @property
    def state(self) -> str:
        """How it is, in a word or two."""

    @property
    def taps(self) -> tuple[str, ...]:
        """What else a person can do at it."""

    def tap(self, what: str) -> None:
        """Do that."""

    def press(self) -> None:
        """Hold its button."""


class Controls:
    """The nodes by name, and the stick."""

    def __init__(self, nodes: Mapping[str, Held], zigbee: ZigbeeHouse) -> None:
        self._nodes, self._zigbee = nodes, zigbee

    def routes(self) -> Sequence[Route]:
        """Where the lab's pages find it."""
        return (
            Route("/", self._page),
            Route("/radio", self._list),
            Route("/radio/{node}/{what}", self._do, methods=["POST"]),
            Route("/stick/{what}", self._stick, methods=["POST"]),
        )

    async def _page(self, request: Request) -> Response:
        return FileResponse(PAGE)

    async def _list(self, request: Request) -> Response:
        return JSONResponse([self._told(name, node) for name, node in self._nodes.items()])

    @staticmethod
    def _told(name: str, node: Held) -> dict[str, str | bool | list[str]]:
        return {
            "node": name,
            "title": node.title,
            "link": node.link,
            "state": node.state,
            "away": node.away,
            "taps": [*node.taps],
        }

    async def _do(self, request: Request) -> Response:
        name, what = request.path_params["node"], request.path_params["what"]
        node = self._nodes.get(name)
        if node is None:
            return JSONResponse(
                {"detail": f"no node {name} here; there are {', '.join(self._nodes)}"}, 404
            )
        if what == "press":
            node.press()
        elif what in node.taps:
            node.tap(what)
        elif what in ("away", "back"):
            node.away = what == "away"
        elif what in ("drain", "renew"):
            node.drained = 6.0 if what == "drain" else None
        else:
            return JSONResponse({"detail": f"{what} cannot be done with a node"}, 404)
        return JSONResponse(self._told(name, node))

    async def _stick(self, request: Request) -> Response:
        what = request.path_params["what"]
        if what == "unplug":
            self._zigbee.stick.unplug()
        elif what == "plug" and not self._zigbee.stick.plugged:
            self._zigbee.stick.plug()
        return JSONResponse({"plugged": self._zigbee.stick.plugged})
