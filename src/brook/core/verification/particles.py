"""Particles in flows that are known: how fast they sink, how far they fly on, round a vortex, onto a cylinder, astray in turbulence, and what they wear off a plate."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.integrate import quad
from scipy.optimize import brentq

from brook.core.mesh import Mesh
from brook.core.numerics import Stencil
from brook.core.results.particles import Cloud, Flight, Flying, Wall, fly
from brook.core.results.quantities import View
from brook.core.results.space import Locator
from brook.core.solve import Fields
from brook.core.verification.case import Comparison, Found
from brook.core.verification.manufactured import block
from brook.core.verification.rows import DEEP, rows

Flow = Callable[[np.ndarray], np.ndarray]
AIR, WATER = (1.2, 1.8e-5), (998.0, 1.0e-3)  # kg/m³ and Pa s
SIDES = {side: [(side, np.inf)] for side in ("left", "right", "bottom", "top")}
GRAVITY = 9.81
AROUND, OUT, ALONG = 96, 12.0, 80  # cells round half a cylinder of 1 m in radius, how far out, and cells along that
SPACE = 24  # cells each way of a cube
PUBLISHED = {1.0: 0.380, 4.0: 0.735}  # share of what lies before a cylinder that meets it, by its inertia τ U/R


def flowing(
    mesh: Mesh, flow: Flow, fluid: tuple[float, float], more: dict[str, tuple[np.ndarray, np.ndarray]] | None = None
) -> View:
    """A flow that is known at every place (n, 3); a side that nothing goes through is a wall."""
    stencil = Stencil(mesh)
    inner = stencil.inner
    edge = mesh.face_centres(slice(inner, stencil.active))
    at = mesh.face_centres(slice(0, stencil.active))
    flux = fluid[0] * np.einsum("ij,ij->i", flow(at), mesh.face_vector[: stencil.active])
    flux[np.abs(flux) < 1e-9 * max(float(np.abs(flux).max()), 1e-300)] = 0.0
    ones, none = np.ones(mesh.cell_count), np.zeros(stencil.boundary_count)
    return View(
        Fields(
            stencil, fluid[0] * ones, fluid[1] * ones, flow(mesh.centre), 0 * ones, flux, flow(edge), none, more or {}
        )
    )


def still(place: np.ndarray) -> np.ndarray:
    """Nothing moves."""
    return np.zeros_like(place)


def square(cells: int, size: float = 1.0) -> Mesh:
    """So many cells each way, about the origin."""
    at = np.linspace(-size / 2, size / 2, cells + 1)
    return rows(at, at, SIDES)


def one(place: tuple[float, float], velocity: tuple[float, float], size: float, density: float | None) -> Cloud:
    """A single particle half as deep as the mesh."""
    return Cloud(np.array([[*place, DEEP / 2]]), np.array([[*velocity, 0.0]]), np.array([size]), np.ones(1), density)


def flew(view: View, cloud: Cloud, **how: object) -> Flight:
    """Where all of them come to."""
    return fly(view, Locator(view.fields.mesh), cloud, Flying(**how))  # type: ignore[arg-type]


def _sinking() -> list[Found]:
    """The end speed by Schiller and Naumann's drag, of grains in water and drops in air."""
    found: list[Found] = []
    for words, (density, viscosity), grit, size in (
        ("grain of 50 µm in water", WATER, 2650.0, 50e-6),
        ("grain of 2 mm in water", WATER, 2650.0, 2e-3),
        ("drop of 100 µm in air", AIR, 998.0, 1e-4),
    ):

        def short(v: float, rho: float = density, mu: float = viscosity, solid: float = grit, d: float = size) -> float:
            reynolds = rho * v * d / mu
            more = 1 + 0.15 * reynolds**0.687 if reynolds < 1000 else 0.44 * reynolds / 24
            return 18 * mu * v * more / d**2 - (solid - rho) * GRAVITY

        exact = brentq(short, 1e-9, 10.0, xtol=1e-15)
        flight = flew(
            flowing(square(20), still, (density, viscosity)),
            one((0.01, 0.4), (0.0, 0.0), size, grit),
            gravity=(0.0, -GRAVITY, 0.0),
            seconds=min(0.5 / exact, 60.0),
        )
        speed = -float(flight.velocities[0, 1])
        found.append(
            Comparison(
                f"end speed of a {words} / m/s", "Schiller & Naumann 1935, by its root", exact, speed, 1e-3, "400 cells"
            )
        )
    return found


