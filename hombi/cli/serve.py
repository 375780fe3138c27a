"""`hombi serve`: run the hub."""

from __future__ import annotations

import typer

from hombi.cli.drawing import err
from hombi.cli.run import installed
from hombi.cli.where import data_folder


def serve() -> None:
    """Run the hub, until Ctrl-C. HOMBI_DATA names its data folder, HOMBI_PORT its port."""
    # The hub brings Django; the other commands start faster without it, and are installed without it.
    with installed("hub"):
        from hombi.service.run import StartError, serve as run  # noqa: I001, PLC0415

    try:
        run(data_folder())
    except StartError as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(1) from error
    except KeyboardInterrupt:
        pass
