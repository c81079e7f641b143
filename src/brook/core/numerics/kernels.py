"""Compiled loops behind the operators. Plain arrays in, plain arrays out; faces scatter to cells."""

from __future__ import annotations

from numba import njit, prange


@njit(cache=True)
def gradient_scalar(value, boundary, owner, neighbour, of_owner, of_neighbour, out):
    """out (C, 3): least-squares gradient of value (C,) with values (B,) on the boundary."""
    out[:] = 0.0
    inner = len(neighbour)
    for f in range(inner):
        p, n = owner[f], neighbour[f]
        step = value[n] - value[p]
        for i in range(3):
            out[p, i] += of_owner[f, i] * step
            out[n, i] += of_neighbour[f, i] * step
    for f in range(inner, len(owner)):
        p = owner[f]
        step = boundary[f - inner] - value[p]
        for i in range(3):
            out[p, i] += of_owner[f, i] * step


@njit(cache=True)
def gradient_vector(value, boundary, owner, neighbour, of_owner, of_neighbour, out):
    """out (C, 3, 3): out[c, k, i] = d value_k / d x_i."""
    out[:] = 0.0
    inner = len(neighbour)
    for f in range(inner):
        p, n = owner[f], neighbour[f]
        for k in range(3):
            step = value[n, k] - value[p, k]
            for i in range(3):
                out[p, k, i] += of_owner[f, i] * step
                out[n, k, i] += of_neighbour[f, i] * step
    for f in range(inner, len(owner)):
        p = owner[f]
        for k in range(3):
            step = boundary[f - inner, k] - value[p, k]
            for i in range(3):
                out[p, k, i] += of_owner[f, i] * step


@njit(cache=True)
def divergence(flux, owner, neighbour, out):
    """out (C,): sum of the fluxes (F,) out of each cell."""
    out[:] = 0.0
    for f in range(len(neighbour)):
        out[owner[f]] += flux[f]
        out[neighbour[f]] -= flux[f]
    for f in range(len(neighbour), len(owner)):
        out[owner[f]] += flux[f]


@njit(cache=True)
def upwind_correction(value, gradient, flux, owner, neighbour, weight, line, skew, scheme, softness, out):
    """out (C, 3) += -flux * (second-order face value - upwind value), for each component.

    scheme 1: upwind-biased of third order where the field is smooth, limited after van Albada et al.
    (1982), with `softness` (in units of value²) below which differences count as smooth; scheme 2: central.
    """
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        forward = flux[f] >= 0.0
        c = p if forward else n
        fraction = 1.0 - weight[f] if forward else weight[f]
        sign = 1.0 if forward else -1.0
        for k in range(3):
            ahead = sign * (value[n, k] - value[p, k])
            slope = 0.0
            offset = 0.0
            for i in range(3):
                slope += gradient[c, k, i] * line[f, i]
                offset += gradient[c, k, i] * skew[f, i]
            if scheme == 2:
                step = ahead
            else:
                behind = 2.0 * sign * slope - ahead
                a2, b2 = behind * behind + softness, ahead * ahead + softness
                step = (2.0 * a2 * ahead + b2 * behind) / (2.0 * a2 + b2)
            correction = flux[f] * (fraction * step + offset)
            out[p, k] -= correction
            out[n, k] += correction


@njit(cache=True)
def diffusion_correction(viscosity, gradient, owner, neighbour, weight, cross, out):
    """out (C, 3) += viscosity (inner,) * cross . (gradient at the face), the explicit part of diffusion."""
    inner = len(neighbour)
    for f in range(inner):
        p, n = owner[f], neighbour[f]
        w = weight[f]
        for k in range(3):
            part = 0.0
            for i in range(3):
                part += cross[f, i] * (w * gradient[p, k, i] + (1.0 - w) * gradient[n, k, i])
            part *= viscosity[f]
            out[p, k] += part
            out[n, k] -= part


@njit(cache=True)
def upwind_correction_scalar(value, gradient, flux, owner, neighbour, weight, line, skew, scheme, softness, out):
    """The same for one value (C,) with its gradient (C, 3)."""
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        forward = flux[f] >= 0.0
        c = p if forward else n
        fraction = 1.0 - weight[f] if forward else weight[f]
        sign = 1.0 if forward else -1.0
        ahead = sign * (value[n] - value[p])
        slope, offset = 0.0, 0.0
        for i in range(3):
            slope += gradient[c, i] * line[f, i]
            offset += gradient[c, i] * skew[f, i]
        step = ahead
        if scheme != 2:
            behind = 2.0 * sign * slope - ahead
            a2, b2 = behind * behind + softness, ahead * ahead + softness
            step = (2.0 * a2 * ahead + b2 * behind) / (2.0 * a2 + b2)
        correction = flux[f] * (fraction * step + offset)
        out[p] -= correction
        out[n] += correction