def _stopping() -> list[Found]:
    """How far a grain flies on in air at rest: ∫ τ/f dv."""
    found: list[Found] = []
    for size, speed in ((1e-5, 1.0), (2e-4, 1.0)):
        rho, mu = AIR
        time = 2650.0 * size**2 / (18 * mu) * (1 + rho / (2 * 2650.0))
        exact = quad(lambda v, r=rho * size / mu, t=time: t / (1 + 0.15 * (r * v) ** 0.687), 0, speed, epsabs=1e-14)[0]
        flight = flew(
            flowing(square(20, 2.0), still, AIR), one((-0.93, 0.02), (speed, 0.0), size, 2650.0), seconds=300 * time
        )
        found.append(
            Comparison(
                f"way on of a grain of {1e6 * size:.0f} µm / m",
                "Schiller & Naumann 1935, integrated",
                exact,
                float(flight.places[0, 0] + 0.93),
                5e-3,
                "400 cells",
            )
        )
    return found


def _vortex() -> list[Found]:
    """A fluid that turns as a whole: what has no mass goes round at its radius, a grain is thrown out by the root of λ² + λ/τ = iΩ/τ."""
    spin, mu, size, grit = 2.0, AIR[1], 4e-4, 2650.0
    view = flowing(square(40), lambda p: spin * np.stack([-p[:, 1], p[:, 0], 0 * p[:, 0]], axis=1), AIR)
    turns = 2 * np.pi / spin
    drawn = flew(view, one((0.3, 0.0), (0.0, 0.0), 1e-6, None), seconds=5 * turns)
    radius = float(np.linalg.norm(drawn.places[0, :2]))
    angle = float(np.arctan2(drawn.places[0, 1], drawn.places[0, 0]))
    # Stokes' drag alone: a fluid of so little density that f is 1
    thin = flowing(square(40), lambda p: spin * np.stack([-p[:, 1], p[:, 0], 0 * p[:, 0]], axis=1), (1e-9, mu))
    time = grit * size**2 / (18 * mu)
    roots = np.roots([1, 1 / time, -1j * spin / time])
    start, speed = 0.1 + 0j, 0.1j * spin
    parts = np.linalg.solve(np.array([[1, 1], roots]), np.array([start, speed]))
    seconds = 1.5
    exact = abs(parts @ np.exp(roots * seconds))
    thrown = flew(thin, one((0.1, 0.0), (0.0, 0.1 * spin), size, grit), seconds=seconds)
    return [
        Comparison("radius after five turns / m", "exact", 0.3, radius, 2e-3, "1600 cells"),
        Comparison("angle after five turns / rad", "exact", 0.0, angle, 0.02, "1600 cells", scale=1.0),
        Comparison(
            "radius of a grain that is thrown out / m",
            "exact",
            exact,
            float(np.linalg.norm(thrown.places[0, :2])),
            2e-3,
            "1600 cells",
        ),
    ]


