"""A run made for the boxes of a mesh to follow it, as the command line asks for one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.stages.following import file_of, follow_of, sizes_of_run
from brook.core.stages.keys import stage_keys
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study


def followed(
    study: Study, name: str, wish: dict[str, str], beside: Path, say: Callable[[str], None]
) -> tuple[Study, str, Callable[[Path], None]]:
    """The study whose boxes of a variant follow a run that is made for it, as a wish says: the quantity that
    bends, about how many `cells`, `where` of its zones, and the reading it `reaches`; the name of the file of sizes that goes with it, and what writes it. Raises `ValueError`."""
    prepared, surface = ready(study, name, beside, say)
    keys = stage_keys(study, prepared)
    if prepared.problems or keys is None:
        raise ValueError("; ".join(f"{p.path}: {p.message}" for p in prepared.problems) or "this cannot run yet")
    made = act(study, "follow_run", variant=name, run=keys.run, **wish)
    there = prepare(made, made.variant(name))
    wrong = [p for p in there.problems if p.path.startswith("/mesh_plan/follows")]
    if wrong or follow_of(there) is None:
        raise ValueError(wrong[0].message if wrong else "the run cannot be followed")
    mesh = meshed(study, prepared, surface, say, beside)
    say(f"{mesh.cell_count} cells; running")
    outcome = solve(study, prepared, mesh)
    say(f"{outcome.state} after {outcome.iterations} iterations")
    return made, file_of(there), sizes_of_run(there, outcome.fields).save
