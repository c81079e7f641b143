"""From place to place in a mesh: which cell holds a place, and the way from cell to cell through faces.

A face is taken as the plane through its centroid, x·S = d with its area vector S.
"""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, loop

HOPS = 400  # faces that one step may go through
COURANT = 0.35  # of the time in which the fluid of a cell is exchanged, for a step
LONGEST, LEFT, STILL = 0, 1, 2  # how a line ends
EDGE = 10.0  # times as far counts a place beyond a boundary face as beyond another
BLOCKED = 50  # steps in a row that end at a wall after which a line does too


@kernel
def boxes_in_bins(low, high, origin, step, shape):
    """Cells whose box touches each bin, as offsets (bins + 1,) and cells; bins are counted along x first."""
    counts = np.zeros(shape[0] * shape[1] * shape[2] + 1, np.int64)
    found, at = np.empty(0, np.uint32), counts
    for turn in range(2):
        if turn == 1:
            for b in range(len(counts) - 1):
                counts[b + 1] += counts[b]
            found, at = np.empty(counts[-1], np.uint32), counts[:-1].copy()
        for c in range(len(low)):
            i0, i1 = _bin(low[c, 0], origin[0], step[0], shape[0]), _bin(high[c, 0], origin[0], step[0], shape[0])
            j0, j1 = _bin(low[c, 1], origin[1], step[1], shape[1]), _bin(high[c, 1], origin[1], step[1], shape[1])
            k0, k1 = _bin(low[c, 2], origin[2], step[2], shape[2]), _bin(high[c, 2], origin[2], step[2], shape[2])
            for k in range(k0, k1 + 1):
                for j in range(j0, j1 + 1):
                    for i in range(i0, i1 + 1):
                        b = (k * shape[1] + j) * shape[0] + i
                        if turn == 0:
                            counts[b + 1] += 1
                        else:
                            found[at[b]] = c
                            at[b] += 1
    return counts, found


@kernel(inline="always")
def _bin(place, origin, step, count):
    return min(count - 1, max(0, int((place - origin) / step)))


@loop
def located(first, last, chunk, places, origin, step, shape, bin_offsets, bin_cells, low, high, vector, plane, owner, cell_offsets, cell_faces,
            inner, slack, found):  # fmt: skip
    """The cell (n,) of each place (n, 3), -1 outside of all: the one out of whose faces it lies least, by at most `slack` of the
    longest side of its box, and `EDGE` times less beyond boundaries, which are faces from `inner` on."""
    for n in range(first, last):
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        found[n] = -1
        i, j, k = int((x - origin[0]) / step[0]), int((y - origin[1]) / step[1]), int((z - origin[2]) / step[2])
        if not (x >= origin[0] - step[0] and y >= origin[1] - step[1] and z >= origin[2] - step[2]):
            continue
        if i > shape[0] or j > shape[1] or k > shape[2]:
            continue
        b = (min(shape[2] - 1, max(0, k)) * shape[1] + min(shape[1] - 1, max(0, j))) * shape[0] + min(
            shape[0] - 1, max(0, i)
        )
        least = np.inf
        for m in range(bin_offsets[b], bin_offsets[b + 1]):
            c = bin_cells[m]
            side = max(high[c, 0] - low[c, 0], high[c, 1] - low[c, 1], high[c, 2] - low[c, 2])
            limit = min(least, slack * side)
            out = -np.inf
            for e in range(cell_offsets[c], cell_offsets[c + 1]):
                f = cell_faces[e]
                s0, s1, s2 = vector[f, 0], vector[f, 1], vector[f, 2]
                away = x * s0 + y * s1 + z * s2 - plane[f]
                if owner[f] != c:
                    away = -away
                if away > 0.0:
                    away /= np.sqrt(s0 * s0 + s1 * s1 + s2 * s2)
                    if f >= inner:
                        away *= EDGE
                if away > out:
                    out = away
                    if out > limit:
                        break
            if out <= limit:
                least = out
                found[n] = c
                if out <= 0.0:
                    break


@kernel
def _walked(c, x, y, z, d0, d1, d2, vector, plane, owner, neighbour, cell_offsets, cell_faces):
    """From a place in a cell on by a step, through faces: the cell and the place reached, and the boundary face that was in the way (or
    -1), which share of the step was left then."""
    inner = len(neighbour)
    left = 1.0
    for _ in range(HOPS):
        nearest, through = left, -1
        for e in range(cell_offsets[c], cell_offsets[c + 1]):
            f = cell_faces[e]
            s0, s1, s2 = vector[f, 0], vector[f, 1], vector[f, 2]
            rate = d0 * s0 + d1 * s1 + d2 * s2
            gap = plane[f] - (x * s0 + y * s1 + z * s2)
            if owner[f] != c:
                rate, gap = -rate, -gap
            if rate > 0.0 and gap < nearest * rate:
                nearest, through = max(gap / rate, 0.0), f
        x += nearest * d0
        y += nearest * d1
        z += nearest * d2
        left -= nearest
        if through < 0:
            return c, x, y, z, -1, 0.0
        if through >= inner:
            return c, x, y, z, through, left
        c = neighbour[through] if owner[through] == c else owner[through]
    return c, x, y, z, -1, 0.0


