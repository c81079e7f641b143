"""Compiled loops of one iteration of a flow: everything between two sweeps is done in as few passes as it takes.

Loops over faces write to their own face only, loops over cells gather from the faces round them; none waits for another
thread, and sums come in the same order whatever the number of threads. What each computes is told where it is called, in
`solve/momentum.py` and `solve/continuity.py`. Indices are unsigned: signed ones are checked for being negative.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

# products and sums may be contracted, but keep their order: short rows get slower, and answers differ, when they do not
EXACT = {"contract"}
ONE = np.uint32(1)
SKEWED, CROSSED = np.uint8(1), np.uint8(2)  # faces off the line of centres; lines of centres askew to faces


# -- gradients --------------------------------------------------------------------------------


@njit(cache=True, fastmath=EXACT)
def slopes_in(first, last, chunk, value, edge, offsets, columns, edge_offsets, edges, centre, edge_line, edge_near,
              inverse, own, place, out):  # fmt: skip
    """out (C, 3, 3): least-squares gradient of a vector, weighted by 1/d² of the line of centres; on boundaries by
    `edge_near` (B,)."""
    for s in range(first, last):
        c = np.uint32(s)
        u0, u1, u2 = value[c, 0], value[c, 1], value[c, 2]
        a00, a01, a02, a10, a11, a12, a20, a21, a22 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            n = columns[k]
            x, y, z = _away(centre, c, n)
            d0, d1, d2 = value[n, 0] - u0, value[n, 1] - u1, value[n, 2] - u2
            a00 += d0 * x
            a01 += d0 * y
            a02 += d0 * z
            a10 += d1 * x
            a11 += d1 * y
            a12 += d1 * z
            a20 += d2 * x
            a21 += d2 * y
            a22 += d2 * z
        for k in range(edge_offsets[c], edge_offsets[c + ONE]):
            e = edges[k]
            w = edge_near[e]
            x, y, z = w * edge_line[e, 0], w * edge_line[e, 1], w * edge_line[e, 2]
            d0, d1, d2 = edge[e, 0] - u0, edge[e, 1] - u1, edge[e, 2] - u2
            a00 += d0 * x
            a01 += d0 * y
            a02 += d0 * z
            a10 += d1 * x
            a11 += d1 * y
            a12 += d1 * z
            a20 += d2 * x
            a21 += d2 * y
            a22 += d2 * z
        xx, xy, xz, yy, yz, zz = _fitted(inverse, own, place, c)
        out[c, 0, 0], out[c, 0, 1], out[c, 0, 2] = _turned(xx, xy, xz, yy, yz, zz, a00, a01, a02)
        out[c, 1, 0], out[c, 1, 1], out[c, 1, 2] = _turned(xx, xy, xz, yy, yz, zz, a10, a11, a12)
        out[c, 2, 0], out[c, 2, 1], out[c, 2, 2] = _turned(xx, xy, xz, yy, yz, zz, a20, a21, a22)


@njit(cache=True, parallel=True, fastmath=EXACT)
def slopes(chunks, *args):
    for b in prange(len(chunks) - 1):
        slopes_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT, inline="always")
def _turned(xx, xy, xz, yy, yz, zz, a, b, c):
    """A symmetric matrix times a vector."""
    return xx * a + xy * b + xz * c, xy * a + yy * b + yz * c, xz * a + yz * b + zz * c


@njit(cache=True, fastmath=EXACT, inline="always")
def _away(centre, c, n):
    """From a cell to another, over the square of the distance."""
    x, y, z = centre[n, 0] - centre[c, 0], centre[n, 1] - centre[c, 1], centre[n, 2] - centre[c, 2]
    near = 1.0 / (x * x + y * y + z * z)
    return near * x, near * y, near * z


@njit(cache=True, fastmath=EXACT, inline="always")
def _fitted(inverse, own, place, c):
    """The upper half of the inverse of a cell's moments: its `own` where a boundary of it is not known, told by `place`."""
    if len(place) > 0 and place[c] > 0:
        k = place[c] - ONE
        return own[k, 0], own[k, 1], own[k, 2], own[k, 3], own[k, 4], own[k, 5]
    return inverse[c, 0], inverse[c, 1], inverse[c, 2], inverse[c, 3], inverse[c, 4], inverse[c, 5]


