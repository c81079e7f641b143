"""Making shapes in space for the pages: surface, findings, arrays for the canvas, bodies. Runs in a process of its own.

Surfaces of the last stages stay in memory, so that one more step does not begin with the file again.
"""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from brook.core.compiling.turns import listening
from brook.core.geometry import shape_cache, survey
from brook.core.geometry.bodies import bodies_of, suggested_point
from brook.core.geometry.files import file_colours, format_of, read_file
from brook.core.geometry.nearest import Nearest
from brook.core.geometry.proposing import propose
from brook.core.geometry.shape_cache import SpaceShape, space_shape
from brook.core.geometry.shaping import NOTHING, State, stages
from brook.core.geometry.small_picture import small_picture
from brook.core.geometry.surface import Surface
from brook.core.geometry.unit_check import likely_unit, sizes
from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES
from brook.core.mesh.files import is_mesh_file, read_mesh
from brook.core.mesh.own import bodies_of_part, mesh_of_part, skin_of
from brook.core.mesh.wrap import as_asked
from brook.core.study import Problem, Resolved, named_scope, read_study, resolve
from brook.core.study.space import brings_mesh, has_own_mesh
from brook.store.files import ResultFiles

COMPILING = "compiling code for this, once on this machine"
MOST_TRIANGLES = 4_000_000  # of surfaces in memory


class FileGone(LookupError):
    """A file that a document names is not in the store. Nothing is kept of such a shape: the file may come yet."""


@dataclass(frozen=True)
class Order:
    """A shape that is wanted: the variant of a document, and where results and shape files are."""

    root: str
    shapes: str
    document: str
    variant: str
    key: str
    bodies_key: str


_kept: OrderedDict[str, State] = OrderedDict()


def _keep(key: str, state: State) -> None:
    _kept[key] = state
    _kept.move_to_end(key)
    while len(_kept) > 2 and sum(s.surface.count for s in _kept.values()) > MOST_TRIANGLES:
        _kept.popitem(last=False)


def geometry_of(order: Order) -> tuple[Resolved, SpaceShape]:
    """The resolved geometry of an order. Raises `ValueError` when it cannot be made."""
    study = read_study(order.document)
    variant = study.variant(order.variant)
    problems: list[Problem] = []
    geometry = resolve(variant.geometry, named_scope(study, variant), "", problems)
    shape = space_shape(geometry, variant.geometry.body) if not problems else None
    if shape is None:
        raise ValueError(problems[0].message if problems else "there is no shape yet")
    return geometry, shape


def _reader(order: Order) -> Callable[[Resolved], Surface]:
    data = bytes_of(order.shapes)

    def read(part: Resolved) -> Surface:
        if brings_mesh(part):
            return skin_of(mesh_of_part(part, data))
        return read_file(part.file, data(part), part.deflection)

    return read


def bytes_of(shapes: str) -> Callable[[Resolved], bytes]:
    """What the file of a part holds, from the store. Raises `FileGone`."""

    def data(part: Resolved) -> bytes:
        path = Path(shapes) / part.content
        if not part.content or not path.is_file():
            raise FileGone(f"the file {part.file} is not here; replace it by bringing it in again")
        return path.read_bytes()

    return data


def surface_of(order: Order, tell: Callable[[str], None]) -> State:
    """The surface of an order after all its stages."""
    geometry, _ = geometry_of(order)
    todo = stages(geometry, _reader(order), lambda surface, wrap: as_asked(surface, wrap, tell))
    begin = next((k + 1 for k in range(len(todo) - 1, -1, -1) if todo[k].key in _kept), 0)
    state = _kept[todo[begin - 1].key] if begin else NOTHING
    for k in range(begin, len(todo)):
        tell(f"{todo[k].words}, {k + 1} of {len(todo)}")
        state = todo[k].do(state)
        _keep(todo[k].key, state)
    return state


def make(order: Order) -> dict[str, Any]:
    """Makes what is missing of a shape; gives the summary with everything pages say of it."""
    files = ResultFiles(Path(order.root))
    progress = files.folder("shape", f".progress-{order.bodies_key}")
    progress.parent.mkdir(parents=True, exist_ok=True)

    def tell(words: str) -> None:
        progress.write_text(words)

    def news(what: str, name: str) -> None:
        if what != "there":
            tell(COMPILING)

    with listening(news):
        return _make(order, files, tell)


def _make(order: Order, files: ResultFiles, tell: Callable[[str], None]) -> dict[str, Any]:
    progress = files.folder("shape", f".progress-{order.bodies_key}")
    try:
        if not files.has("shape", order.key):
            _make_surface(order, files, tell)
        said = json.loads((files.folder("shape", order.key) / "summary.json").read_text())
        if not files.has("bodies", order.bodies_key):
            tell("taking out the bodies")
            _make_bodies(order, files)
        return {**said, **json.loads((files.folder("bodies", order.bodies_key) / "summary.json").read_text())}
    finally:
        progress.unlink(missing_ok=True)


def remember(order: Order, said: dict[str, Any]) -> None:
    """Leaves what checks need of a shape where they find it."""
    problems = [(n["pointer"], n["problem"]) for n in said["notes"] if n["problem"]]
    problems += [(f"/bodies/{k}", b["problem"]) for k, b in enumerate(said["bodies"]) if b["problem"]]
    names = tuple(p["name"] for p in said["patches"] if p["triangles"] and p["name"] not in (PLANE_SIDES, WEDGE_SIDES))
    brought = tuple(name for name, _ in said.get("brought", ()))
    shape_cache.note(order.bodies_key, names, tuple(problems), brought)


