"""The command line: what all its commands share."""

from __future__ import annotations

import gc
import sys
from pathlib import Path
from typing import Any

import typer

USUAL = gc.get_threshold()
gc.set_threshold(
    50_000, 20, 20
)  # loading makes many objects and no rubbish: a third of its time went into looking for some
app = typer.Typer(help="Brook: from brief to comparison.", no_args_is_help=True, add_completion=False)


def say(text: str) -> None:
    """To whoever sits before it, not into what a command prints."""
    print(text, file=sys.stderr, flush=True)


def loaded() -> None:
    """Said by each command once it has loaded what it takes: from now on arrays nobody needs are to go at once."""
    gc.set_threshold(*USUAL)


class _KernelNews:
    """Says once that something is compiled, so that nobody wonders why a first call takes longer."""

    def __init__(self) -> None:
        self._said = False

    def __call__(self, what: str, name: str) -> None:
        if what != "there" and not self._said:
            self._said = True
            say("compiling code for this, once on this machine; `brook warm` compiles all of it")


@app.callback()
def _before(context: typer.Context) -> None:
    if context.invoked_subcommand not in ("serve", "demo", "warm"):  # those say how far compiling is in their own way
        from brook.core.compiling.turns import listen

        listen(_KernelNews())


def load_study(path: Path) -> Any:
    """The study of a file; says what is wrong with it and exits with 1 otherwise."""
    from brook.core.study import DocumentError, read_study

    try:
        return read_study(path.read_bytes())
    except OSError as error:
        say(f"{path} cannot be read: {error.strerror}")
    except DocumentError as error:
        for problem in error.problems:
            say(f"{path}{problem.path}: {problem.message}" if problem.path else f"{path}: {problem.message}")
    raise typer.Exit(1)


def make_shapes(study: Any, names: list[str], beside: Path) -> dict[str, Any]:
    """Makes the shapes in space of some variants, so that checks know their patches; gives those that could be made."""
    from brook.core.stages.ready import ready

    made = {name: ready(study, name, beside)[1] for name in names}
    return {name: surface for name, surface in made.items() if surface is not None}


def variant_of(study: Any, wanted: str | None) -> str:
    """The name of the variant that is wanted, of the first when none is said."""
    from brook.core.formulas import nearest
    from brook.core.study import is_about

    names = [v.name for v in study.cases]
    name = wanted or (names[0] if names else "")
    name = next((v.name for v in study.cases if is_about(name, v)), name)  # of a variant its first case
    if name not in names:
        say(f"'{name}' is not a variant of this study: {nearest(name, names)}")
        raise typer.Exit(1)
    return name