@njit(cache=True, fastmath=EXACT, inline="always")
def _sloped(c, value, edge, offsets, columns, edge_offsets, edges, centre, edge_line, edge_near, inverse, own, place):
    """The same of a scalar in one cell."""
    here, a, b, d = np.float64(value[c]), 0.0, 0.0, 0.0
    for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
        n = columns[k]
        step = value[n] - here
        x, y, z = _away(centre, c, n)
        a += step * x
        b += step * y
        d += step * z
    for k in range(edge_offsets[c], edge_offsets[c + ONE]):
        e = edges[k]
        step = edge_near[e] * (edge[e] - here)
        a += step * edge_line[e, 0]
        b += step * edge_line[e, 1]
        d += step * edge_line[e, 2]
    xx, xy, xz, yy, yz, zz = _fitted(inverse, own, place, c)
    return _turned(xx, xy, xz, yy, yz, zz, a, b, d)


@njit(cache=True, fastmath=EXACT)
def slope_in(first, last, chunk, out, cells, value, edge, offsets, columns, edge_offsets, edges, centre, edge_line, edge_near,
             inverse, own, place):  # fmt: skip
    """out (C, 3): the same of a scalar in all cells, or in `cells` (n,) where there are any of these."""
    some = len(cells) > 0
    for s in range(first, last):
        c = np.uint32(cells[s]) if some else np.uint32(s)
        out[c, 0], out[c, 1], out[c, 2] = _sloped(
            c, value, edge, offsets, columns, edge_offsets, edges, centre, edge_line, edge_near, inverse, own, place
        )


@njit(cache=True, parallel=True, fastmath=EXACT)
def slope(chunks, *args):
    for b in prange(len(chunks) - 1):
        slope_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT, inline="always")
def _pushed(c, value, edge, slope, offsets, columns, faces, edge_offsets, edges, edge_line, edge_near, weight, askew, skew, area,
            volume, bent, unbent):  # fmt: skip
    """What a pressure does to a cell, over its volume: the sum over faces, so that what one cell feels its neighbour feels
    the other way round. On faces between cells the pressure is interpolated, on boundaries where it is not known carried
    there by its least-squares gradient `slope` (C, 3). `unbent` (n, 3, 3) makes the sum of `bent` cells (C,) exact for a linear pressure."""
    inner = len(weight)
    here, a, b, d = np.float64(value[c]), 0.0, 0.0, 0.0
    g0, g1, g2 = slope[c, 0], slope[c, 1], slope[c, 2]
    for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
        code, n = faces[k], columns[k]
        f = code >> ONE
        w = weight[f] if code & ONE == 0 else 1.0 - weight[f]
        v = 1.0 - w
        step = v * (value[n] - here)
        if askew[f] & SKEWED:
            step += (w * g0 + v * slope[n, 0]) * skew[f, 0]
            step += (w * g1 + v * slope[n, 1]) * skew[f, 1]
            step += (w * g2 + v * slope[n, 2]) * skew[f, 2]
        if code & ONE != 0:
            step = -step
        a += step * area[f, 0]
        b += step * area[f, 1]
        d += step * area[f, 2]
    for k in range(edge_offsets[c], edge_offsets[c + ONE]):
        e = edges[k]
        f = np.uint32(inner + e)
        if edge_near[e] > 0.0:
            step = edge[e] - here
        else:
            step = g0 * edge_line[e, 0] + g1 * edge_line[e, 1] + g2 * edge_line[e, 2]
        a += step * area[f, 0]
        b += step * area[f, 1]
        d += step * area[f, 2]
    v = volume[c]
    a, b, d = a / v, b / v, d / v
    if len(bent) > 0 and bent[c] > 0:
        i = bent[c] - ONE
        a, b, d = (
            unbent[i, 0, 0] * a + unbent[i, 0, 1] * b + unbent[i, 0, 2] * d,
            unbent[i, 1, 0] * a + unbent[i, 1, 1] * b + unbent[i, 1, 2] * d,
            unbent[i, 2, 0] * a + unbent[i, 2, 1] * b + unbent[i, 2, 2] * d,
        )
    return a, b, d


