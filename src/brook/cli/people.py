"""Commands about people: who may sign in. They work beside a server too."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brook.cli.app import app, loaded, say

if TYPE_CHECKING:
    from brook.store.people import People

Data = Annotated[Path, typer.Option(help="Folder that keeps studies and results.")]
Name = Annotated[str, typer.Argument(help="As one signs in.")]
people = typer.Typer(help="Who may sign in. As long as there is nobody, nobody has to.", no_args_is_help=True)
app.add_typer(people, name="people")


@contextmanager
def _people(data: Path) -> Iterator[People]:
    """People of a data folder; what is refused is said, and the command exits with 1."""
    from brook.store import Store
    from brook.store.people import People, PersonRefused

    loaded()
    store = Store(data)
    try:
        yield People(store)
    except (PersonRefused, OSError) as error:
        say(str(error))
        raise typer.Exit(1) from None
    finally:
        store.close()


def _number(there: People, name: str) -> int:
    from brook.store.people import PersonRefused

    found = next((p.id for p in there.every() if p.name.lower() == name.strip().lower()), None)
    if found is None:
        raise PersonRefused(f"there is no {name}; 'brook people list' says who there is")
    return found


def _password() -> str:
    """Asked for twice, or the first line of what comes in where nobody sits."""
    if sys.stdin.isatty():
        return str(typer.prompt("Password", hide_input=True, confirmation_prompt=True))
    return sys.stdin.readline().rstrip("\n")


@people.command()
def add(name: Name, data: Data = Path("brook-data"), administers: Annotated[bool, typer.Option("--administers", help="Sees every study and keeps the list of people; the first one has to.")] = False) -> None:  # fmt: skip
    """Adds somebody; asks for a password, or takes the first line that comes in."""
    with _people(data) as there:
        there.add(name, _password(), administers)
        there.note("command line", f"added {name}{', who administers' if administers else ''}")
    say(f"{name} may sign in")


@people.command()
def password(name: Name, data: Data = Path("brook-data")) -> None:
    """Gives somebody another password, and signs them out everywhere."""
    with _people(data) as there:
        there.change_password(_number(there, name), _password())
        there.note("command line", f"gave {name} another password")


@people.command()
def remove(name: Name, data: Data = Path("brook-data")) -> None:
    """Takes somebody off the list; their studies stay."""
    with _people(data) as there:
        there.remove(_number(there, name))
        there.note("command line", f"took {name} off the list")


@people.command(name="list")
def every(data: Data = Path("brook-data")) -> None:
    """Says who may sign in."""
    with _people(data) as there:
        for person in there.every():
            print(f"{person.name}{', administers' if person.administers else ''}")