def around_cylinder() -> View:
    """Potential flow along x over the upper half of a cylinder of 1 m in radius, at 1 m/s far from it."""
    theta, r = np.linspace(0, np.pi, AROUND + 1), np.exp(np.linspace(0, np.log(OUT), ALONG + 1))
    sides = {
        "left": [("before", np.inf)],
        "right": [("behind", np.inf)],
        "bottom": [("cylinder", np.inf)],
        "top": [("far", np.inf)],
    }
    mesh = rows(
        theta, r, sides, placed=lambda p: np.stack([-p[:, 1] * np.cos(p[:, 0]), p[:, 1] * np.sin(p[:, 0])], axis=1)
    )

    def flow(p: np.ndarray) -> np.ndarray:
        x, y = p[:, 0], p[:, 1]
        r2 = np.maximum(x * x + y * y, 1e-12)
        return np.stack([1 - (x * x - y * y) / r2**2, -2 * x * y / r2**2, 0 * x], axis=1)

    view = flowing(mesh, flow, (1e-9, 1.0))
    for name in ("cylinder", "before", "behind"):  # its sides are flat: nothing goes through them all the same
        view.fields.flux[mesh.patch(name).faces] = 0.0
    return view


def _captured() -> list[Found]:
    view = around_cylinder()
    found: list[Found] = []
    size = 1e-3
    for inertia, published in PUBLISHED.items():
        count = 2000
        y = (np.arange(count) + 0.5) / count
        places = np.stack([np.full(count, -10.0), y, np.full(count, DEEP / 2)], axis=1)
        locator = Locator(view.fields.mesh)
        at = locator.cells(places)
        speeds = view.fields.velocity[at]
        cloud = Cloud(places, speeds, np.full(count, size), np.ones(count), inertia * 18 * 1.0 / size**2)
        walls = {"cylinder": Wall("sticks"), "before": Wall("bounces"), "behind": Wall("bounces")}
        flight = fly(view, locator, cloud, Flying(walls=walls, seconds=60.0))
        stuck = flight.ends(view.fields).get(("stuck to", "cylinder"), np.zeros(0))
        found.append(
            Comparison(
                f"share that meets a cylinder at τU/R = {inertia:g}",
                "Brun, Lewis, Perkins & Serafini 1955",
                published,
                len(stuck) / count,
                0.03,
                f"{view.fields.mesh.cell_count} cells, {count} particles",
            )
        )
    return found


def _astray() -> list[Found]:
    """Even turbulence: σ_x² = 2 σ² T (t − T (1 − exp(−t/T))), Taylor 1921."""
    mesh = square(10, 4.0)
    energy, rate, eddies = 0.06, 4.0, 0.3
    ones, edge = np.ones(mesh.cell_count), np.ones(Stencil(mesh).boundary_count)
    view = flowing(
        mesh,
        still,
        AIR,
        {"turbulent_energy": (energy * ones, energy * edge), "dissipation_rate": (rate * ones, rate * edge)},
    )
    sigma2, time, count = 2 / 3 * energy, eddies / (0.09 * rate), 20_000
    cloud = Cloud(
        np.tile([0.01, 0.02, DEEP / 2], (count, 1)), np.zeros((count, 3)), np.full(count, 1e-6), np.ones(count)
    )
    found: list[Found] = []
    for seconds in (0.3 * time, 3 * time):
        flight = flew(view, cloud, eddies=eddies, seconds=seconds)
        exact = 2 * sigma2 * time * (seconds - time * (1 - np.exp(-seconds / time)))
        spread = float(np.mean((flight.places[:, :2] - [0.01, 0.02]) ** 2))
        found.append(
            Comparison(
                f"spread after {seconds / time:g} times that of eddies / m²",
                "Taylor 1921",
                exact,
                spread,
                0.05,
                f"{count} particles",
            )
        )
    return found


