"""Compiled loops of growing layers: directions in which points are drawn back, and the cells between."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange

MOST = 12  # sides round a point that are looked at one by one
LOWER, LOWEST = 2.0, 4.0  # how much lower the next cell of a joined column may be, and the one at the wall
ALIKE = 0.94  # normals nearer than this (20°) count as one where a point slides


@kernel
def polygon_normals(points, flat, offsets):
    """Unit normals (n, 3) and areas (n,) of polygons in CSR form."""
    count = len(offsets) - 1
    normal, area = np.zeros((count, 3)), np.zeros(count)
    for f in range(count):
        a, b = offsets[f], offsets[f + 1]
        o = points[flat[a]]
        for k in range(a + 1, b - 1):
            u, v = points[flat[k]] - o, points[flat[k + 1]] - o
            normal[f, 0] += 0.5 * (u[1] * v[2] - u[2] * v[1])
            normal[f, 1] += 0.5 * (u[2] * v[0] - u[0] * v[2])
            normal[f, 2] += 0.5 * (u[0] * v[1] - u[1] * v[0])
        area[f] = np.sqrt((normal[f] ** 2).sum())
        if area[f] > 0:
            normal[f] /= area[f]
    return normal, area


@kernel
def faces_round(flat, offsets, chosen, count):
    """The chosen polygons round each point as CSR: (offsets (count + 1,), polygons)."""
    start = np.zeros(count + 1, np.int64)
    for f in range(len(offsets) - 1):
        if chosen[f]:
            for k in range(offsets[f], offsets[f + 1]):
                start[flat[k] + 1] += 1
    start = np.cumsum(start)
    place, faces = start[:-1].copy(), np.empty(start[-1], np.int64)
    for f in range(len(offsets) - 1):
        if chosen[f]:
            for k in range(offsets[f], offsets[f + 1]):
                faces[place[flat[k]]] = f
                place[flat[k]] += 1
    return start, faces


@kernel
def held(start, faces, normal):
    """For each point an orthonormal set (n, 3, 3) of the normals round it, zeros behind the last: where it must not go."""
    found = np.zeros((len(start) - 1, 3, 3))
    for p in range(len(start) - 1):
        count = 0
        for k in range(start[p], start[p + 1]):
            rest = normal[faces[k]].copy()
            for i in range(count):
                rest -= (rest * found[p, i]).sum() * found[p, i]
            size = np.sqrt((rest**2).sum())
            if size > np.sqrt(1 - ALIKE * ALIKE) and count < 3:
                found[p, count] = rest / size
                count += 1
    return found


@kernel
def _least(d, normals, count):
    least = 2.0
    for i in range(count):
        least = min(least, (d * normals[i]).sum())
    return least


@kernel
def _unit(v):
    return v / (np.sqrt((v**2).sum()) + 1e-300)


@kernel
def _cross(a, b):
    return np.array([a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]])


@kernel(parallel=True)
def directions(points, start, faces, normal, hold):
    """For each of the points the direction inward (n, 3) that leads away from all layered sides round it as fast as
    can be, and how fast from the slowest (n,): the cosine to its normal. `hold` keeps the direction along other sides.

    The best direction is the mean of one, two or three normals (the middle of the smallest cap that holds them all).
    """
    found, seen = np.zeros((len(points), 3)), np.zeros(len(points))
    for n in prange(len(points)):
        normals, flat = np.empty((MOST, 3)), np.empty((MOST, 3))
        p = points[n]
        count = min(MOST, start[p + 1] - start[p])
        mean = np.zeros(3)
        used = 0
        for k in range(count):
            inward = -normal[faces[start[p] + k]]
            normals[k] = inward
            along = inward.copy()
            for i in range(3):
                along -= (along * hold[p, i]).sum() * hold[p, i]
            size = np.sqrt((along**2).sum())
            if size > 0.17:
                flat[used] = along / size
                mean += flat[used]
                used += 1
        if used == 0:
            continue
        best = _unit(mean)
        least = _least(best, flat, used)
        if least < 0.96:
            for i in range(used):
                for j in range(i):
                    d = _unit(flat[i] + flat[j])
                    value = _least(d, flat, used)
                    if value > least + 1e-9:
                        best, least = d, value
            for i in range(used):
                for j in range(i):
                    for k in range(j):
                        d = _unit(_cross(flat[j] - flat[i], flat[k] - flat[i]))
                        if (d * flat[i]).sum() < 0:
                            d = -d
                        value = _least(d, flat, used)
                        if value > least + 1e-9:
                            best, least = d, value
        found[n] = best
        seen[n] = _least(best, normals, count)
    return found, seen


@kernel(inline="always")
def _to_length(x, y, z):
    """The vector at length one; nothing stays nothing."""
    length = np.sqrt(x * x + y * y + z * z)
    over = 1.0 / length if length > 1e-300 else 0.0
    return x * over, y * over, z * over


@kernel(parallel=True)
def evened(found, seen, points, start, faces, normal, hold, link_start, link, rounds):
    """Directions drawn towards those of neighbours as far as no side is lost from sight. In place; links are CSR over
    `points`."""
    for _ in range(rounds):
        before = found.copy()
        for n in prange(len(points)):
            p = points[n]
            if seen[n] <= 0:
                continue
            x, y, z = 0.0, 0.0, 0.0
            for k in range(link_start[n], link_start[n + 1]):
                m = link[k]
                x, y, z = x + before[m, 0], y + before[m, 1], z + before[m, 2]
            x, y, z = _to_length(x, y, z)
            x, y, z = _to_length(x + before[n, 0], y + before[n, 1], z + before[n, 2])
            for i in range(3):
                a, b, c = hold[p, i, 0], hold[p, i, 1], hold[p, i, 2]
                part = x * a + y * b + z * c
                x, y, z = x - part * a, y - part * b, z - part * c
            x, y, z = _to_length(x, y, z)
            least = 2.0
            for k in range(start[p], start[p + 1]):
                f = faces[k]
                least = min(least, -(x * normal[f, 0] + y * normal[f, 1] + z * normal[f, 2]))
            if least >= min(0.98 * seen[n], 0.85):
                found[n, 0], found[n, 1], found[n, 2] = x, y, z
                seen[n] = least


@kernel
def gently(thickness, place, link_start, link, slope):
    """Thicknesses (n,) made to differ by no more than `slope` of the distance between neighbours."""
    changed = True
    rounds = 0
    while changed and rounds < 200:
        changed = False
        rounds += 1
        for n in range(len(thickness)):
            x, y, z = place[n, 0], place[n, 1], place[n, 2]
            for k in range(link_start[n], link_start[n + 1]):
                m = link[k]
                if thickness[n] <= thickness[m]:
                    continue
                away = np.sqrt((x - place[m, 0]) ** 2 + (y - place[m, 1]) ** 2 + (z - place[m, 2]) ** 2)
                most = thickness[m] + slope * away
                if thickness[n] > 1.0001 * most:
                    thickness[n] = most
                    changed = True


@kernel
def joined(thick, target, group, share, own):
    """Which cell of its column each layer belongs to (n, levels), 0 at the wall, and how many cells each column has (n,).

    Columns are thick (n,), m, and of a group (n,) whose layers have these shares (groups, levels) of that and are of these
    cells (groups, levels) where nothing is joined. From the outermost on cells are joined until they are as high as the
    `target` (n,), m, and each next one over 1 / LOWER of the one before; what is left at the wall goes to the last where it
    is under 1 / LOWEST of it. A target of 0 joins nothing.
    """
    levels = share.shape[1]
    part = np.empty((len(thick), levels), np.int16)
    cells = np.empty(len(thick), np.int64)
    for f in range(len(thick)):
        g = group[f]
        count, high, wanted, before = 0, 0.0, target[f], 0.0
        for level in range(levels - 1, -1, -1):
            high += share[g, level] * thick[f]
            part[f, level] = count
            if high >= wanted and (level == 0 or own[g, level - 1] != own[g, level]):
                count += 1
                before = high
                wanted = high / LOWER if target[f] > 0.0 else 0.0
                high = 0.0
        if high > 0.0:
            if count > 0 and high < before / LOWEST:
                for level in range(levels):
                    part[f, level] = min(part[f, level], count - 1)
            else:
                count += 1
        cells[f] = count
        for level in range(levels):
            part[f, level] = count - 1 - part[f, level]
    return part, cells


@kernel
def extruded(flat, offsets, owner, state, number, kept, count, first_cell, part, rim_other, columns):
    """The faces that come with layers of cells over polygons in CSR form that look out of cells `owner`.

    state (n,) of polygons: 2 where layers stand on the whole of it, 1 where only some of its columns have a length (the
    room goes to its cell then), 0 for others. number (points,): the column that begins at a point, -1 none; kept
    (columns,): whether it has a length. part (n, levels): the cell over a polygon that each layer belongs to, counted from
    `first_cell` (n,). A column's point on a level is `count + columns * level + column`, from the
    outermost; on the last level it is the point itself. rim_other (corners,): the polygon over the edge that begins at
    this corner. Gives points, offsets, inner cell, outer cell (-1 none), and of faces of the skin the polygon whose
    region they lie on, of others -1.
    """
    levels = part.shape[1]
    polygons, corners, parts = _counted(offsets, state)
    room = (levels + 1) * polygons + levels * corners + 2 * parts
    points = np.empty((levels + 1) * corners + 4 * levels * corners + (2 * levels + 4) * parts, np.int64)
    starts = np.zeros(room + 1, np.int64)
    inner, outer = np.empty(room, np.int64), np.empty(room, np.int64)
    like = np.full(room, -1, np.int64)
    made, used = 0, 0
    for f in range(len(owner)):
        if state[f] == 0:
            continue
        a, b = offsets[f], offsets[f + 1]
        for level in range(levels + 1 if state[f] == 2 else 1):
            if 0 < level < levels and part[f, level] == part[f, level - 1]:
                continue
            for k in range(a, b):
                points[used] = _at(flat[k], level, number, kept, count, columns, levels)
                used += 1
            outer[made] = first_cell[f] + part[f, level - 1] if level else -1
            inner[made] = first_cell[f] + part[f, level] if state[f] == 2 and level < levels else owner[f]
            if level == 0:
                like[made] = f
            made += 1
            starts[made] = used
        for k in range(a, b):
            p, q = flat[k], flat[k + 1 if k + 1 < b else a]
            one, two = kept[number[p]], kept[number[q]]
            g = rim_other[k]
            if not (one or two) or (state[g] > 0 and g < f):
                continue
            if state[f] == 1 and state[g] == 1 and owner[f] == owner[g]:
                continue
            level = 0
            while level < levels:
                low = _alike(part, f, g, state[f] == 2, state[g] == 2, level, levels)
                used = _side(points, used, p, q, level, low, one, two, number, kept, count, columns, levels)
                inner[made] = first_cell[f] + part[f, level] if state[f] == 2 else owner[f]
                if state[g] == 0:
                    outer[made] = -1
                    like[made] = g
                else:
                    outer[made] = first_cell[g] + part[g, level] if state[g] == 2 else owner[g]
                made += 1
                starts[made] = used
                level = low
    return points[:used], starts[: made + 1], inner[:made], outer[:made], like[:made]


@kernel(inline="always")
def _alike(part, f, g, one, two, level, levels):
    """The level up to which polygons f and g, where layers stand on them, have the same cell each as at `level`."""
    low = level + 1
    while low < levels:
        if one and part[f, low] != part[f, level]:
            break
        if two and part[g, low] != part[g, level]:
            break
        low += 1
    return low


@kernel
def _counted(offsets, state):
    """How many polygons have layers on the whole of them, how many corners these have, and how many those that have some."""
    polygons, corners, parts = 0, 0, 0
    for f in range(len(state)):
        if state[f] == 2:
            polygons += 1
            corners += offsets[f + 1] - offsets[f]
        elif state[f] == 1:
            parts += offsets[f + 1] - offsets[f]
    return polygons, corners, parts


@kernel(inline="always")
def _side(points, used, p, q, level, low, one, two, number, kept, count, columns, levels):
    """Writes the side between the columns at p and q from `low` up to `level` behind the `used` points; gives how many there
    are then. `one` and `two` say which of both columns has a length."""
    points[used] = _at(p, low, number, kept, count, columns, levels)
    points[used + 1] = _at(q, low, number, kept, count, columns, levels)
    used += 2
    if two:
        for m in range(low - 1, level - 1, -1):
            points[used] = _at(q, m, number, kept, count, columns, levels)
            used += 1
    if one:
        for m in range(level, low):
            points[used] = _at(p, m, number, kept, count, columns, levels)
            used += 1
    return used


@kernel(inline="always")
def _at(p, level, number, kept, count, columns, levels):
    if level == levels or not kept[number[p]]:
        return p
    return count + columns * level + number[p]


@kernel(parallel=True)
def kept_and(flat, offsets, stay, more, more_offsets):
    """The polygons that `stay` (n,), and more behind them, as CSR."""
    kept = 0
    for f in range(len(stay)):
        kept += stay[f]
    starts, like = np.empty(kept + len(more_offsets), np.int64), np.empty(kept, np.int64)
    kept, used = 0, 0
    for f in range(len(stay)):
        if stay[f]:
            starts[kept], like[kept] = used, f
            used += offsets[f + 1] - offsets[f]
            kept += 1
    for k in range(len(more_offsets)):
        starts[kept + k] = used + more_offsets[k]
    every = np.empty(used + len(more), np.int64)
    for k in prange(kept):
        begin = offsets[like[k]]
        for j in range(starts[k + 1] - starts[k]):
            every[starts[k] + j] = flat[begin + j]
    for k in prange(len(more)):
        every[used + k] = more[k]
    return every, starts


@kernel
def over_edges(flat, offsets, points):
    """For the edge that begins at each corner of polygons the polygon on its other side, -1 for none. Closed skins."""
    total = len(flat)
    start = np.zeros(points + 1, np.int64)
    face = np.empty(total, np.int64)
    follow = np.empty(total, np.int64)
    for f in range(len(offsets) - 1):
        for k in range(offsets[f], offsets[f + 1]):
            face[k] = f
            follow[k] = flat[k + 1 if k + 1 < offsets[f + 1] else offsets[f]]
            start[flat[k] + 1] += 1
    start = np.cumsum(start)
    place, at = start[:-1].copy(), np.empty(total, np.int64)
    for k in range(total):
        at[place[flat[k]]] = k
        place[flat[k]] += 1
    other = np.full(total, -1, np.int64)
    for k in range(total):
        q = follow[k]
        for m in range(start[q], start[q + 1]):
            if follow[at[m]] == flat[k]:
                other[k] = face[at[m]]
                break
    return other


@kernel
def spread(move, free, link_start, link, hold, holds, sweeps):
    """Each free point takes the mean move of those it is linked to, again and again; where `holds`, along its sides.
    In place; one sweep forward and one backward by turns."""
    for sweep in range(sweeps):
        for n in range(len(free)):
            p = free[n] if sweep % 2 == 0 else free[len(free) - 1 - n]
            x, y, z = 0.0, 0.0, 0.0
            for k in range(link_start[p], link_start[p + 1]):
                q = link[k]
                x += move[q, 0]
                y += move[q, 1]
                z += move[q, 2]
            count = link_start[p + 1] - link_start[p]
            x, y, z = x / count, y / count, z / count
            if holds[n]:
                for i in range(3):
                    along = x * hold[p, i, 0] + y * hold[p, i, 1] + z * hold[p, i, 2]
                    x -= along * hold[p, i, 0]
                    y -= along * hold[p, i, 1]
                    z -= along * hold[p, i, 2]
            move[p, 0], move[p, 1], move[p, 2] = x, y, z
