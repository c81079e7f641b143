"""Compiled loops over boundary faces, on one thread: there are few of them, except on slabs of one cell."""

from __future__ import annotations

import math

from brook.core.compiling.kernel import kernel
from brook.core.numerics.passes import EXACT
from brook.core.physics.conditions import FIXED, OPEN, SLIP

ALONG = 1e-18  # the square of the sine under which a velocity lies along its face


@kernel(fastmath=EXACT)
def velocities(kind, given, velocity, cell, area, flux, density, found):
    """The velocity (B, 3) on boundaries: what is given, what slips along, or what flows out; what flows back in through an
    open one enters square to it. `flux` (B,) in kg/s."""
    for b in range(len(kind)):
        c = cell[b]
        if kind[b] == FIXED:
            for k in range(3):
                found[b, k] = given[b, k]
        elif kind[b] == SLIP:
            x, y, z = area[b, 0], area[b, 1], area[b, 2]
            share = (velocity[c, 0] * x + velocity[c, 1] * y + velocity[c, 2] * z) / (x * x + y * y + z * z)
            for k in range(3):
                found[b, k] = velocity[c, k] - share * area[b, k]
        else:
            squared = area[b, 0] ** 2 + area[b, 1] ** 2 + area[b, 2] ** 2
            back = min(flux[b], 0.0) / (density[b] * squared)
            for k in range(3):
                found[b, k] = back * area[b, k] if back < 0.0 else velocity[c, k]


@kernel(fastmath=EXACT)
def pressures(kind, given, pressure, slope, cell, line, found):
    """The pressure (B,) on boundaries: what is given where they are open, else carried from the cell by its gradient."""
    for b in range(len(kind)):
        c = cell[b]
        if kind[b] == OPEN:
            found[b] = given[b]
        else:
            found[b] = pressure[c] + slope[c, 0] * line[b, 0] + slope[c, 1] * line[b, 1] + slope[c, 2] * line[b, 2]


@kernel(fastmath=EXACT)
def momentum_parts(
    kind,
    on_boundary,
    velocity,
    slope,
    cell,
    area,
    line,
    non_orthogonal,
    geometric_diffusion,
    viscosity,
    flux,
    wall_slope_factor,
    implicit,
    explicit,
):
    """a_k u_k − b_k of each component k of momentum through boundary faces: `implicit` (B, 3) a, what they add to the diagonal of
    the cells behind them, and `explicit` (B, 3) b, to their source; gives the size of the terms, what is carried and dragged.

    Carried: −min(m, 0) (u_b − u_P). Dragged at walls, over the line r to the face, μ |S|²/(S·r) (u_b − u_P + w (u_b − u_P − ∇u·r))
    and μ ∇u·(S − |S|²/(S·r) r): w (B,), the `wall_slope_factor`, draws out the slope so that it is exact for a parabola
    (docs/decisions/0026). Of a slipping wall only the normal component is held, each component's own part of it implicitly.
    """
    terms = 0.0
    for b in range(len(kind)):
        c, drag = cell[b], viscosity[b] * geometric_diffusion[b]
        entering = max(-flux[b], 0.0)
        moved, dragged = 0.0, 0.0
        for k in range(3):
            moved += on_boundary[b, k] ** 2
            dragged += (on_boundary[b, k] - velocity[c, k]) ** 2
            implicit[b, k] = entering
            explicit[b, k] = entering * on_boundary[b, k]
        terms += abs(flux[b]) * math.sqrt(moved) + drag * math.sqrt(dragged)
        if kind[b] == FIXED:
            through, squared = 0.0, area[b, 0] ** 2 + area[b, 1] ** 2 + area[b, 2] ** 2
            for k in range(3):
                through += on_boundary[b, k] * area[b, k]
            sticks = through * through <= ALONG * moved * squared  # nothing goes through but what is rounded
            for k in range(3):
                implicit[b, k] += drag
                along = (
                    slope[c, k, 0] * non_orthogonal[b, 0]
                    + slope[c, k, 1] * non_orthogonal[b, 1]
                    + slope[c, k, 2] * non_orthogonal[b, 2]
                )
                explicit[b, k] += drag * on_boundary[b, k] + viscosity[b] * along
                if sticks:
                    lean = slope[c, k, 0] * line[b, 0] + slope[c, k, 1] * line[b, 1] + slope[c, k, 2] * line[b, 2]
                    explicit[b, k] += wall_slope_factor[b] * drag * (on_boundary[b, k] - velocity[c, k] - lean)
        elif kind[b] == SLIP:
            x, y, z = area[b, 0], area[b, 1], area[b, 2]
            squared = x * x + y * y + z * z
            through = velocity[c, 0] * x + velocity[c, 1] * y + velocity[c, 2] * z
            for k in range(3):
                own = area[b, k] ** 2 / squared
                implicit[b, k] += drag * own
                explicit[b, k] -= drag * (through * area[b, k] / squared - own * velocity[c, k])
    return terms
