"""Gradients by least squares and by sums over faces, cell by cell, and what they need to know of a mesh."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, loop
from brook.core.numerics.passes.common import EXACT, ONE, SKEWED


@loop(fastmath=EXACT)
def slopes(first, last, chunk, value, boundary, offsets, columns, boundary_offsets, boundary_faces, centre, boundary_line, boundary_weight,
           inverse, own, place, out):  # fmt: skip
    """∇u_P = M_P⁻¹ Σ_f w_f (u_N − u_P) r_f for a vector u (C, 3): least squares with w = 1/|r|², into out (C, 3, 3) as [cell, component,
    direction].

    r leads to the neighbour's centroid, or along `boundary_line` (B, 3) to a boundary face of the value `boundary` (B, 3), which
    weighs `boundary_weight` (B,); M = Σ w r rᵀ, its `inverse` (C, 6), or a cell's `own`. Barth (1991)."""
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
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            e = boundary_faces[k]
            w = boundary_weight[e]
            x, y, z = w * boundary_line[e, 0], w * boundary_line[e, 1], w * boundary_line[e, 2]
            d0, d1, d2 = boundary[e, 0] - u0, boundary[e, 1] - u1, boundary[e, 2] - u2
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


@kernel(fastmath=EXACT, inline="always")
def _turned(xx, xy, xz, yy, yz, zz, a, b, c):
    """A symmetric matrix times a vector."""
    return xx * a + xy * b + xz * c, xy * a + yy * b + yz * c, xz * a + yz * b + zz * c


@kernel(fastmath=EXACT, inline="always")
def _away(centre, c, n):
    """From a cell to another, over the square of the distance."""
    x, y, z = centre[n, 0] - centre[c, 0], centre[n, 1] - centre[c, 1], centre[n, 2] - centre[c, 2]
    near = 1.0 / (x * x + y * y + z * z)
    return near * x, near * y, near * z


@kernel(fastmath=EXACT, inline="always")
def _fitted(inverse, own, place, c):
    """The upper half of the inverse of a cell's moments: its `own` where a boundary of it is not known, told by `place`."""
    if len(place) > 0 and place[c] > 0:
        k = place[c] - ONE
        return own[k, 0], own[k, 1], own[k, 2], own[k, 3], own[k, 4], own[k, 5]
    return inverse[c, 0], inverse[c, 1], inverse[c, 2], inverse[c, 3], inverse[c, 4], inverse[c, 5]


@kernel(fastmath=EXACT, inline="always")
def _sloped(c, value, boundary, offsets, columns, boundary_offsets, boundary_faces, centre, boundary_line, boundary_weight,
            inverse, own, place):  # fmt: skip
    """∇φ of one cell, as `slope` says."""
    here, a, b, d = np.float64(value[c]), 0.0, 0.0, 0.0
    for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
        n = columns[k]
        step = value[n] - here
        x, y, z = _away(centre, c, n)
        a += step * x
        b += step * y
        d += step * z
    for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
        e = boundary_faces[k]
        step = boundary_weight[e] * (boundary[e] - here)
        a += step * boundary_line[e, 0]
        b += step * boundary_line[e, 1]
        d += step * boundary_line[e, 2]
    xx, xy, xz, yy, yz, zz = _fitted(inverse, own, place, c)
    return _turned(xx, xy, xz, yy, yz, zz, a, b, d)


@loop(fastmath=EXACT)
def slope(first, last, chunk, out, cells, value, boundary, offsets, columns, boundary_offsets, boundary_faces, centre, boundary_line, boundary_weight,
          inverse, own, place):  # fmt: skip
    """∇φ_P = M_P⁻¹ Σ_f w_f (φ_N − φ_P) r_f: the same of a scalar, into out (C, 3), in all cells, or in `cells` (n,) where there are any
    of these."""
    some = len(cells) > 0
    for s in range(first, last):
        c = np.uint32(cells[s]) if some else np.uint32(s)
        out[c, 0], out[c, 1], out[c, 2] = _sloped(
            c, value, boundary, offsets, columns, boundary_offsets, boundary_faces, centre, boundary_line, boundary_weight,
            inverse, own, place,
        )  # fmt: skip


