"""`hombi demo`: Heron Mill, a whole house to try things in."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import err, out
from hombi.cli.extras import installed
from hombi.cli.where import demo_folder, http_port


def demo(
    speed: Annotated[
        float,
        typer.Option(min=0.1, max=1000, help="How many times faster than real time the demo runs."),
    ] = 1.0,
    seed: Annotated[int, typer.Option(help="The same seed makes the same house.")] = 7,
) -> None:
    """Run the hub with Heron Mill around it: nodes, a plug, a phone. Nothing leaves
    this machine. Ctrl-C stops it all."""
    # The lab brings a web server; only this command needs it.
    with installed("hub,lab"):
        from hombi.lab.demo_house import DemoError  # noqa: PLC0415
        from hombi.lab.run import demo as run  # noqa: PLC0415

    port = http_port()
    try:
        run(demo_folder(port), port, speed, seed, lambda text: out.print(text, soft_wrap=True))
    except DemoError as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(1) from error
