"""What every command has: a place among those of its noun, and examples in its help."""

from __future__ import annotations

from typing import Any

import typer
from typer.core import TyperCommand


class Exampled(TyperCommand):
    """A command whose help ends with examples. They are loaded for the help only."""

    def format_epilog(self, ctx: Any, formatter: Any) -> None:
        from hombi.cli.examples import EXAMPLES  # noqa: PLC0415

        path = ctx.command_path.partition(" ")[2]
        if example := EXAMPLES.get(path):
            with formatter.section("Examples"):
                for line in example:
                    formatter.write(f"  {line}\n")  # whole, to be copied


class Noun(typer.Typer):
    """Commands that have examples."""

    def command(self, name: str | None = None, **given: Any) -> Any:
        return super().command(name, cls=Exampled, **given)


def noun(about: str) -> typer.Typer:
    """The commands of one noun."""
    return Noun(
        add_completion=False,
        no_args_is_help=True,
        rich_markup_mode=None,
        help=about,
    )