@loop
def traced(first, last, chunk, seeds, cells, sense, velocity, gradient, flux, density, centre, volume, vector, plane, owner, neighbour, cell_offsets,
           cell_faces, still, most_time, places, times, within, counts, ends):  # fmt: skip
    """dx/dt = ± u from each seed (n, 3) in its cell (n,), by the midpoint of steps and Δt³/6 (∇u)² u, u linear in each cell: places (n, longest, 3), the
    time since the seed and the cell of each, how many there are (n,), and (n, 2) how a line ended and at which boundary face."""
    longest = places.shape[1]
    for n in range(first, last):
        c = np.int64(cells[n])
        x, y, z, t = seeds[n, 0], seeds[n, 1], seeds[n, 2], 0.0
        count, blocked, wall = 0, 0, np.int64(-1)
        ends[n, 0], ends[n, 1] = LONGEST, -1
        while count < longest:
            places[n, count, 0], places[n, count, 1], places[n, count, 2] = x, y, z
            times[n, count], within[n, count] = t, c
            count += 1
            if t >= most_time:
                break
            u0, u1, u2 = _along(wall, vector, *_velocity(c, x, y, z, velocity, gradient, centre, sense))
            exchange = 0.0
            for e in range(cell_offsets[c], cell_offsets[c + 1]):
                f = cell_faces[e]
                exchange += abs(u0 * vector[f, 0] + u1 * vector[f, 1] + u2 * vector[f, 2])
            if u0 * u0 + u1 * u1 + u2 * u2 <= still * still or exchange <= 0.0:
                ends[n, 0] = STILL
                break
            dt = min(COURANT * 2.0 * volume[c] / exchange, most_time - t)
            h = 0.5 * dt
            m, mx, my, mz, face, _ = _walked(
                c, x, y, z, h * u0, h * u1, h * u2, vector, plane, owner, neighbour, cell_offsets, cell_faces
            )
            if face < 0:
                u0, u1, u2 = _along(wall, vector, *_velocity(m, mx, my, mz, velocity, gradient, centre, sense))
            a0, a1, a2 = 0.0, 0.0, 0.0
            if wall < 0:
                a0, a1, a2 = _turned(m, dt, *_turned(m, dt, u0, u1, u2, gradient), gradient)
            c, x, y, z, face, left = _walked(
                c, x, y, z, dt * (u0 + a0 / 6.0), dt * (u1 + a1 / 6.0), dt * (u2 + a2 / 6.0), vector, plane, owner, neighbour,
                cell_offsets, cell_faces,
            )  # fmt: skip
            t += dt * (1.0 - left)
            if face < 0:
                blocked, wall = 0, np.int64(-1)
                continue
            wall = np.int64(face)  # which the next step goes along
            if flux[face] != 0.0:
                ends[n, 0], ends[n, 1] = LEFT, face
            blocked += 1
            if flux[face] != 0.0 or blocked > BLOCKED:
                if flux[face] == 0.0:
                    ends[n, 0], ends[n, 1] = STILL, face
                if count < longest:
                    places[n, count, 0], places[n, count, 1], places[n, count, 2] = x, y, z
                    times[n, count], within[n, count] = t, c
                    count += 1
                break
            x += 1e-2 * (centre[c, 0] - x)  # a hair off the wall
            y += 1e-2 * (centre[c, 1] - y)
            z += 1e-2 * (centre[c, 2] - z)
        counts[n] = count


@kernel
def _velocity(c, x, y, z, velocity, gradient, centre, sense):
    """± u at a place, linear in its cell."""
    a, b, d = x - centre[c, 0], y - centre[c, 1], z - centre[c, 2]
    return (
        sense * (velocity[c, 0] + gradient[c, 0, 0] * a + gradient[c, 0, 1] * b + gradient[c, 0, 2] * d),
        sense * (velocity[c, 1] + gradient[c, 1, 0] * a + gradient[c, 1, 1] * b + gradient[c, 1, 2] * d),
        sense * (velocity[c, 2] + gradient[c, 2, 0] * a + gradient[c, 2, 1] * b + gradient[c, 2, 2] * d),
    )


@kernel
def _along(wall, vector, u0, u1, u2):
    """u − (u·n) n of a velocity that goes into a wall, by the number of its face; other velocities as they are."""
    if wall < 0:
        return u0, u1, u2
    s0, s1, s2 = vector[wall, 0], vector[wall, 1], vector[wall, 2]
    into = u0 * s0 + u1 * s1 + u2 * s2
    if into <= 0.0:
        return u0, u1, u2
    into /= s0 * s0 + s1 * s1 + s2 * s2
    return u0 - into * s0, u1 - into * s1, u2 - into * s2


@kernel
def _turned(c, dt, u0, u1, u2, gradient):
    """Δt ∇u u: how a velocity changes along itself in a cell, in a time Δt."""
    return (
        dt * (gradient[c, 0, 0] * u0 + gradient[c, 0, 1] * u1 + gradient[c, 0, 2] * u2),
        dt * (gradient[c, 1, 0] * u0 + gradient[c, 1, 1] * u1 + gradient[c, 1, 2] * u2),
        dt * (gradient[c, 2, 0] * u0 + gradient[c, 2, 1] * u1 + gradient[c, 2, 2] * u2),
    )
