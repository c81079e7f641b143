"""Shear without end in a fluid that is warmer above: k neither grows nor fades at the stationary Richardson number of the model.

With u = S z and N² = β g dT/dz nothing is carried or spreads, and k-ω SST far from walls comes to ω = S √((α + Ri/Pr_t)/β) and to a k that goes
as e^(λ t), λ/S = (1 − Ri/Pr_t) S/ω − β* ω/S: exact, with Ri = N²/S². λ is nothing at Ri = Pr_t (1 − (1 + α)/(1 + β/β*)) = 0.2125.
"""

from __future__ import annotations

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.numerics import Stencil
from brook.core.solve import FlowModel, FlowSolver
from brook.core.solve.energy import EnergyEquation, FlowPart, Fluids
from brook.core.solve.heat import Heat
from brook.core.solve.heating import heat_conditions, substance_of
from brook.core.solve.setup import SLIP, BoundaryConditions
from brook.core.solve.time_levels import TimeLevel, TimeScheme
from brook.core.solve.turbulence import Lifted, Turbulence, Walls
from brook.core.solve.turbulence.curved import Curved
from brook.core.solve.turbulence.lifted import added
from brook.core.solve.turbulence.sst import ALPHA_2, BETA_2, BETA_STAR
from brook.core.study import Resolved
from brook.core.verification.case import Comparison, Found
from brook.core.verification.manufactured import block

SHEAR, GRAVITY, EXPANSION, START, PRANDTL = 1.0, 10.0, 1e-3, 300.0, 0.85
VISCOSITY = 1e-9  # m²/s: eddies carry all there is
STEP, STEPS, ROUNDS = 0.05, 400, 14
TOLERANCE, SOURCE = 0.01, "exact, of the model"


def exact_growth(richardson: float) -> float:
    """λ/S."""
    lifted = richardson / PRANDTL
    omega = ((ALPHA_2 + lifted) / BETA_2) ** 0.5
    return float((1 - lifted) / omega - BETA_STAR * omega)


def stationary() -> float:
    """The Richardson number at which that is nothing."""
    return PRANDTL * (1 - (1 + ALPHA_2) / (1 + BETA_2 / BETA_STAR))


def cube(richardson: float) -> tuple[FlowSolver, Turbulence]:
    """A cube of cells in the midst of it."""
    stencil = Stencil(block(4))
    count = stencil.boundary_count
    fluid = ConstantFluid("fluid", 1.0, VISCOSITY, conductivity=VISCOSITY, heat_capacity=1.0, expansion=EXPANSION)
    heat = Heat(
        stencil, substance_of(stencil, dict.fromkeys(stencil.mesh.bodies, fluid)),
        heat_conditions(stencil, Resolved(start=START, patches=[]), []),
        START + richardson * SHEAR**2 / (GRAVITY * EXPANSION) * stencil.mesh.centre[:, 2], np.zeros(stencil.cells),
    )  # fmt: skip
    energy = EnergyEquation(
        heat, FlowPart.of(stencil, [0]), Fluids((fluid,), stencil.mesh.body), np.array([0.0, 0.0, -GRAVITY]), START, "boussinesq"
    )  # fmt: skip
    walls = Walls(stencil, np.zeros(0, np.int64), np.zeros(0))
    turbulence = Turbulence(stencil, walls, {}, lifted=Lifted(energy))
    conditions = BoundaryConditions(np.full(count, SLIP, np.int8), np.zeros((count, 3)), np.zeros(count))
    flow = FlowSolver(stencil, fluid, conditions, FlowModel.of(energy, turbulence))
    heat.temperature[:] = START + richardson * SHEAR**2 / (GRAVITY * EXPANSION) * stencil.mesh.centre[:, 2]
    flow.momentum.gradient[:] = 0.0
    flow.momentum.gradient[:, 0, 2] = SHEAR
    flow.flux[:] = 0.0
    return flow, turbulence


