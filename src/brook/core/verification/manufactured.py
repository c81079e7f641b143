"""A smooth invented flow on five kinds of meshes: the force that drives it is put in, and the flow has to come out.

u = (sin πz + cos πy, sin πx + cos πz, sin πy + cos πx), which has no divergence, and p = sin πx sin πy sin πz; the
force is ρ u·∇u + ∇p - μ ∇²u. Roache (2002): the error must fall with the square of the size of the cells.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.geometry.solids import solid
from brook.core.materials import ConstantFluid
from brook.core.mesh import Mesh, boxes
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.ordered.drawn import mesh_of
from brook.core.numerics import Stencil
from brook.core.solve import FlowModel, FlowSolver, GivenForce, Rules, Settings, run_steady
from brook.core.solve.setup import FIXED, BoundaryConditions
from brook.core.study import Resolved
from brook.core.verification.case import Comparison, Found

SOURCE = "second order"
FLUID = ConstantFluid("invented", 1.0, 0.1)


def exact(at: np.ndarray) -> np.ndarray:
    """The velocity (n, 3) at places (n, 3)."""
    s, c = np.sin(np.pi * at), np.cos(np.pi * at)
    return np.stack([s[:, 2] + c[:, 1], s[:, 0] + c[:, 2], s[:, 1] + c[:, 0]], axis=1)


def pressure(at: np.ndarray) -> np.ndarray:
    """The invented pressure (n,) at places (n, 2)."""
    return np.sin(np.pi * at).prod(axis=1)


def force(at: np.ndarray) -> np.ndarray:
    """The force on a volume (n, 3) in N/m³ that holds the flow as it is."""
    s, c = np.sin(np.pi * at), np.cos(np.pi * at)
    u = exact(at)
    nothing = np.zeros(len(at))
    slope = np.pi * np.stack([
        np.stack([nothing, -s[:, 1], c[:, 2]], axis=1), np.stack([c[:, 0], nothing, -s[:, 2]], axis=1),
        np.stack([-s[:, 0], c[:, 1], nothing], axis=1),
    ], axis=1)  # fmt: skip
    push = np.pi * np.stack([c[:, i] * s[:, (i + 1) % 3] * s[:, (i + 2) % 3] for i in range(3)], axis=1)
    carried = np.einsum("nij,nj->ni", slope, u)
    return FLUID.density * carried + push + FLUID.viscosity * np.pi**2 * u


def block(count: int, skewed: bool = False) -> Mesh:
    """A cube of count³ cells; skewed ones are bent along smooth waves."""
    axis = np.linspace(0.0, 1.0, count + 1)
    points = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    if skewed:
        x, y, z = points.T
        wave = np.sin(np.pi * x) * np.sin(np.pi * y) * np.sin(np.pi * z)
        points = points + 0.09 * wave[:, None] * np.cos(2 * np.pi * (points[:, [1, 2, 0]] + 0.5 * points[:, [2, 0, 1]]))
    return mesh_of(points, _corners(count), [("side", Polygons.rows(np.zeros((0, 4), int)))])


def _corners(count: int) -> np.ndarray:
    """The corners (count³, 8) of the cells of a cube."""
    number = np.arange((count + 1) ** 3).reshape((count + 1,) * 3)
    low = [number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]]
    return np.stack([n[..., :-1] for n in low] + [n[..., 1:] for n in low], axis=-1).reshape(-1, 8)


def prisms(count: int) -> Mesh:
    """A cube of upright prisms: squares halved along one diagonal in every other row, along the other in the rest."""
    straight = block(count)
    corners = _corners(count)
    turned = (np.arange(len(corners)) // count % count % 2).astype(bool)
    one, two = corners.copy(), corners[:, [1, 2, 3, 0, 5, 6, 7, 4]]
    cells = np.where(turned[:, None], one, two)
    halves = [cells[:, [0, 1, 2, 2, 4, 5, 6, 6]], cells[:, [0, 2, 3, 3, 4, 6, 7, 7]]]
    return mesh_of(straight.points, np.concatenate(halves), [("side", Polygons.rows(np.zeros((0, 4), int)))])


def hanging(count: int) -> Mesh:
    """The cube in boxes with twice as fine ones in a corner of it: where sizes meet, nodes hang."""
    sides = dict.fromkeys(("west", "east", "south", "north", "floor", "lid"), "side")
    box = Resolved(kind="box", name="cube", action="add", around=6, pattern=None, x=0.0, y=0.0, z=0.0, width=1.0, depth=1.0,
                   height=1.0, patches=Resolved(**sides))  # fmt: skip
    size = 1.0 / count
    zone = boxes.Box((-0.01, -0.01, -0.01), (0.4, 0.5, 0.6))
    return boxes.build(solid(box), boxes.Sizes(size, {"side": size}, 0.0, 1, ((size / 2, zone),)))


def cut(count: int) -> Mesh:
    """A ball in boxes, those at its skin cut to it."""
    ball = Resolved(kind="sphere", name="ball", action="add", around=160, pattern=None, x=0.5, y=0.5, z=0.5, diameter=1.0,
                    patch="side")  # fmt: skip
    size = 1.0 / count
    return boxes.build(solid(ball), boxes.Sizes(size, {"side": size}))


def _means(mesh: Mesh, faces: np.ndarray) -> np.ndarray:
    """The mean velocity (n, 3) on faces: finite volumes take in what flows through a face as a whole. By triangles round
    its middle, with the rule of the middles of their sides, which is exact for parabolas."""
    sides = Polygons(mesh.face_points, mesh.face_offsets).part(faces)
    after = np.arange(1, len(sides.flat) + 1)
    after[sides.offsets[1:] - 1] = sides.offsets[:-1]
    face = np.repeat(np.arange(sides.count), sides.corners)
    centre, a, b = mesh.face_centres()[faces][face], mesh.points[sides.flat], mesh.points[sides.flat[after]]
    size = np.linalg.norm(np.cross(a - centre, b - centre), axis=1)
    mean = (exact((centre + a) / 2) + exact((a + b) / 2) + exact((b + centre) / 2)) / 3
    total = np.bincount(face, size, len(faces))
    return np.stack([np.bincount(face, size * mean[:, i], len(faces)) / total for i in range(3)], axis=1)


def errors(mesh: Mesh) -> tuple[float, float]:
    """Root mean square of the error of velocity and of pressure over those of their own."""
    stencil = Stencil(mesh)
    velocity = _means(mesh, np.arange(stencil.inner, mesh.face_count))
    area = mesh.face_vector[stencil.inner :]
    # what the sides let through in total is nothing only up to the rule of integration
    through = np.einsum("ij,ij->i", velocity, area)
    size = np.linalg.norm(area, axis=1)
    velocity -= through.sum() / size.sum() * area / size[:, None]
    count = len(area)
    conditions = BoundaryConditions(np.full(count, FIXED, np.int8), velocity, np.zeros(count))
    model = FlowModel.of(GivenForce(force(mesh.centre) * mesh.volume[:, None]))
    flow = FlowSolver(stencil, FLUID, conditions, model, Settings(sweeps=4))
    outcome = run_steady(flow, Rules(residual=1e-7, iterations=600), {})
    if outcome.state != "converged":
        raise ArithmeticError(f"the flow on {mesh.cell_count} cells {outcome.message}")
    weight = mesh.volume / mesh.volume.sum()
    wanted = pressure(mesh.centre)
    off = outcome.fields.pressure - wanted
    off -= weight @ off
    left = np.linalg.norm(outcome.fields.velocity - exact(mesh.centre), axis=1)
    spread = wanted - weight @ wanted
    return (
        float(np.sqrt(weight @ left**2 / (weight @ (exact(mesh.centre) ** 2).sum(axis=1)))),
        float(np.sqrt(weight @ off**2 / (weight @ spread**2))),
    )


# How each is built, the order that it has to show, and the cells along an edge between which it is taken.
KINDS: dict[str, tuple[Callable[[int], Mesh], float, int, int]] = {
    "straight": (block, 1.9, 24, 36), "skewed": (lambda n: block(n, True), 1.8, 24, 36),
    "hanging nodes": (hanging, 1.7, 16, 24), "cut": (cut, 1.7, 24, 36), "prisms": (prisms, 1.8, 16, 24),
}  # fmt: skip


def run() -> list[Found]:
    """Orders of accuracy on straight, skewed, refined and cut meshes."""
    found: list[Found] = []
    for name, (build, wanted, coarse, fine) in KINDS.items():
        meshes = [build(n) for n in (coarse, fine)]
        before, after = (errors(mesh)[0] for mesh in meshes)
        order = np.log(before / after) / np.log((meshes[1].cell_count / meshes[0].cell_count) ** (1 / 3))
        mesh = f"{name}, {meshes[0].cell_count} and {meshes[1].cell_count} cells"
        found.append(Comparison(f"order in velocity, {name}", SOURCE, wanted, float(order), 0, mesh, at_least=True))
    return found