@njit(cache=True, fastmath=EXACT)
def push_in(first, last, chunk, out, value, edge, slope, offsets, columns, faces, edge_offsets, edges, edge_line, edge_near,
            weight, askew, skew, area, volume, bent, unbent):  # fmt: skip
    """out (C, 3): the same for all cells."""
    for s in range(first, last):
        c = np.uint32(s)
        out[c, 0], out[c, 1], out[c, 2] = _pushed(
            c, value, edge, slope, offsets, columns, faces, edge_offsets, edges, edge_line, edge_near, weight, askew, skew,
            area, volume, bent, unbent,
        )  # fmt: skip


@njit(cache=True, parallel=True, fastmath=EXACT)
def push(chunks, *args):
    for b in prange(len(chunks) - 1):
        push_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True)
def spans(offsets, faces, edge_offsets, edges, centre, middle, area, volume, out):
    """out (C, 3, 3): the sum over faces of area times place, over the volume; 1 along z where no face looks that way."""
    inner = len(area) - edge_offsets[-1]
    for c in range(len(volume)):
        total = np.zeros((3, 3))
        for k in range(offsets[c], offsets[c + 1]):
            f = faces[k] >> ONE
            sign = 1.0 if faces[k] & ONE == 0 else -1.0
            for i in range(3):
                for j in range(3):
                    total[i, j] += sign * area[f, i] * (middle[f, j] - centre[c, j])
        for k in range(edge_offsets[c], edge_offsets[c + 1]):
            f = inner + edges[k]
            for i in range(3):
                for j in range(3):
                    total[i, j] += area[f, i] * (middle[f, j] - centre[c, j])
        total /= volume[c]
        if abs(total[2, 2]) < 1e-9:
            total[2, 2] = 1.0
        out[c] = total


@njit(cache=True)
def moments(cells, offsets, columns, edge_offsets, edges, centre, edge_line, edge_near, out):
    """out (n, 6): sums of weight times line by line over the faces of some cells (n,)."""
    out[:] = 0.0
    for i in range(len(cells)):
        c = cells[i]
        for k in range(offsets[c], offsets[c + 1]):
            n = columns[k]
            x, y, z = centre[n, 0] - centre[c, 0], centre[n, 1] - centre[c, 1], centre[n, 2] - centre[c, 2]
            _add_moments(out, i, 1.0 / (x * x + y * y + z * z), x, y, z)
        for k in range(edge_offsets[c], edge_offsets[c + 1]):
            e = edges[k]
            _add_moments(out, i, edge_near[e], edge_line[e, 0], edge_line[e, 1], edge_line[e, 2])


@njit(cache=True, inline="always")
def _add_moments(out, i, w, x, y, z):
    out[i, 0] += w * x * x
    out[i, 1] += w * x * y
    out[i, 2] += w * x * z
    out[i, 3] += w * y * y
    out[i, 4] += w * y * z
    out[i, 5] += w * z * z