@njit(cache=True)
def diffusion_correction_scalar(coefficient, gradient, owner, neighbour, weight, cross, out):
    """out (C,) += coefficient (inner,) * cross . (gradient at the face)."""
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        w, part = weight[f], 0.0
        for i in range(3):
            part += cross[f, i] * (w * gradient[p, i] + (1.0 - w) * gradient[n, i])
        part *= coefficient[f]
        out[p] += part
        out[n] -= part


@njit(cache=True)
def sweep(offsets, columns, entries, diagonal, right, value, sweeps):
    """Symmetric Gauss-Seidel for three components with one matrix and a diagonal for each component."""
    cells = len(offsets) - 1
    for s in range(2 * sweeps):
        for j in range(cells):
            c = j if s % 2 == 0 else cells - 1 - j
            a0, a1, a2 = right[c, 0], right[c, 1], right[c, 2]
            for k in range(offsets[c], offsets[c + 1]):
                n = columns[k]
                e = entries[k]
                a0 -= e * value[n, 0]
                a1 -= e * value[n, 1]
                a2 -= e * value[n, 2]
            value[c, 0] = a0 / diagonal[c, 0]
            value[c, 1] = a1 / diagonal[c, 1]
            value[c, 2] = a2 / diagonal[c, 2]


@njit(cache=True, parallel=True)
def sweep_blocks(offsets, columns, entries, diagonal, right, value, before, blocks, sweeps):
    """The same with blocks of rows side by side; what lies in other blocks counts as it was before each sweep."""
    for s in range(2 * sweeps):
        for b in prange(len(blocks) - 1):
            for c in range(blocks[b], blocks[b + 1]):
                before[c, 0], before[c, 1], before[c, 2] = value[c, 0], value[c, 1], value[c, 2]
        for b in prange(len(blocks) - 1):
            first, last = blocks[b], blocks[b + 1]
            for j in range(first, last):
                c = j if s % 2 == 0 else first + last - 1 - j
                a0, a1, a2 = right[c, 0], right[c, 1], right[c, 2]
                for k in range(offsets[c], offsets[c + 1]):
                    n = columns[k]
                    e = entries[k]
                    if first <= n < last:
                        a0 -= e * value[n, 0]
                        a1 -= e * value[n, 1]
                        a2 -= e * value[n, 2]
                    else:
                        a0 -= e * before[n, 0]
                        a1 -= e * before[n, 1]
                        a2 -= e * before[n, 2]
                value[c, 0] = a0 / diagonal[c, 0]
                value[c, 1] = a1 / diagonal[c, 1]
                value[c, 2] = a2 / diagonal[c, 2]


@njit(cache=True)
def off_diagonal_product(owner, neighbour, lower, upper, value, out):
    """out (C, 3) = off-diagonal part of the matrix times value (C, 3)."""
    out[:] = 0.0
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        for k in range(3):
            out[p, k] += upper[f] * value[n, k]
            out[n, k] += lower[f] * value[p, k]


@njit(cache=True)
def convective_matrix(flux, owner, neighbour, lower, upper, diagonal):
    """Upwind convection, less value * divergence(flux): rows sum to what the boundary gives."""
    lower[:] = 0.0
    upper[:] = 0.0
    diagonal[:] = 0.0
    for f in range(len(neighbour)):
        inflow_owner = min(flux[f], 0.0)
        inflow_neighbour = -max(flux[f], 0.0)
        upper[f] = inflow_owner
        lower[f] = inflow_neighbour
        diagonal[owner[f]] -= inflow_owner
        diagonal[neighbour[f]] -= inflow_neighbour


@njit(cache=True)
def rhie_chow(
    velocity,
    pressure,
    pressure_gradient,
    mobility,
    owner,
    neighbour,
    weight,
    skew,
    velocity_gradient,
    area,
    line,
    stiffness,
    density,
    out,
):
    """out (inner,): density (inner,) * [mean velocity . S + mobility (inner,) * stiffness * (mean gradient . d - step of pressure)]."""
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        w = weight[f]
        through = 0.0
        slope = 0.0
        for k in range(3):
            face = w * velocity[p, k] + (1.0 - w) * velocity[n, k]
            for i in range(3):
                face += (w * velocity_gradient[p, k, i] + (1.0 - w) * velocity_gradient[n, k, i]) * skew[f, i]
            through += face * area[f, k]
            slope += (w * pressure_gradient[p, k] + (1.0 - w) * pressure_gradient[n, k]) * line[f, k]
        out[f] = density[f] * (through + mobility[f] * stiffness[f] * (slope - (pressure[n] - pressure[p])))
