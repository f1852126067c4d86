"""The command itself, and how it ends."""

from __future__ import annotations

import sys

import click

from plodek.core.errors import FoldedGrid, PlodekError

GATE_FAILED, BAD_INPUT = 1, 2


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="plodek")
def plodek() -> None:
    """Block-structured hexahedral grids: lay out blocks, set spacing, smooth, check, hand off."""


def main() -> None:
    """Run the command line; bad input ends with one sentence on stderr and exit code 2."""
    try:
        plodek.main(standalone_mode=False)
    except FoldedGrid as error:
        click.echo(f"plodek: {error}", err=True)
        sys.exit(GATE_FAILED)
    except PlodekError as error:
        click.echo(f"plodek: {error}", err=True)
        sys.exit(BAD_INPUT)
    except click.ClickException as error:
        click.echo(f"plodek: {error.format_message()}", err=True)
        sys.exit(BAD_INPUT)
    except click.Abort:
        sys.exit(BAD_INPUT)