def _make_surface(order: Order, files: ResultFiles, tell: Callable[[str], None]) -> None:
    state = surface_of(order, tell)
    tell("measuring")
    shape = state.surface if state.within is None else state.within  # a tunnel has no defects of its own
    sheets = geometry_of(order)[0].sheets
    findings = survey.found(shape, tell, sheets)
    if not np.array_equal(np.sort(shape.triangles), np.sort(state.surface.triangles[: shape.count])):
        for place in (p for f in findings for p in f["places"]):
            place["triangles"] = []  # they have other numbers in what is drawn
    said = {
        **survey.measured(state.surface), "findings": findings,
        "openings": survey.openings(state.surface, sheets), "notes": [asdict(n) for n in state.notes],
    }  # fmt: skip
    tell("drawing")
    with files.making("shape", order.key) as folder:
        for name, array in survey.drawn(state.surface).items():
            np.ascontiguousarray(array).tofile(folder / f"{name}.{'f32' if array.dtype.kind == 'f' else 'u32'}")
        s = state.surface
        np.savez(folder / "surface.npz", points=s.points, triangles=s.triangles, patch=s.patch, patches=s.patches)
        if s.count:
            Image.fromarray(small_picture(s)).save(folder / "small.png")
        (folder / "summary.json").write_text(json.dumps(said))


def _make_bodies(order: Order, files: ResultFiles) -> None:
    geometry, shape = geometry_of(order)
    surface = saved(files, order.key)
    own = has_own_mesh(geometry)
    bodies, unclaimed = bodies_of(surface, geometry.bodies, geometry.sheets) if not own else ([], [])
    point = (
        None
        if own
        else suggested_point(surface, geometry.sheets)
        if not bodies
        else unclaimed[0].place
        if unclaimed
        else None
    )
    said = {
        "bodies": [survey.told_body(b) for b in bodies], "unclaimed": [u.volume for u in unclaimed],
        "suggested_point": None if point is None else [float(v) for v in point],
    }  # fmt: skip
    if own and surface.count:
        said["brought"] = bodies_of_part(geometry, shape.body, bytes_of(order.shapes))
    with files.making("bodies", order.bodies_key) as folder:
        (folder / "summary.json").write_text(json.dumps(said))


def saved(files: ResultFiles, key: str) -> Surface:
    """The surface that was made under a key."""
    with np.load(files.folder("shape", key) / "surface.npz") as kept:
        return Surface(kept["points"], kept["triangles"], kept["patch"], tuple(str(n) for n in kept["patches"]))


def fresh_triangles(order: Order, before: str) -> bytes:
    """Which triangles (T,) of an order's surface, in the order they are drawn, are not in that of another key."""
    files = ResultFiles(Path(order.root))
    new, old = saved(files, order.key), saved(files, before)
    mask = ~np.isin(_prints(new), _prints(old))
    return mask[np.argsort(new.patch, kind="stable")].astype(np.uint8).tobytes()


def distances(order: Order, other: Order) -> bytes:
    """How far each point (P,) of an order's surface lies from that of another order, m, float32; the other is made where it is not kept."""
    files = ResultFiles(Path(order.root))
    if not files.has("shape", other.key):
        _make_surface(other, files, lambda _: None)
    here, there = saved(files, order.key), saved(files, other.key)
    if not there.count:
        raise ValueError("there is nothing to measure from")
    tree = Nearest.of(there.points[there.triangles], np.zeros(there.count, np.int64))
    found, _ = tree.find(here.points)
    return np.linalg.norm(found - here.points, axis=1).astype("<f4").tobytes()


def _prints(surface: Surface) -> np.ndarray:
    """A number for each triangle that only depends on where its corners are, and which way it goes round."""
    corners = np.round(surface.points[surface.triangles], 9)
    weights = np.random.default_rng(3).random((3, 3))
    turned = np.einsum("tij,j->ti", corners, weights[0])
    first = np.argmin(turned, axis=1)[:, None]
    rolled = np.take_along_axis(turned, (first + np.arange(3)) % 3, axis=1)
    return np.round(rolled @ np.array([1.0, np.pi, 2.718281828]), 9)


def proposal(order: Order, largest: float) -> list[dict[str, Any]]:
    """Steps that would mend the surface before its closings, each with its kind and values in SI units."""
    geometry, _ = geometry_of(order)
    closings, geometry.closings, geometry.wrap, geometry.tunnel = geometry.closings, [], None, None
    todo = stages(geometry, _reader(order))
    state = _kept.get(todo[-1].key) if todo else NOTHING
    if state is None:
        state = NOTHING
        for stage in todo:
            state = stage.do(state)
    spots = [spot for c in closings for spot in (c.at, c.inner) if spot is not None]
    return [{"kind": s.kind, "values": s.values, "effect": s.effect} for s in propose(state.surface, largest, spots)]


def looked_at(name: str, path: str, deflection: float = 1e-4) -> dict[str, Any]:
    """What a page asks of a file that comes in. Raises `FileError`."""
    data = Path(path).read_bytes()
    if is_mesh_file(name):
        surface, known, colours = skin_of(read_mesh(name, data)), "", {}
    else:
        surface, known, colours = read_file(name, data, deflection), format_of(name).unit, file_colours(name, data)
    return {
        "patches": list(surface.patches), "triangles": surface.count, "unit": known,
        "sizes": {u: s.tolist() for u, s in sizes(surface).items()}, "likely": known or likely_unit(surface),
        "colours": colours,
    }  # fmt: skip
