"""`hombi serve`: run the hub."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.data_place import data_folder
from hombi.cli.exits import SAID_NO
from hombi.cli.extras import installed


def serve(
    new_secrets: Annotated[
        bool,
        typer.Option(
            "--new-secrets",
            help="When secret.key is lost: forget what was sealed "
            "with it (phones, nodes' secrets).",
        ),
    ] = False,
) -> None:
    """Run the hub, until Ctrl-C. HOMBI_DATA names its data folder, HOMBI_PORT its
    port."""
    # The hub brings Django; the other commands start faster without it, and are
    # installed without it.
    with installed("hub"):
        from hombi.service.run import StartError, serve as run  # noqa: I001, PLC0415

    try:
        run(data_folder(), new_secrets=new_secrets)
    except StartError as error:
        from hombi.cli.drawing import err  # noqa: PLC0415 - only where it is needed

        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error
    except KeyboardInterrupt:
        pass
