"""Commands about data folders: backup, restore, users, doctor."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import ModuleType

import click

from plodek.cli.command import GATE_FAILED, plodek
from plodek.cli.options import DATA, JSON


@plodek.command()
@click.option("--to", "file", type=click.Path(path_type=Path), required=True, help="The file to write.")
@DATA
def backup(file: Path, data: Path) -> None:
    """Write all projects, with their revisions and files, to one file; a server may go on meanwhile."""
    from plodek.server.store.backup import back_up

    count = back_up(data, file)
    click.echo(f"{count} projects written to {file} ({file.stat().st_size / 1e6:.1f} MB)")


@plodek.command()
@click.argument("file", type=click.Path(path_type=Path))
@DATA
def restore(file: Path, data: Path) -> None:
    """Put the backup FILE into a data folder that no server holds; what was there is kept beside it."""
    from plodek.server.store.backup import restore as put_back
    from plodek.server.store.holding import held

    with held(data, "a restore"):
        count, before = put_back(file, data)
    click.echo(
        f"{count} projects restored to {data}" + (f"; what was there is in {before}" if before else "")
    )


@plodek.group()
def user() -> None:
    """Say who may come in; once there is a user, everyone has to log in."""


@user.command("add")
@click.argument("name")
@click.option(
    "--password", prompt=True, hide_input=True, confirmation_prompt=True, help="Asked for where left out."
)
@DATA
def add_user(name: str, password: str, data: Path) -> None:
    """Add the user NAME, or give them another password, which ends their sessions."""
    with _users(data) as users:
        users.add(name, password)
    click.echo(f"{name} may come in")


@user.command("remove")
@click.argument("name")
@DATA
def remove_user(name: str, data: Path) -> None:
    """Take the user NAME out, which ends their sessions; their projects are given to others before."""
    with _users(data) as users:
        users.remove(name)
        left = len(users.names())
    click.echo(f"{name} is out" + ("" if left else "; that was the last one: nobody has to log in now"))


@user.command("give")
@click.argument("name")
@click.argument("other")
@DATA
def give_projects(name: str, other: str, data: Path) -> None:
    """Give all projects of NAME to OTHER."""
    from plodek.server.store import sharing

    with _users(data) as users:
        users.need_name(other)
        count = sharing.give_all(name, other)
    click.echo(f"projects of {name} that {other} owns now: {count}")


@user.command("list")
@DATA
def list_users(data: Path) -> None:
    """List the users."""
    with _users(data) as users:
        for name in users.names():
            click.echo(name)


@contextmanager
def _users(data: Path) -> Iterator[ModuleType]:
    """Give the users of a data folder, which a server may be working on."""
    from plodek.server.store import users
    from plodek.server.store.tables import DATABASE, open_database

    with open_database(data / DATABASE).connection_context():
        yield users


@plodek.command()
@DATA
@JSON
def doctor(data: Path, as_json: bool) -> None:
    """Look whether all is well: the folder, its database and cache, free space, memory, programs."""
    from plodek.server.doctor import examined

    found = examined(data)
    if as_json:
        click.echo(json.dumps([{"what": f.what, "fine": f.fine, "said": f.said} for f in found]))
    else:
        for one in found:
            click.echo(f"  {'ok ' if one.fine else 'no '} {one.what}: {one.said}")
    if not all(one.fine for one in found):
        sys.exit(GATE_FAILED)
