"""What a run leaves to the next one: the sizes of boxes that follow it, and the fields that it begins with."""

from __future__ import annotations

import json
from collections.abc import Callable

from brook.core.checks import Prepared
from brook.core.mesh import Mesh
from brook.core.mesh.boxes import Following
from brook.core.numerics import Stencil
from brook.core.solve import Checkpoint, Fields
from brook.core.stages.beginning import begun_with
from brook.core.stages.following import SIZES, follow_key, follow_of, sizes_of_run
from brook.core.study import Study
from brook.store.files import ResultFiles

LAST = "began with the fields of the last run"
GONE = "the run that the boxes follow is not here any more: this one begins without its fields"


def sizes_followed(prepared: Prepared, files: ResultFiles, tell: Callable[[str], None]) -> Following | None:
    """The sizes that the run asks for which boxes follow, kept by their key. Raises `ValueError` where that run is gone."""
    follow = follow_of(prepared)
    if follow is None:
        return None
    key = follow_key(prepared)
    if not files.has("sizes", key):
        tell("looking where the run bends")
        fields = _fields(follow.run, files)
        if fields is None:
            raise ValueError("the run that boxes are to follow is not here any more; run anew, and follow that")
        made = sizes_of_run(prepared, fields)
        with files.making("sizes", key) as temporary:
            made.save(temporary / SIZES)
    return Following.load(files.folder("sizes", key) / SIZES)


def begun_followed(
    study: Study, prepared: Prepared, mesh: Mesh, files: ResultFiles, tell: Callable[[str], None]
) -> Checkpoint | None:
    """Where a steady run begins whose boxes follow another one; None for any other, and where that one is gone, which is told."""
    follow = follow_of(prepared)
    if follow is None or prepared.timing.kind != "steady":
        return None
    fields = _fields(follow.run, files)
    if fields is None:
        tell(GONE)
        return None
    tell("carrying over the fields of the run that the boxes follow")
    return begun_with(study, prepared, mesh, fields)


def begun_last(
    study: Study, prepared: Prepared, mesh: Mesh, files: ResultFiles, key: str, tell: Callable[[str], None]
) -> Checkpoint | None:
    """Where a steady run begins with the fields of the last one of its variant, by the key of that; None where it cannot, which is told."""
    if prepared.timing.kind != "steady":
        return None
    fields = _fields(key, files)
    if fields is None:
        return None
    tell("carrying over the fields of the last run")
    try:
        begun = begun_with(study, prepared, mesh, fields, LAST)
    except ValueError as error:
        tell(f"began from nothing, without the fields of the last run: {error}")
        return None
    if begun is None:
        tell("began from nothing: the last run had other bodies, or another space")
    return begun


def _fields(key: str, files: ResultFiles) -> Fields | None:
    """The fields of a run, None where it is gone."""
    if not files.has("run", key):
        return None
    folder = files.folder("run", key)
    mesh_key = json.loads((folder / "summary.json").read_text())["mesh_key"]
    if not files.has("mesh", mesh_key):
        return None
    mesh = Mesh.load(files.folder("mesh", mesh_key) / "mesh.npz")
    return Fields.load(folder / "fields.npz", Stencil(mesh))
