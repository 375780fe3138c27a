"""The lab's own pages: the phone, the nodes' setup codes, steam for the cellar's
sensor, the camera, the radio nodes in hand."""

from __future__ import annotations

import contextlib

import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from hombi.lab.camera import camera_routes
from hombi.lab.controls import Controls
from hombi.lab.demo_house import Demo, DemoError
from hombi.lab.heron_mill import OUTSIDE, PLANS
from hombi.lab.mailbox import Mailbox
from hombi.lab.phone import LabPhone
from hombi.lab.physics import Mill
from hombi.lab.thing_plans import speaker_plan
from hombi.lab.web_thing import WebThing

STEAM_S = 60.0


async def serve_pages(
    demo: Demo, mill: Mill, phone: LabPhone, things: list[WebThing], controls: Controls
) -> None:
    """Serve them until cancelled. Raises DemoError."""
    mailbox, speaker = Mailbox(), WebThing(speaker_plan(demo.lab_port), mill)

    async def said(request: Request) -> Response:
        played = [f"a sound of {len(one):,} bytes" for one in reversed(speaker.played)]
        return JSONResponse({"asked": [one for _, one in reversed(speaker.done)], "played": played})

    async def nodes(request: Request) -> Response:
        return JSONResponse(
            [
                {"node": p.address, "title": p.title, "setup_code": p.setup_code}
                for p in (*PLANS, OUTSIDE)
            ]
        )

    async def steam(request: Request) -> Response:
        mill.devices.steam_until_s = mill.time_s + STEAM_S
        return JSONResponse({"steam": f"at the cellar rack for {STEAM_S:.0f} s"})

    app = Starlette(
        routes=[
            Route("/push/{channel}", phone.push, methods=["POST"]),
            Route("/phone", phone.page),
            Route("/phone/notices", phone.shown),
            Route("/phone/answer", phone.behave, methods=["POST"]),
            Route("/phone/press", phone.press, methods=["POST"]),
            Route("/phone/picture", phone.picture),
            *mailbox.routes(),
            Route("/loudspeaker", said),
            Route("/nodes", nodes),
            Route("/steam", steam, methods=["POST"]),
            *camera_routes(mill),
            *controls.routes(),
            *(route for thing in (*things, speaker) for route in thing.routes()),
        ]
    )
    config = uvicorn.Config(
        app, host="127.0.0.1", port=demo.lab_port, loop="none", log_level="warning", lifespan="off"
    )
    server = uvicorn.Server(config)
    # The demo itself listens for Ctrl-C.
    server.capture_signals = contextlib.nullcontext  # type: ignore[method-assign, assignment]
    try:
        await mailbox.open(demo.mail_port)
        await server.serve()
    except (SystemExit, OSError) as error:
        raise DemoError(
            f"the lab's port {demo.lab_port} cannot be opened; set HOMBI_PORT to another port"
        ) from error