@njit(cache=True)
def inverted(moment, out):
    """out (C, 6): inverses of symmetric matrices; gives (C,) where there is none, or where only the plane z has one."""
    weak = np.zeros(len(moment), np.bool_)
    for c in range(len(moment)):
        a, b, d, e, f, g = moment[c, 0], moment[c, 1], moment[c, 2], moment[c, 3], moment[c, 4], moment[c, 5]
        size = a + e + g
        if abs(d) + abs(f) + g <= 1e-9 * size:
            plane = a * e - b * b
            if plane > 1e-9 * size * size:
                out[c, 0], out[c, 1], out[c, 3] = e / plane, -b / plane, a / plane
                out[c, 2], out[c, 4], out[c, 5] = 0.0, 0.0, 0.0
                continue
        one, two, three = e * g - f * f, d * f - b * g, b * f - d * e
        whole = a * one + b * two + d * three
        if not whole > 1e-7 * size**3:
            weak[c] = True
            continue
        out[c, 0], out[c, 1], out[c, 2] = one / whole, two / whole, three / whole
        out[c, 3], out[c, 4], out[c, 5] = (a * g - d * d) / whole, (b * d - a * f) / whole, (a * e - b * b) / whole
    return weak


# -- momentum ---------------------------------------------------------------------------------


@njit(cache=True, fastmath=EXACT, inline="always")
def _second_order(ahead, along, forward, scheme, softness):
    """The step from the upwind value that a face value takes a part of: upwind-biased of third order where the field is
    smooth, limited after van Albada et al. (1982), with `softness` (in units of value²) below which differences count as
    smooth; scheme 2: central."""
    if scheme == 2:
        return ahead
    behind = (2.0 * along if forward else -2.0 * along) - ahead
    a2, b2 = behind * behind + softness, ahead * ahead + softness
    return (2.0 * a2 * ahead + b2 * behind) / (2.0 * a2 + b2)