@loop(fastmath=EXACT)
def pair_slopes(first, last, chunk, one, two, one_boundary, two_boundary, offsets, columns, boundary_offsets, boundary_faces, centre, boundary_line,
                boundary_weight, inverse, own, place, one_out, two_out):  # fmt: skip
    """∇φ_P = M_P⁻¹ Σ_f w_f (φ_N − φ_P) r_f: the same of two scalars at once, into one_out and two_out (C, 3)."""
    for s in range(first, last):
        c = np.uint32(s)
        here, there = one[c], two[c]
        a0, a1, a2, b0, b1, b2 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            n = columns[k]
            x, y, z = _away(centre, c, n)
            d, e = one[n] - here, two[n] - there
            a0 += d * x
            a1 += d * y
            a2 += d * z
            b0 += e * x
            b1 += e * y
            b2 += e * z
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            f = boundary_faces[k]
            w = boundary_weight[f]
            x, y, z = w * boundary_line[f, 0], w * boundary_line[f, 1], w * boundary_line[f, 2]
            d, e = one_boundary[f] - here, two_boundary[f] - there
            a0 += d * x
            a1 += d * y
            a2 += d * z
            b0 += e * x
            b1 += e * y
            b2 += e * z
        xx, xy, xz, yy, yz, zz = _fitted(inverse, own, place, c)
        one_out[c, 0], one_out[c, 1], one_out[c, 2] = _turned(xx, xy, xz, yy, yz, zz, a0, a1, a2)
        two_out[c, 0], two_out[c, 1], two_out[c, 2] = _turned(xx, xy, xz, yy, yz, zz, b0, b1, b2)


@kernel(fastmath=EXACT)
def bends(
    cells,
    normal,
    offsets,
    columns,
    boundary_offsets,
    boundary_faces,
    centre,
    boundary_line,
    boundary_weight,
    inverse,
    out,
):
    """w_b = h² / (h² − ∇q·r): by what the difference between a step to a boundary face and what the cell's gradient makes of it has to
    be multiplied, and added to that step, for the slope there to be exact where a field is a parabola along `normal` (B, 3).

    q = (n·r)² has the step h² and the slope 2 h² over the line r to the face, and its gradient by least squares is known. Into
    out (B,)."""
    for b in range(len(cells)):
        c = np.uint32(cells[b])
        n0, n1, n2 = normal[b, 0], normal[b, 1], normal[b, 2]
        a0, a1, a2 = 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            n = columns[k]
            x, y, z = centre[n, 0] - centre[c, 0], centre[n, 1] - centre[c, 1], centre[n, 2] - centre[c, 2]
            step = (n0 * x + n1 * y + n2 * z) ** 2 / (x * x + y * y + z * z)
            a0 += step * x
            a1 += step * y
            a2 += step * z
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            e = boundary_faces[k]
            x, y, z = boundary_line[e, 0], boundary_line[e, 1], boundary_line[e, 2]
            step = boundary_weight[e] * (n0 * x + n1 * y + n2 * z) ** 2
            a0 += step * x
            a1 += step * y
            a2 += step * z
        g0, g1, g2 = _turned(
            inverse[c, 0], inverse[c, 1], inverse[c, 2], inverse[c, 3], inverse[c, 4], inverse[c, 5], a0, a1, a2
        )
        x, y, z = boundary_line[b, 0], boundary_line[b, 1], boundary_line[b, 2]
        squared = (n0 * x + n1 * y + n2 * z) ** 2
        less = squared - (g0 * x + g1 * y + g2 * z)
        out[b] = squared / less if less > squared else 1.0


@kernel(fastmath=EXACT, inline="always")
def gauss_in_cell(c, value, boundary, slope, offsets, columns, faces, boundary_offsets, boundary_faces, boundary_line, boundary_weight, weight, face_kind, skew, area,
            volume, bent, unbent):  # fmt: skip
    """(1/V) Σ_f (p_f − p_P) S_f of one cell, after Gauss: what one cell feels of a pressure its neighbour feels the other way round.

    On faces between cells p_f = w p_P + (1 − w) p_N, with the gradient `slope` (C, 3) to the face's centroid; on boundaries where it
    is not known it is carried there by that gradient. `unbent` (n, 3, 3) makes the sum of `bent` cells (C,) exact for a linear pressure."""
    inner = len(weight)
    here, a, b, d = np.float64(value[c]), 0.0, 0.0, 0.0
    g0, g1, g2 = slope[c, 0], slope[c, 1], slope[c, 2]
    for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
        code, n = faces[k], columns[k]
        f = code >> ONE
        w = weight[f] if code & ONE == 0 else 1.0 - weight[f]
        v = 1.0 - w
        step = v * (value[n] - here)
        if face_kind[f] & SKEWED:
            step += (w * g0 + v * slope[n, 0]) * skew[f, 0]
            step += (w * g1 + v * slope[n, 1]) * skew[f, 1]
            step += (w * g2 + v * slope[n, 2]) * skew[f, 2]
        if code & ONE != 0:
            step = -step
        a += step * area[f, 0]
        b += step * area[f, 1]
        d += step * area[f, 2]
    for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
        e = boundary_faces[k]
        f = np.uint32(inner + e)
        if boundary_weight[e] > 0.0:
            step = boundary[e] - here
        else:
            step = g0 * boundary_line[e, 0] + g1 * boundary_line[e, 1] + g2 * boundary_line[e, 2]
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


