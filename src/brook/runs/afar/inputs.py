"""What a run reads of its data folder, so that it can be brought to where that does not reach."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from brook.core.checks import Prepared
from brook.core.stages.following import follow_of
from brook.core.stages.keys import Keys
from brook.runs.afar.pieces import Place
from brook.store.files import ResultFiles

if TYPE_CHECKING:
    from brook.runs.task import Request

Bring = Callable[[Sequence[Place]], None]


def shape_places(prepared: Prepared) -> list[Place]:
    """The shape of a variant in space, as it was made, and the files that it is made of."""
    space = prepared.space
    if space is None:
        return []
    parts = getattr(prepared.geometry, "parts", ())
    files = sorted({str(content) for part in parts if (content := getattr(part, "content", ""))})
    return [Place("shape", space.key), Place("bodies", space.bodies_key), *(Place("file", name) for name in files)]


def bring_results(request: Request, prepared: Prepared, keys: Keys, files: ResultFiles, bring: Bring) -> None:
    """Meshes and fields that a run finds made or begins with, and where it goes on."""
    follow = follow_of(prepared)
    runs = [] if request.until == "mesh" else [keys.run, request.begin_with]
    runs = [key for key in dict.fromkeys([*runs, follow.run if follow else ""]) if key]
    numbers = [str(n) for n in (request.run_id, request.start_from) if n is not None and request.until != "mesh"]
    bring(
        [
            Place("mesh", keys.mesh), *(Place("run", key) for key in runs),
            *(Place("checkpoint", n) for n in numbers), *(Place("moments", n) for n in numbers[:1]),
        ]
    )  # fmt: skip
    meshes = {mesh for key in runs if (mesh := _mesh_of(files, key)) and not files.has("mesh", mesh)}
    bring([Place("mesh", key) for key in sorted(meshes)])


def _mesh_of(files: ResultFiles, run: str) -> str:
    try:
        return str(json.loads((files.folder("run", run) / "summary.json").read_text())["mesh_key"])
    except FileNotFoundError:
        return ""