def _worn() -> list[Found]:
    """A jet of sand that meets a plate at 20 and 60 degrees: what is worn by Finnie's and by Oka's law, worked out by hand."""
    found: list[Found] = []
    size, speed, rate, count = 3e-4, 30.0, 0.01, 50
    for degrees, model, hardness, by_hand in (
        (20.0, "finnie", 1.4e9, 0.01 * 30.0**2 / (8 * 1.4e9) * np.cos(np.radians(20.0)) ** 2 / 3), (10.0, "finnie", 1.4e9, 0.01 * 30.0**2 / (8 * 1.4e9) * (np.sin(np.radians(20.0)) - 3 * np.sin(np.radians(10.0)) ** 2)),
        (60.0, "oka", 1.2, 0.01 * 4.2809e-9),
    ):  # fmt: skip
        angle = np.radians(degrees)
        way = np.array([np.cos(angle), -np.sin(angle), 0.0])
        places = np.stack([np.linspace(-0.4, -0.3, count), np.full(count, -0.45), np.full(count, DEEP / 2)], axis=1)
        cloud = Cloud(
            places, np.tile(speed * way, (count, 1)), np.full(count, size), np.full(count, rate / count), 2650.0
        )
        flight = flew(
            flowing(square(20), still, (1e-9, 1e-9)), cloud, wear=model, hardness=hardness, wall=Wall("sticks")
        )
        found.append(
            Comparison(
                f"worn off at {degrees:g}° / m³/s",
                {"finnie": "Finnie 1960, by hand", "oka": "Oka, Okamura & Yoshida 2005, by hand"}[model],
                by_hand,
                float(flight.hits[:, 1].sum()),
                1e-3,
                f"{count} particles",
            )
        )
    return found


def _in_space() -> list[Found]:
    """In a cube of bent cells, about an axis and under an acceleration that lie askew to it."""
    mesh = block(SPACE, skewed=True)
    says = f"{mesh.cell_count} bent cells in space"
    axis, middle, spin = np.array([1.0, 2.0, 2.0]) / 3, np.full(3, 0.5), 2.0

    def turning(p: np.ndarray) -> np.ndarray:
        return np.asarray(spin * np.cross(axis, p - middle))

    def single(place: np.ndarray, velocity: np.ndarray, size: float, grit: float | None) -> Cloud:
        return Cloud(place[None], velocity[None], np.array([size]), np.ones(1), grit)

    across = np.array([2.0, 1.0, -2.0]) / 3
    start = middle + 0.3 * across + 0.1 * axis
    drawn = flew(flowing(mesh, turning, AIR), single(start, np.zeros(3), 1e-6, None), seconds=5 * 2 * np.pi / spin)
    off = drawn.places[0] - middle
    along = float(off @ axis)
    found: list[Found] = [
        Comparison("radius after five turns askew / m", "exact", 0.3, float(np.linalg.norm(off - along * axis)), 2e-3, says),
        Comparison("place along the axis after five turns / m", "exact", 0.1, along, 1e-3, says, scale=0.3),
        Comparison("angle after five turns askew / rad", "exact", 0.0, float(np.arctan2(off @ np.cross(axis, across), off @ across)), 0.02, says, scale=1.0),
    ]  # fmt: skip
    # a grain sinks along the acceleration, as fast as in a drawing
    density, viscosity = WATER
    size, grit = 2e-4, 2650.0

    def short(v: float) -> float:
        reynolds = density * v * size / viscosity
        return 18 * viscosity * v * (1 + 0.15 * reynolds**0.687) / size**2 - (grit - density) * GRAVITY

    exact = brentq(short, 1e-9, 10.0, xtol=1e-15)
    sunk = flew(
        flowing(mesh, still, WATER), single(middle + 0.3 * axis, np.zeros(3), size, grit),
        gravity=tuple((-GRAVITY * axis).tolist()), seconds=0.5 / exact,
    )  # fmt: skip
    velocity, way = sunk.velocities[0], sunk.places[0] - middle - 0.3 * axis
    aside = float(np.linalg.norm(way - (way @ axis) * axis))
    return [
        *found,
        Comparison("end speed of a grain askew / m/s", "Schiller & Naumann 1935, by its root", exact, float(-velocity @ axis), 1e-3, says),
        Comparison("way aside of a grain that sinks askew / m", "exact", 0.0, aside, 1e-9, says, scale=1.0),
    ]  # fmt: skip


def run() -> list[Found]:
    """All of them."""
    return [*_sinking(), *_stopping(), *_vortex(), *_in_space(), *_captured(), *_astray(), *_worn()]