def growth(richardson: float) -> float:
    """λ/S, of k marched in time."""
    flow, turbulence = cube(richardson)
    pair, medium, s = turbulence.pair, flow.medium, flow.stencil
    assert turbulence.lifted is not None
    pair.one[:], pair.two[:] = 1e-2, 2 * SHEAR
    turbulence.eddy[:] = pair.one / pair.two
    none = np.zeros((s.cells, 3))
    levels: list[TimeLevel] = []
    before = pair.one.copy()
    for _ in range(STEPS):
        before, now = pair.one.copy(), {"k": pair.one.copy(), "omega": pair.two.copy()}
        level = TimeLevel(s.mesh.volume, none, none[:, 0], flow.flux, flow.flux, {turbulence.name: now})
        levels = [level, *levels[:1]]
        time = TimeScheme.of(tuple(levels), STEP / SHEAR, STEP / SHEAR)
        for _ in range(ROUNDS):
            turbulence.closure.look(pair, turbulence.walls, medium, flow, turbulence.eddy)
            made = turbulence.lifted.made(flow, medium, turbulence.eddy, turbulence.walls)
            added(pair, turbulence.closure, s.mesh.volume, medium.density, made)
            pair.advance(turbulence.name, flow.flux, medium.density, time)
    return float(np.log(pair.one / before).mean() / STEP)


def run() -> list[Found]:
    """Growth without stratification, decay in a strong one, and where the one goes over into the other."""
    mesh = f"{len(block(4).volume)} cells, {STEPS} steps"
    found: list[Found] = []
    for richardson in (0.0, 0.5):
        exact = exact_growth(richardson)
        found.append(Comparison(f"λ/S at Ri = {richardson:g}", SOURCE, exact, growth(richardson), TOLERANCE, mesh))
    low, high = 0.15, 0.27
    one, two = growth(low), growth(high)
    for _ in range(2):  # by the secant
        low, high = high, high - two * (high - low) / (two - one)
        one, two = two, growth(high)
    found.append(Comparison("Ri at which k stands", SOURCE, stationary(), high, TOLERANCE, mesh))
    return found


CIRCLES = {
    "r − 860/r": (1.0, -860.0),
    "r − 882/r": (1.0, -882.0),
    "900/r − r": (-1.0, 900.0),
}  # A in 1/s, B in m²/s of u = A r + B/r
MIDDLE = (-20.0, -21.0)  # of the circles, from a corner of a cube of 1 m


def exact_factor(a: float, b: float, radius: np.ndarray) -> np.ndarray:
    """f_r in flow in circles, u = A r + B/r: S = 2 |B|/r², Ω = 2 |A|, and r = sign(A) (u/r)/S."""
    shear, turning, rate = 2 * abs(b) / radius**2, 2 * abs(a), a + b / radius**2
    over, bend = shear / turning, np.sign(a) * rate / shear
    found: np.ndarray = np.clip(4 * over / (1 + over) * (1 - np.arctan(2 * bend)) - 1, 0.0, 1.25)
    return found


def curved() -> list[Found]:
    """f_r of circles on a mesh of cubes, in the mean over its cells."""
    stencil = Stencil(block(24))
    x, y = (stencil.mesh.centre[:, k] - MIDDLE[k] for k in (0, 1))
    radius, none = np.hypot(x, y), np.zeros(stencil.cells)
    found: list[Found] = []
    for words, (a, b) in CIRCLES.items():
        rate, bent = a + b / radius**2, -2 * b / radius**4
        velocity = np.stack([-rate * y, rate * x, none], axis=1)
        slope = np.zeros((stencil.cells, 3, 3))
        slope[:, 0, 0], slope[:, 0, 1] = -bent * x * y, -rate - bent * y * y
        slope[:, 1, 0], slope[:, 1, 1] = rate + bent * x * x, bent * x * y
        measured = Curved(stencil).of(velocity, slope, none)
        known = exact_factor(a, b, radius)
        what = f"f_r, u = {words}"
        found.append(
            Comparison(what, "exact", float(known.mean()), float(measured.mean()), TOLERANCE, f"{stencil.cells} cells")
        )
    return found