@loop(fastmath=EXACT)
def gauss_gradient(first, last, chunk, out, value, boundary, slope, offsets, columns, faces, boundary_offsets, boundary_faces, boundary_line, boundary_weight,
         weight, face_kind, skew, area, volume, bent, unbent):  # fmt: skip
    """(1/V) Σ_f (p_f − p_P) S_f: the same of all cells, into out (C, 3)."""
    for s in range(first, last):
        c = np.uint32(s)
        out[c, 0], out[c, 1], out[c, 2] = gauss_in_cell(
            c, value, boundary, slope, offsets, columns, faces, boundary_offsets, boundary_faces, boundary_line, boundary_weight, weight, face_kind, skew,
            area, volume, bent, unbent,
        )  # fmt: skip


@kernel
def spans(offsets, faces, boundary_offsets, boundary_faces, centre, middle, area, volume, out):
    """(1/V) Σ_f S_f (x_f − x_P)ᵀ, into out (C, 3, 3): the unit matrix where faces are flat; 1 along z where no face looks that way."""
    inner = len(area) - boundary_offsets[-1]
    for c in range(len(volume)):
        for i in range(3):
            for j in range(3):
                out[c, i, j] = 0.0
        for k in range(offsets[c], offsets[c + 1]):
            f = faces[k] >> ONE
            sign = 1.0 if faces[k] & ONE == 0 else -1.0
            for i in range(3):
                for j in range(3):
                    out[c, i, j] += sign * area[f, i] * (middle[f, j] - centre[c, j])
        for k in range(boundary_offsets[c], boundary_offsets[c + 1]):
            f = inner + boundary_faces[k]
            for i in range(3):
                for j in range(3):
                    out[c, i, j] += area[f, i] * (middle[f, j] - centre[c, j])
        for i in range(3):
            for j in range(3):
                out[c, i, j] /= volume[c]
        if abs(out[c, 2, 2]) < 1e-9:
            out[c, 2, 2] = 1.0


@kernel
def moments(cells, offsets, columns, boundary_offsets, boundary_faces, centre, boundary_line, boundary_weight, out):
    """M = Σ_f w r rᵀ over the faces of some cells (n,), into out (n, 6), the upper half."""
    out[:] = 0.0
    for i in range(len(cells)):
        c = cells[i]
        for k in range(offsets[c], offsets[c + 1]):
            n = columns[k]
            x, y, z = centre[n, 0] - centre[c, 0], centre[n, 1] - centre[c, 1], centre[n, 2] - centre[c, 2]
            _add_moments(out, i, 1.0 / (x * x + y * y + z * z), x, y, z)
        for k in range(boundary_offsets[c], boundary_offsets[c + 1]):
            e = boundary_faces[k]
            _add_moments(out, i, boundary_weight[e], boundary_line[e, 0], boundary_line[e, 1], boundary_line[e, 2])


@kernel(inline="always")
def _add_moments(out, i, w, x, y, z):
    out[i, 0] += w * x * x
    out[i, 1] += w * x * y
    out[i, 2] += w * x * z
    out[i, 3] += w * y * y
    out[i, 4] += w * y * z
    out[i, 5] += w * z * z


@kernel
def inverted(moment, out):
    """M⁻¹ of symmetric matrices (C, 6), into out (C, 6); gives (C,) where there is none, or where only the plane z has one."""
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


@loop(fastmath=EXACT)
def ends(first, last, chunk, value, found):
    """found (chunks, 2): the least and the largest of values (n,)."""
    least = most = value[first]
    for i in range(first, last):
        least, most = min(least, value[i]), max(most, value[i])
    found[chunk, 0], found[chunk, 1] = least, most