@njit(cache=True, fastmath=EXACT)
def transfers_in(first, last, chunk, velocity, gradient, flux, viscosity, density, centre, owner, neighbour, weight,
                 stiffness, askew, skew, area, upper_at, lower_at, scheme, softness, transfer, off, entries):  # fmt: skip
    """transfer (inner, 3): momentum over each inner face from its owner to its neighbour; off (inner,): the flux less that
    of the mean velocity; entries (nnz,) of the matrix of upwind convection and diffusion, less value * divergence."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        through, w = flux[f], weight[f]
        mu, rho = w * viscosity[p] + (1.0 - w) * viscosity[n], w * density[p] + (1.0 - w) * density[n]
        link = mu * stiffness[f]
        entries[upper_at[f]] = min(through, 0.0) - link
        entries[lower_at[f]] = -max(through, 0.0) - link
        forward = through >= 0.0
        c = p if forward else n
        fraction = 1.0 - w if forward else w
        kind = askew[f]
        total = 0.0
        x, y, z = centre[n, 0] - centre[p, 0], centre[n, 1] - centre[p, 1], centre[n, 2] - centre[p, 2]
        for k in range(3):
            step = velocity[n, k] - velocity[p, k]
            face = velocity[c, k]
            middle = velocity[n, k] - w * step
            if scheme != 0:
                along = gradient[c, k, 0] * x + gradient[c, k, 1] * y + gradient[c, k, 2] * z
                ahead = step if forward else -step
                face += fraction * _second_order(ahead, along, forward, scheme, softness)
            moved = -link * step
            if kind != 0:
                g0 = w * gradient[p, k, 0] + (1.0 - w) * gradient[n, k, 0]
                g1 = w * gradient[p, k, 1] + (1.0 - w) * gradient[n, k, 1]
                g2 = w * gradient[p, k, 2] + (1.0 - w) * gradient[n, k, 2]
                if kind & SKEWED:
                    middle += g0 * skew[f, 0] + g1 * skew[f, 1] + g2 * skew[f, 2]
                    if scheme != 0:
                        face += (
                            gradient[c, k, 0] * skew[f, 0]
                            + gradient[c, k, 1] * skew[f, 1]
                            + gradient[c, k, 2] * skew[f, 2]
                        )
                if kind & CROSSED:
                    stiff = stiffness[f]
                    moved -= mu * (
                        g0 * (area[f, 0] - stiff * x) + g1 * (area[f, 1] - stiff * y) + g2 * (area[f, 2] - stiff * z)
                    )
            transfer[f, k] = through * face + moved
            total += middle * area[f, k]
        off[f] = through - rho * total


@njit(cache=True, parallel=True, fastmath=EXACT)
def transfers(chunks, *args):
    for b in prange(len(chunks) - 1):
        transfers_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def momentum_in(first, last, chunk, velocity, gradient, pressure_gradient, volume, density, transfer, flux, entries, offsets,
                faces, edge_offsets, edges, edge_held, edge_given, inert, source, alpha, coupling, components, rest, inverse,
                ease, mobility, sums):  # fmt: skip
    """What is left of each momentum equation, rest (C, 3), one over its diagonal with relaxation, inverse (C, 3), and
    how far a cell gives way to pressure: ease (C,) for face fluxes, mobility (C,) for the correction.

    sums (chunks, 3): |rest|, sizes of terms, and how much mass stretches. `inert` (C,) and `source` (C, 3) may be empty.
    """
    left, terms, stretched = 0.0, 0.0, 0.0
    for s in range(first, last):
        c = np.uint32(s)
        t0, t1, t2, out, around = 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            code = faces[k]
            f = code >> ONE
            around -= entries[k]
            if code & ONE == 0:
                t0 += transfer[f, 0]
                t1 += transfer[f, 1]
                t2 += transfer[f, 2]
                out += flux[f]
            else:
                t0 -= transfer[f, 0]
                t1 -= transfer[f, 1]
                t2 -= transfer[f, 2]
                out -= flux[f]
        u0, u1, u2 = velocity[c, 0], velocity[c, 1], velocity[c, 2]
        t0 -= out * u0
        t1 -= out * u1
        t2 -= out * u2
        h0, h1, h2 = around, around, around
        for k in range(edge_offsets[c], edge_offsets[c + ONE]):
            e = edges[k]
            h0 += edge_held[e, 0]
            h1 += edge_held[e, 1]
            h2 += edge_held[e, 2]
            t0 += edge_held[e, 0] * u0 - edge_given[e, 0]
            t1 += edge_held[e, 1] * u1 - edge_given[e, 1]
            t2 += edge_held[e, 2] * u2 - edge_given[e, 2]
        own = min(h0, h1) if components == 2 else min(min(h0, h1), h2)
        lazy = 0.0
        if len(inert) > 0:
            lazy = inert[c]
            t0 += lazy * u0
            t1 += lazy * u1
            t2 += lazy * u2
        if len(source) > 0:
            t0 -= source[c, 0]
            t1 -= source[c, 1]
            t2 -= source[c, 2]
        v = volume[c]
        p0, p1, p2 = -v * pressure_gradient[c, 0], -v * pressure_gradient[c, 1], -v * pressure_gradient[c, 2]
        r0, r1, r2 = p0 - t0, p1 - t1, p2 - t2
        rest[c, 0], rest[c, 1], rest[c, 2] = r0, r1, r2
        inverse[c, 0], inverse[c, 1], inverse[c, 2] = alpha / (h0 + lazy), alpha / (h1 + lazy), alpha / (h2 + lazy)
        ease[c] = v / own
        mobility[c] = v / ((own + lazy) / coupling - around)
        left += np.sqrt(r0 * r0 + r1 * r1 + r2 * r2)
        terms += np.sqrt(t0 * t0 + t1 * t1 + t2 * t2) + np.sqrt(p0 * p0 + p1 * p1 + p2 * p2)
        stretched += density[c] * v * (abs(gradient[c, 0, 0]) + abs(gradient[c, 1, 1]) + abs(gradient[c, 2, 2]))
    sums[chunk, 0], sums[chunk, 1], sums[chunk, 2] = left, terms, stretched


@njit(cache=True, parallel=True, fastmath=EXACT)
def momentum(chunks, *args):
    for b in prange(len(chunks) - 1):
        momentum_in(chunks[b], chunks[b + 1], b, *args)


# -- mass -------------------------------------------------------------------------------------


@njit(cache=True, fastmath=EXACT)
def fluxes_in(first, last, chunk, velocity, gradient, pressure, pressure_gradient, ease, mobility, density, off, late, centre,
              owner, neighbour, weight, stiffness, askew, skew, area, upper_at, lower_at, alpha, per_time, flux, link, entries):  # fmt: skip
    """flux (inner,) after Rhie and Chow, with parts of `off` (inner,) and, in time, of `late` (inner,), else empty; link
    (inner,): how it answers to a step of the pressure correction; entries (nnz,) of the matrix of that."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        w, stiff = weight[f], stiffness[f]
        v = 1.0 - w
        rho = w * density[p] + v * density[n]
        gives = w * ease[p] + v * ease[n]
        gives *= alpha / (1.0 + gives * rho * per_time)
        total, along = 0.0, 0.0
        for k in range(3):
            total += (w * velocity[p, k] + v * velocity[n, k]) * area[f, k]
            along += (w * pressure_gradient[p, k] + v * pressure_gradient[n, k]) * (centre[n, k] - centre[p, k])
        if askew[f] & SKEWED:
            for k in range(3):
                step = 0.0
                for i in range(3):
                    step += (w * gradient[p, k, i] + v * gradient[n, k, i]) * skew[f, i]
                total += step * area[f, k]
        through = rho * (total + gives * stiff * (along - (pressure[n] - pressure[p]))) + (1.0 - alpha) * off[f]
        if len(late) > 0:
            through -= gives * rho * late[f]
        flux[f] = through
        bond = rho * (w * mobility[p] + v * mobility[n]) * stiff
        link[f] = bond
        entries[upper_at[f]] = -bond
        entries[lower_at[f]] = -bond


