"""What a worker does: bring a variant up to date, stage by stage, and report on the way.

Stages whose key already has a result are not done again. Arrays go to files under the keys;
what is said about them goes back as events and as the result.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from brook.core.checks import Prepared, prepare
from brook.core.compiling.turns import listening
from brook.core.geometry.surface import Surface
from brook.core.mesh import Mesh, measure
from brook.core.mesh.own import own_mesh
from brook.core.numerics import Stencil
from brook.core.results.files import write_vtu
from brook.core.results.picture import PlanePolygons, corner_values, polygons, usual_section
from brook.core.results.pictures import boundary
from brook.core.results.quantities import View, drawn_of
from brook.core.solve import Checkpoint, Fields, History, Outcome
from brook.core.solve.run import Wish
from brook.core.stages.assembly import run_mesh
from brook.core.stages.expected import cells_of
from brook.core.stages.judging import judged
from brook.core.stages.keys import Keys, boxes_key, stage_keys
from brook.core.stages.losses import losses_over
from brook.core.stages.meshing import checked, make_mesh, make_space_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import rules_of, solve
from brook.core.study import Study, read_study
from brook.core.study.space import has_own_mesh
from brook.core.units import counted
from brook.runs import shaping
from brook.runs.afar.inputs import Bring, bring_results, shape_places
from brook.runs.boxes_kept import kept_boxes
from brook.runs.followed import begun_followed, begun_last, sizes_followed
from brook.runs.halting import halting
from brook.runs.memory import Memory, Unwanted
from brook.runs.patience import Patience
from brook.runs.scene_readout import BOUNDARY, usual_cuts
from brook.runs.summary import run_summary
from brook.runs.watch import Emit, WorkerWatch, moments_in
from brook.store.files import ResultFiles
from brook.store.tables import new_job

COMPILING = "compiling code that this run needs, once on this machine"
AWAITING = "waits for code that is being compiled, once on this machine"
TURN = 0.5  # seconds between two looks whether another run is through


@dataclass(frozen=True)
class Request:
    """A run as a worker gets it; `until` is `mesh` or `readings`; `start_from` a run whose checkpoint it goes on from; `begin_with` the key of one with whose fields it begins;
    `enough` says what may be left open of each reading; `shapes` is where shape files are; `job` is what the queue calls it, which nobody can guess; `mark` is what
    stands in the folder, where a worker may not reach it."""

    run_id: int
    document: str
    variant: str
    folder: str
    until: str = "readings"
    start_from: int | None = None
    begin_with: str = ""
    enough: dict[str, float] = field(default_factory=dict)
    shapes: str = ""
    job: str = field(default_factory=new_job)
    mark: str = ""


class Asked(NamedTuple):
    """Who is told, who says whether to go on, and what is done where nothing can be written."""

    emit: Emit
    wish: Callable[[], Wish]
    patience: Patience


class Halted(Exception):
    """Somebody wished for an end while a mesh was made."""


def bring_up_to_date(
    request: Request, emit: Emit, wish: Callable[[], Wish] = lambda: "go on", bring: Bring = lambda places: None
) -> dict[str, Any]:
    """Does what is out of date of one variant; returns state and message.

    A run that was interrupted goes on from its own last checkpoint. One that needs code that is not compiled yet says so. `bring` is asked for inputs that may not be
    in the folder yet.

    Raises `ValueError` when the document cannot run.
    """
    with listening(KernelNews(emit)):
        return _bring(request, emit, wish, bring)


class KernelNews:
    """Tells when a run waits for compiled code, and when it compiles some itself; at most once a second."""

    def __init__(self, emit: Emit) -> None:
        self._emit, self._last = emit, float("-inf")

    def __call__(self, what: str, name: str) -> None:
        if what == "there" or time.monotonic() - self._last < 1.0:
            return
        self._last = time.monotonic()
        self._emit({"type": "compiling", "words": COMPILING if what == "compiling" else AWAITING})


def _bring(request: Request, emit: Emit, wish: Callable[[], Wish], bring: Bring) -> dict[str, Any]:
    study = read_study(request.document)
    prepared = prepare(study, study.variant(request.variant))
    if prepared.space is not None:
        bring(shape_places(prepared))
        prepared = _with_shape(request, study, prepared, emit)
    wanted = [p for p in prepared.problems if request.until != "mesh" or not p.path.startswith("/set_up")]
    keys = stage_keys(study, prepared)
    if wanted or keys is None:
        reasons = [p.message for p in wanted or prepared.problems]
        raise ValueError("; ".join(reasons))
    files = ResultFiles(Path(request.folder))
    bring_results(request, prepared, keys, files, bring)
    patience = Patience(lambda words: emit({"type": "trouble", "words": words}), wish)
    emit({"type": "stage", "stage": "mesh"})
    memory = Memory(files.root)

    def waiting(stage: str) -> Callable[[], None]:
        def wait() -> None:
            if wish() != "go on":
                raise Unwanted
            emit(
                {"type": "stage", "stage": stage, "words": f"another run does the same {stage} just now; waits for it"}
            )
            time.sleep(TURN)

        return wait

    try:
        cells = None if files.has("mesh", keys.mesh) else cells_of(prepared, _bodies(request, prepared, files))
        words = f"the mesh of about {counted(cells or 0)} cells"
        with files.turn("mesh", keys.mesh, waiting("mesh")), memory.taken(cells or 0, words, patience.tell, wish):
            mesh = _mesh(request, study, prepared, keys, files, emit, wish, patience)
    except (Halted, Unwanted):
        return {
            "state": "stopped",
            "message": "stopped while the mesh was made; nothing of it is kept",
            "iterations": 0,
        }
    if request.until == "mesh":
        return {"state": "meshed", "message": f"{mesh.cell_count} cells", "iterations": 0}
    if refused := _refused(prepared, keys, files):
        raise ValueError(refused)
    emit({"type": "stage", "stage": "run"})
    try:
        words = f"the run on {counted(mesh.cell_count)} cells"
        with files.turn("run", keys.run, waiting("run")), memory.taken(mesh.cell_count, words, patience.tell, wish):
            shown, keys = _for_flow(prepared, mesh, keys, files, patience)
            found = _run(request, study, prepared, keys, (mesh, shown), files, Asked(emit, wish, patience))
    except Unwanted:
        return {"state": "stopped", "message": "stopped while it waited; the mesh is kept", "iterations": 0}
    if isinstance(found, Outcome):
        return {"state": found.state, "message": found.message, "iterations": found.iterations}
    summary, fields = found
    history = History.read((files.folder("run", keys.run) / "history.json").read_text())
    emit({"type": "stage", "stage": "readings"})
    for reading in read_all(study, prepared, fields, history):
        emit({"type": "result", "stage": f"reading:{reading.name}", "key": keys.readings[reading.name],
              "summary": reading.as_dict()})  # fmt: skip
    return {name: summary[name] for name in ("state", "message", "iterations")}


def _refused(prepared: Prepared, keys: Keys, files: ResultFiles) -> str:
    """Why a run does not begin on its mesh, empty where it does."""
    told = json.loads((files.folder("mesh", keys.mesh) / "summary.json").read_text())
    over = losses_over(told, prepared.plan.losses)
    return (
        f"not begun: {over[0][:1].lower()}{over[0][1:]}; choose smaller cells, or let the mesh plan allow it"
        if over
        else ""
    )


def _order(request: Request, prepared: Prepared) -> shaping.Order:
    space = prepared.space
    assert space is not None
    return shaping.Order(request.folder, request.shapes, request.document, request.variant, space.key, space.bodies_key)


def _with_shape(request: Request, study: Study, prepared: Prepared, emit: Emit) -> Prepared:
    """A variant with its shape in space made, so that its patches are known here too."""
    emit({"type": "stage", "stage": "shape"})
    order = _order(request, prepared)
    shaping.remember(order, shaping.make(order))
    return prepare(study, study.variant(request.variant))


def _made(
    request: Request, study: Study, prepared: Prepared, files: ResultFiles, emit: Emit, wish: Callable[[], Wish]
) -> Mesh:
    def tell(words: str) -> None:
        if wish() != "go on":
            raise Halted
        emit({"type": "stage", "stage": "mesh", "words": words})

    if prepared.space is None:
        return make_mesh(prepared, tell, sizes_followed(prepared, files, tell))

    if has_own_mesh(prepared.geometry):
        tell("making cells in rows, or reading them")
        body = prepared.variant.geometry.body
        data = shaping.bytes_of(request.shapes)
        return checked(own_mesh(prepared.geometry, body, data, study.set_up.materials), prepared)
    surface = shaping.saved(files, _order(request, prepared).key)
    return make_space_mesh(
        prepared,
        surface,
        tell,
        sizes_followed(prepared, files, tell),
        partial(kept_boxes, files, boxes_key(prepared), tell),
    )


def _surface(request: Request, prepared: Prepared, files: ResultFiles) -> Surface | None:
    """What a shape in space is meshed from, None where its cells come with it and for a plane one."""
    if prepared.space is None or has_own_mesh(prepared.geometry):
        return None
    return shaping.saved(files, _order(request, prepared).key)


def _bodies(request: Request, prepared: Prepared, files: ResultFiles) -> list[dict[str, Any]]:
    """What is said of the bodies of a shape in space."""
    if prepared.space is None or has_own_mesh(prepared.geometry):
        return []
    folder = files.folder("bodies", _order(request, prepared).bodies_key)
    return list(json.loads((folder / "summary.json").read_text())["bodies"])


def _mesh(
    request: Request,
    study: Study,
    prepared: Prepared,
    keys: Keys,
    files: ResultFiles,
    emit: Emit,
    wish: Callable[[], Wish],
    patience: Patience,
) -> Mesh:
    if not files.has("mesh", keys.mesh):
        with halting(wish, Halted):
            mesh = _made(request, study, prepared, files, emit, wish)
        shapes, stands = polygons(mesh), _surface(request, prepared, files)
        summary = {**judged(prepared, mesh, stands), **drawn_as(mesh)}
        quality = measure(mesh)

        def fill(folder: Path) -> None:
            _write_mesh(folder, mesh, shapes)
            _write(folder / "aspect_ratio.f32", np.repeat(quality.aspect_ratio[shapes.cell], np.diff(shapes.offsets)))
            size = np.sqrt(mesh.volume / _depth(mesh)) if mesh.is_plane else np.cbrt(mesh.volume)
            _write(folder / "size.f32", np.repeat(size[shapes.cell], np.diff(shapes.offsets)))
            (folder / "summary.json").write_text(json.dumps(summary))

        patience.keep(files, "mesh", keys.mesh, fill)
    folder = files.folder("mesh", keys.mesh)
    summary = json.loads((folder / "summary.json").read_text())
    emit({"type": "result", "stage": "mesh", "key": keys.mesh, "summary": summary})
    return Mesh.load(folder / "mesh.npz")


def _for_flow(prepared: Prepared, mesh: Mesh, keys: Keys, files: ResultFiles, patience: Patience) -> tuple[Mesh, Keys]:
    """The mesh that fields of a run stand on, kept under a key of its own where it is not the one that was made."""
    part = run_mesh(prepared, mesh)
    if part is mesh:
        return mesh, keys
    key = hashlib.sha256(f"{keys.mesh} {part.bodies} {prepared.heat is not None}".encode()).hexdigest()[:20]
    if not files.has("mesh", key):
        shapes = polygons(part)
        patience.keep(files, "mesh", key, lambda folder: _write_mesh(folder, part, shapes))
    return part, replace(keys, mesh=key)


def _write_mesh(folder: Path, mesh: Mesh, shapes: PlanePolygons) -> None:
    mesh.save(folder / "mesh.npz")
    _write(folder / "corners.f32", shapes.corners.ravel())
    shapes.offsets.astype("<u4").tofile(folder / "offsets.u32")
    if not mesh.is_plane:
        (folder / BOUNDARY).write_bytes(boundary(mesh).packed())


def drawn_as(mesh: Mesh) -> dict[str, Any]:
    """Which coordinates a picture of a mesh shows, and where it is cut."""
    if mesh.is_plane:
        return {"axes": "xy"}
    axis, at = usual_section(mesh)
    return {"axes": "xyz".replace("xyz"[axis], ""), "section": {"across": "xyz"[axis], "at": at}}


def _depth(mesh: Mesh) -> float:
    return float(np.ptp(mesh.points[:, 2]))


def _write(path: Path, values: np.ndarray) -> None:
    np.ascontiguousarray(values, "<f4").tofile(path)


def _run(
    request: Request, study: Study, prepared: Prepared, keys: Keys, meshes: tuple[Mesh, Mesh], files: ResultFiles, asked: Asked
) -> tuple[dict[str, Any], Fields] | Outcome:  # fmt: skip
    """Summary and fields of the run, or its outcome when it was paused; `meshes` are the whole and that of the fields."""
    (whole, mesh), (emit, wish, patience) = meshes, asked
    folder = files.folder("run", keys.run)
    if files.has("run", keys.run) and request.start_from is None:
        summary = json.loads((folder / "summary.json").read_text())
        # a run that was stopped by hand, or ended early where no end is near enough now, is not what was asked for: do it again
        if summary["state"] != "stopped" and not (summary["state"] == "enough" and not request.enough):
            emit({"type": "result", "stage": "run", "key": keys.run, "summary": summary})
            return summary, Fields.load(folder / "fields.npz", Stencil(mesh))

    mine = files.of_run(request.run_id)
    start, heard = start_of(request, keys, files), [""]
    if start is None:

        def said(words: str) -> None:
            heard.append(words)
            emit({"type": "stage", "stage": "run", "words": words})

        start = begun_followed(study, prepared, whole, files, said)
        if start is None and request.begin_with:
            start = begun_last(study, prepared, whole, files, request.begin_with, said)
    shapes = polygons(mesh)
    began_at = start.began_at if start else 0
    watch = WorkerWatch(emit, wish, mine, rules_of(prepared), shapes, (keys.mesh, keys.run), began_at, patience)
    watch.plates = tuple(p for p in study.plates if p.layers) if not mesh.is_plane else ()
    outcome = solve(study, prepared, whole, watch, start, request.enough)
    if outcome.state == "paused":
        watch.save(outcome.checkpoint)
        return outcome
    mine.clear_live()
    summary = {
        **run_summary(study, outcome),
        **drawn_as(mesh),
        "mesh_key": keys.mesh,
        "moments": moments_in(mine.moments),
    }
    if start is None:  # why it begins from nothing where it should not
        summary["began"] = heard[-1] or summary["began"]

    def fill(folder: Path) -> None:
        write_run(folder, outcome, summary)
        for path in mine.moments.glob("at-*"):
            shutil.copyfile(path, folder / path.name)

    patience.keep(files, "run", keys.run, fill, anew=True)
    if outcome.state in ("stopped", "not converged"):
        watch.save(outcome.checkpoint)
    else:
        mine.clear()
    emit({"type": "result", "stage": "run", "key": keys.run, "summary": summary})
    return summary, outcome.fields


def start_of(request: Request, keys: Keys, files: ResultFiles) -> Checkpoint | None:
    """Where a run goes on: after an interruption at its own checkpoint, else at the one it was asked to start from."""
    own = Checkpoint.load(files.of_run(request.run_id).checkpoint)
    if own is not None and own.mesh == keys.mesh:
        return own.going_on("went on after an interruption", anew=False)
    if request.start_from is None:
        return None
    other = Checkpoint.load(files.of_run(request.start_from).checkpoint)
    if other is None or other.mesh != keys.mesh:
        return None
    mark = "went on" if other.run == keys.run else "went on with other settings"
    return other.going_on(mark, anew=True)


def write_run(folder: Path, outcome: Outcome, summary: dict[str, Any]) -> None:
    fields = outcome.fields
    fields.save(folder / "fields.npz")
    shapes, view = polygons(fields.mesh), View(fields)
    for quantity in drawn_of(fields):
        _write(folder / f"{quantity}.f32", corner_values(view, quantity, shapes))
    for name, content in usual_cuts(view).items() if not fields.mesh.is_plane else ():
        (folder / name).write_bytes(content)
    (folder / "history.json").write_text(json.dumps(outcome.history.since(0)))
    write_vtu(folder / "fields.vtu", fields)
    (folder / "histories.csv").write_text(outcome.history.csv())
    (folder / "summary.json").write_text(json.dumps(summary))
