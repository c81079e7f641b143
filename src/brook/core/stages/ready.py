"""Shapes in space made without a server: files are looked for beside the document."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from brook.core import memory
from brook.core.checks import Prepared, prepare
from brook.core.geometry import shape_cache, survey
from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.files import FileError, read_file
from brook.core.geometry.shaping import NOTHING, stages
from brook.core.geometry.surface import Surface
from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES, Mesh
from brook.core.mesh.boxes import Following
from brook.core.mesh.own import bodies_of_part, mesh_of_part, own_mesh, skin_of
from brook.core.mesh.wrap import as_asked
from brook.core.stages.expected import cells_of
from brook.core.stages.following import file_of, follow_of
from brook.core.stages.meshing import checked, make_mesh, make_space_mesh
from brook.core.study import Resolved, Study
from brook.core.study.space import brings_mesh, has_own_mesh
from brook.core.units import counted

TOLD = ("/touching", "/wrap")  # stages of a shape that say what became of it


def ready(
    study: Study, name: str, beside: Path | None = None, say: Callable[[str], None] = lambda _: None
) -> tuple[Prepared, Surface | None]:
    """A variant with all that is known of it once its shape is made, and the surface of a shape in space."""
    prepared = prepare(study, study.variant(name))
    if prepared.space is None:
        return prepared, None
    state = NOTHING
    for stage in stages(prepared.geometry, _reader(beside), as_asked):
        say(stage.words)
        known = len(state.notes)
        state = stage.do(state)
        for note in state.notes[known:]:
            if note.pointer in TOLD and note.words:
                say(note.words)
            if note.pointer.startswith("/sheets/") and note.words:
                say(f"{prepared.geometry.sheets[int(note.pointer.split('/')[-1])]}: {note.words}")
    problems = [(n.pointer, n.problem) for n in state.notes if n.problem]
    bodies, _ = bodies_of(state.surface, prepared.geometry.bodies, prepared.geometry.sheets)
    problems += [(f"/bodies/{k}", b.problem) for k, b in enumerate(bodies) if b.problem]
    used = tuple(
        n for k, n in enumerate(state.surface.patches)
        if (state.surface.patch == k).any() and n not in (PLANE_SIDES, WEDGE_SIDES)
    )  # fmt: skip
    brought: tuple[str, ...] = ()
    if has_own_mesh(prepared.geometry) and not problems:
        body = study.variant(name).geometry.body
        brought = tuple(n for n, _ in bodies_of_part(prepared.geometry, body, partial(_bytes, beside)))
    shape_cache.note(prepared.space.bodies_key, used, tuple(problems), brought)
    return prepare(study, study.variant(name)), state.surface


def meshed(
    study: Study, prepared: Prepared, surface: Surface | None, say: Callable[[str], None], beside: Path | None = None
) -> Mesh:
    """The mesh of a variant that is ready. Raises `TooLarge` when there is not memory enough for it, or for a run on it."""
    bodies = bodies_of(surface, prepared.geometry.bodies, prepared.geometry.sheets)[0] if surface is not None else []
    cells = cells_of(prepared, [survey.told_body(b) for b in bodies])
    if cells is not None:
        memory.refuse_too_large(cells, f"the mesh of about {counted(cells)} cells", memory.machine_free())
    mesh = _meshed(study, prepared, surface, say, beside)
    memory.refuse_too_large(mesh.cell_count, f"the run on {counted(mesh.cell_count)} cells", memory.machine_free())
    return mesh


def _meshed(
    study: Study, prepared: Prepared, surface: Surface | None, say: Callable[[str], None], beside: Path | None
) -> Mesh:
    if surface is None:
        return make_mesh(prepared, say, _following(prepared, beside))
    if has_own_mesh(prepared.geometry):
        body, data = prepared.variant.geometry.body, partial(_bytes, beside)
        return checked(own_mesh(prepared.geometry, body, data, study.set_up.materials), prepared)
    return make_space_mesh(prepared, surface, say, _following(prepared, beside))


def _following(prepared: Prepared, beside: Path | None) -> Following | None:
    """The sizes that a run asks for which boxes follow, from a file beside the study. Raises `ValueError` where there is none."""
    if follow_of(prepared) is None:
        return None
    name = file_of(prepared)
    try:
        return Following.load((beside or Path()) / name)
    except (OSError, ValueError, KeyError):
        raise ValueError(
            f"{name}, the sizes that a run asks for, is not beside the study or is none; write it with brook follow, or take the statement out"
        ) from None


def _reader(beside: Path | None) -> Callable[[Resolved], Surface]:
    def read(part: Resolved) -> Surface:
        if brings_mesh(part):
            return skin_of(mesh_of_part(part, partial(_bytes, beside)))
        return read_file(part.file, _bytes(beside, part), part.deflection)

    return read


def _bytes(beside: Path | None, part: Resolved) -> bytes:
    try:
        return ((beside or Path()) / part.file).read_bytes()
    except OSError as error:
        raise FileError(f"{part.file} cannot be read: {error.strerror}; put it beside the study document") from None