@njit(cache=True, parallel=True, fastmath=EXACT)
def fluxes(chunks, *args):
    for b in prange(len(chunks) - 1):
        fluxes_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def continuity_in(first, last, chunk, flux, entries, swelling, offsets, faces, edge_offsets, edges, edge_link, rest, diagonal,
                  sums):  # fmt: skip
    """rest (C,): mass that enters each cell without being kept, less `swelling` (C,), which may be empty; diagonal (C,) of
    the matrix of the pressure correction; sums (chunks, 1): |rest|."""
    inner = len(faces) // 2
    left = 0.0
    for s in range(first, last):
        c = np.uint32(s)
        out, around = 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            code = faces[k]
            around -= entries[k]
            out += flux[code >> ONE] if code & ONE == 0 else -flux[code >> ONE]
        for k in range(edge_offsets[c], edge_offsets[c + ONE]):
            out += flux[inner + edges[k]]
            around += edge_link[edges[k]]
        if len(swelling) > 0:
            out += swelling[c]
        rest[c] = -out
        diagonal[c] = around
        left += abs(out)
    sums[chunk, 0] = left


@njit(cache=True, parallel=True, fastmath=EXACT)
def continuity(chunks, *args):
    for b in prange(len(chunks) - 1):
        continuity_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def answer_in(first, last, chunk, correction, link, owner, neighbour, flux):
    """flux (inner,) less what the pressure correction (C,) drives back. In place."""
    for s in range(first, last):
        f = np.uint32(s)
        flux[f] -= link[f] * (correction[neighbour[f]] - correction[owner[f]])


@njit(cache=True, parallel=True, fastmath=EXACT)
def answer(chunks, *args):
    for b in prange(len(chunks) - 1):
        answer_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def corrected_in(first, last, chunk, correction, level, mobility, plain, velocity, pressure, pressure_gradient, sums, edge,
                 slope, offsets, columns, faces, edge_offsets, edges, edge_line, edge_near, weight, askew, skew, area, volume,
                 bent, unbent):  # fmt: skip
    """velocity (C, 3), pressure (C,) and what that does to cells (C, 3) with the pressure correction, of which `slope` is the
    gradient: what counts if it is `plain`. In place. sums (chunks, 1): the largest square of a speed, or nan where one is lost."""
    most, lost = 0.0, False
    for s in range(first, last):
        c = np.uint32(s)
        if plain:
            x, y, z = slope[c, 0], slope[c, 1], slope[c, 2]
        else:
            x, y, z = _pushed(
                c, correction, edge, slope, offsets, columns, faces, edge_offsets, edges, edge_line, edge_near, weight, askew, skew,
                area, volume, bent, unbent,
            )  # fmt: skip
        pressure_gradient[c, 0] += x
        pressure_gradient[c, 1] += y
        pressure_gradient[c, 2] += z
        gives = mobility[c]
        u0, u1, u2 = velocity[c, 0] - gives * x, velocity[c, 1] - gives * y, velocity[c, 2] - gives * z
        velocity[c, 0], velocity[c, 1], velocity[c, 2] = u0, u1, u2
        pressure[c] += correction[c] - level
        square = u0 * u0 + u1 * u1 + u2 * u2
        if not (square < np.inf and abs(pressure[c]) < np.inf):
            lost = True
        elif square > most:
            most = square
    sums[chunk, 0] = np.nan if lost else most


@njit(cache=True, parallel=True, fastmath=EXACT)
def corrected(chunks, *args):
    for b in prange(len(chunks) - 1):
        corrected_in(chunks[b], chunks[b + 1], b, *args)


# -- one value that is carried along ------------------------------------------------------------


@njit(cache=True, fastmath=EXACT)
def carried_in(first, last, chunk, value, gradient, flux, capacity, conductivity, centre, owner, neighbour, weight, stiffness,
               askew, skew, area, upper_at, lower_at, scheme, softness, more, entries):  # fmt: skip
    """entries (nnz,) of the matrix of upwind convection by `flux` (F,) times the capacity (C,) and of diffusion, between
    cells as through two layers in a row, less value * divergence; more (inner,): what second-order and skewed faces carry besides from owner to neighbour."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        through, w = flux[f] * capacity[p], weight[f]
        k = conductivity[p] * conductivity[n] / (w * conductivity[n] + (1.0 - w) * conductivity[p])
        x, y, z = centre[n, 0] - centre[p, 0], centre[n, 1] - centre[p, 1], centre[n, 2] - centre[p, 2]
        link = k * stiffness[f]
        entries[upper_at[f]] = min(through, 0.0) - link
        entries[lower_at[f]] = -max(through, 0.0) - link
        forward = through >= 0.0
        c = p if forward else n
        besides = 0.0
        if scheme != 0:
            along = gradient[c, 0] * x + gradient[c, 1] * y + gradient[c, 2] * z
            ahead = value[n] - value[p] if forward else value[p] - value[n]
            besides = (1.0 - w if forward else w) * _second_order(ahead, along, forward, scheme, softness)
            if askew[f] & SKEWED:
                besides += gradient[c, 0] * skew[f, 0] + gradient[c, 1] * skew[f, 1] + gradient[c, 2] * skew[f, 2]
            besides *= through
        if askew[f] & CROSSED:
            stiff, v = stiffness[f], 1.0 - w
            besides -= k * (
                (w * gradient[p, 0] + v * gradient[n, 0]) * (area[f, 0] - stiff * x)
                + (w * gradient[p, 1] + v * gradient[n, 1]) * (area[f, 1] - stiff * y)
                + (w * gradient[p, 2] + v * gradient[n, 2]) * (area[f, 2] - stiff * z)
            )
        more[f] = besides


@njit(cache=True, parallel=True, fastmath=EXACT)
def carried(chunks, *args):
    for b in prange(len(chunks) - 1):
        carried_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def gathered_in(first, last, chunk, value, more, entries, source, inert, offsets, columns, faces, edge_offsets, edges, edge_held,
                edge_given, diagonal, rest, sums):  # fmt: skip
    """diagonal (C,) and rest (C,): what is left of each equation; sums (chunks,): what neighbours exchange. `inert` (C,)
    may be empty."""
    exchanged = 0.0
    for s in range(first, last):
        c = np.uint32(s)
        here, around, left = value[c], 0.0, source[c]
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            code, entry = faces[k], entries[k]
            around -= entry
            part = entry * (here - value[columns[k]])
            left += part
            exchanged += abs(part)
            left += -more[code >> ONE] if code & ONE == 0 else more[code >> ONE]
        for k in range(edge_offsets[c], edge_offsets[c + ONE]):
            e = edges[k]
            around += edge_held[e]
            left += edge_given[e] - edge_held[e] * here
        if len(inert) > 0:
            around += inert[c]
            left -= inert[c] * here
        diagonal[c] = around
        rest[c] = left
    sums[chunk] = 0.5 * exchanged


@njit(cache=True, parallel=True, fastmath=EXACT)
def gathered(chunks, *args):
    for b in prange(len(chunks) - 1):
        gathered_in(chunks[b], chunks[b + 1], b, *args)


# -- sweeps -----------------------------------------------------------------------------------


@njit(cache=True, fastmath=EXACT)
def first_sweep_in(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """x (n, 3) from nothing by one forward sweep of Gauss and Seidel over a block of rows."""
    for s in range(first, last):
        i = np.uint32(s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        for k in range(np.uint32(offsets[i]), np.uint32(split[i])):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = a0 * inverse[i, 0], a1 * inverse[i, 1], a2 * inverse[i, 2]


@njit(cache=True, parallel=True, fastmath=EXACT)
def first_sweep(chunks, *args):
    for b in prange(len(chunks) - 1):
        first_sweep_in(chunks[b], chunks[b + 1], b, *args)


# What a row waits for, its neighbour of the step before, comes last: all else is then there already.


@njit(cache=True, fastmath=EXACT)
def forward_in(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """One forward sweep over a block of rows; rows of other blocks stand behind x as they were."""
    for s in range(first, last):
        i = np.uint32(s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        middle = np.uint32(split[i])
        for k in range(middle, np.uint32(offsets[i + ONE])):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        for k in range(np.uint32(offsets[i]), middle):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = a0 * inverse[i, 0], a1 * inverse[i, 1], a2 * inverse[i, 2]


@njit(cache=True, parallel=True, fastmath=EXACT)
def forward(chunks, *args):
    for b in prange(len(chunks) - 1):
        forward_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def backward_in(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """The same backward."""
    for s in range(last - first):
        i = np.uint32(last - 1 - s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        middle, end = np.uint32(split[i]), np.uint32(offsets[i + ONE])
        for k in range(np.uint32(offsets[i]), middle):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        for t in range(end - middle):
            k = np.uint32(end - 1 - t)
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = a0 * inverse[i, 0], a1 * inverse[i, 1], a2 * inverse[i, 2]


@njit(cache=True, parallel=True, fastmath=EXACT)
def backward(chunks, *args):
    for b in prange(len(chunks) - 1):
        backward_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def moved_in(first, last, chunk, step, value):
    """value (n, 3) with a step (n, 3). In place."""
    for i in range(first, last):
        for k in range(3):
            value[i, k] += step[i, k]


@njit(cache=True, parallel=True, fastmath=EXACT)
def moved(chunks, *args):
    for b in prange(len(chunks) - 1):
        moved_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def coupled_in(first, last, chunk, offsets, columns, entries, value, out):
    """out (C, 3): the matrix without its diagonal times value (C, 3)."""
    for s in range(first, last):
        c = np.uint32(s)
        a0, a1, a2 = 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            n, e = columns[k], entries[k]
            a0 += e * value[n, 0]
            a1 += e * value[n, 1]
            a2 += e * value[n, 2]
        out[c, 0], out[c, 1], out[c, 2] = a0, a1, a2


@njit(cache=True, parallel=True, fastmath=EXACT)
def coupled(chunks, *args):
    for b in prange(len(chunks) - 1):
        coupled_in(chunks[b], chunks[b + 1], b, *args)
