"""The way of particles through a steady flow, one after another, from cell to cell through faces.

(1 + ρ/2ρₚ) dv/dt = (u − v) f/τ + g (1 − ρ/ρₚ) + 3/2 (ρ/ρₚ) (u·∇)u + lift, dx/dt = v, with τ = ρₚ d²/18μ and f = 1 + 0.15 Re^0.687 up to Re = 1000, 0.44 Re/24
beyond (Schiller & Naumann 1935); Maxey & Riley (1983) without the history of the drag. Lift is Saffman's (1965). Over a step the drag is taken as linear, which is exact
for what stays the same in it; u and f are those of its middle. Of turbulence u' = σ w, dw = −w dt/T + ∇σ dt + √(2/T) dW, of which a step has exactly the change and the integral.
"""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, loop
from brook.core.results.space.walking import _turned, _velocity

HOPS = 400  # faces that one step may go through
COURANT = 0.35  # of the time in which a cell is passed, for a step
FAR, SETTLING = (
    0.05,
    0.25,
)  # share of the speed that a particle may be off its end speed by, beyond which steps are so much of its own time
ON_ITS_WAY, LEFT, STUCK, PASSED, HELD = 0, 1, 2, 3, 4  # how a way ends
STICKS, BOUNCES, SAND, PASSES, MIRRORS = 0, 1, 2, 3, 4  # what walls do; what mirrors is none
REBOUNDS = 10.0  # ρₚ d v/9μ of what hits a wall, under which it stays there: Joseph, Zenit, Hunt & Rosenwinkel 2001
MOST_STEPS = 20_000  # of one particle
BLOCKED = 50  # steps in a row that end at a wall after which a way does too
HAIR = 1e-3  # of the way to the middle of its cell by which a particle stands off a wall
CONSTANT, CREEPING = 1000.0, 1e-12  # Reynolds numbers: from where on drag is square, and under which it is Stokes'


@kernel
def drag(reynolds):
    """By how much the drag of a sphere is more than Stokes'."""
    if reynolds < CREEPING:
        return 1.0
    if reynolds < CONSTANT:
        return 1.0 + 0.15 * reynolds**0.687
    return 0.44 * reynolds / 24.0


@kernel
def _uniform(state):
    """The next of a row of numbers and one from it between 0 and 1: xorshift64*, Vigna 2016."""
    state ^= state >> np.uint64(12)
    state ^= state << np.uint64(25)
    state ^= state >> np.uint64(27)
    return state, ((state * np.uint64(2685821657736338717)) >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@kernel
def _normal(state):
    """Two normal numbers: Box & Muller 1958."""
    state, one = _uniform(state)
    state, other = _uniform(state)
    size = np.sqrt(-2.0 * np.log(max(one, 1e-300)))
    return state, size * np.cos(2.0 * np.pi * other), size * np.sin(2.0 * np.pi * other)


@kernel
def _swung(w, drift, dt, time, state):
    """w after a step of dw = −w dt/T + drift dt + √(2/T) dW, its mean over the step, and the row of numbers."""
    e = np.exp(-dt / time)
    spread = 1.0 - e * e
    joint = time * (1.0 - e) * (1.0 - e)
    alone = time * time * (2.0 * dt / time - 3.0 + 4.0 * e - e * e) - joint * joint / spread
    state, one, other = _normal(state)
    after = e * w + np.sqrt(spread) * one + drift * time * (1.0 - e)
    along = time * (1.0 - e) * w + joint / np.sqrt(spread) * one + np.sqrt(max(alone, 0.0)) * other
    return after, along / dt + 0.5 * drift * dt, state


@kernel
def _reached(c, x, y, z, d0, d1, d2, radius, grid):
    """From a place in a cell on by a step: cell and place reached, the boundary face in the way or -1, and which share of the step was left; what is `solid` is met by a
    radius before its face."""
    vector, plane, owner, neighbour = grid[2], grid[3], grid[4], grid[5]
    cell_offsets, cell_faces, solid = grid[6], grid[7], grid[8]
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
            if rate <= 0.0:
                continue
            if f >= inner and solid[f - inner]:
                gap -= radius * np.sqrt(s0 * s0 + s1 * s1 + s2 * s2)
            if gap < nearest * rate:
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


@kernel
def _pulled(c, u0, u1, u2, v0, v1, v2, size, grit, push, lifts, air):
    """How fast a particle takes on the velocity of the fluid in 1/s, and its other accelerations in m/s²."""
    gradient, density, viscosity = air[1], air[2], air[3]
    light = density[c] / grit
    heavy = 1.0 + 0.5 * light
    r0, r1, r2 = u0 - v0, u1 - v1, u2 - v2
    slip = np.sqrt(r0 * r0 + r1 * r1 + r2 * r2)
    rate = 18.0 * viscosity[c] / (grit * size * size) * drag(density[c] * slip * size / viscosity[c]) / heavy
    a0, a1, a2 = _turned(c, 1.5 * light, u0, u1, u2, gradient)
    o0, o1, o2 = push[0] * (1.0 - light) + a0, push[1] * (1.0 - light) + a1, push[2] * (1.0 - light) + a2
    if lifts:
        q0, q1, q2 = (
            gradient[c, 2, 1] - gradient[c, 1, 2],
            gradient[c, 0, 2] - gradient[c, 2, 0],
            gradient[c, 1, 0] - gradient[c, 0, 1],
        )
        spin = np.sqrt(q0 * q0 + q1 * q1 + q2 * q2)
        if spin > 0.0:
            k = 3.084 * np.sqrt(density[c] * viscosity[c] / spin) / (grit * size)
            o0 += k * (r1 * q2 - r2 * q1)
            o1 += k * (r2 * q0 - r0 * q2)
            o2 += k * (r0 * q1 - r1 * q0)
    return rate, o0 / heavy, o1 / heavy, o2 / heavy


@kernel
def worn(model, hardness, speed, angle, size):
    """The volume in m³ that a kilogram of grit takes from a wall, which it hits at a speed in m/s and an angle in rad to it. Model 1 is Finnie's (1960), of a flow stress in
    Pa: v²/8p (sin 2α − 3 sin² α), cos² α/3 from tan α = 1/3 on. Model 2 is that of Oka, Okamura & Yoshida (2005) for sand, of a Vickers hardness in GPa and grains of a size in m."""
    sine = np.sin(angle)
    if model == 1:
        shape = np.sin(2.0 * angle) - 3.0 * sine * sine if np.tan(angle) < 1.0 / 3.0 else np.cos(angle) ** 2 / 3.0
        return speed * speed / (8.0 * hardness) * shape
    if model == 2:
        flat = sine ** (0.71 * hardness**0.14) * (1.0 + hardness * (1.0 - sine)) ** (2.4 * hardness**-0.94)
        upright = 65.0 * hardness**-0.12 * (speed / 104.0) ** (2.3 * hardness**0.038) * (size / 326e-6) ** 0.19
        return 1e-9 * flat * upright
    return 0.0


@kernel
def _bounced(v0, v1, v2, f, vector, action, normal_kept, along_kept):
    """The velocity after a wall was hit, and the angle in rad at which that was. Sand on metal keeps what Grant & Tabakoff (1975) measured."""
    s0, s1, s2 = vector[f, 0], vector[f, 1], vector[f, 2]
    size = np.sqrt(s0 * s0 + s1 * s1 + s2 * s2)
    s0, s1, s2 = s0 / size, s1 / size, s2 / size
    into = v0 * s0 + v1 * s1 + v2 * s2
    t0, t1, t2 = v0 - into * s0, v1 - into * s1, v2 - into * s2
    angle = np.arctan2(abs(into), np.sqrt(t0 * t0 + t1 * t1 + t2 * t2))
    if action == SAND:
        normal_kept = 0.993 - 1.76 * angle + 1.56 * angle**2 - 0.49 * angle**3
        along_kept = 0.988 - 1.66 * angle + 2.11 * angle**2 - 0.67 * angle**3
    into = -normal_kept * into
    return along_kept * t0 + into * s0, along_kept * t1 + into * s1, along_kept * t2 + into * s2, angle


@kernel
def _longest(c, u0, u1, u2, v0, v1, v2, grid):
    """How long a step may be in s for a cell not to be passed too fast by the fluid or the particle, and whether anything goes through it."""
    volume, vector, cell_offsets, cell_faces = grid[1], grid[2], grid[6], grid[7]
    exchange = 0.0
    for e in range(cell_offsets[c], cell_offsets[c + 1]):
        f = cell_faces[e]
        s0, s1, s2 = vector[f, 0], vector[f, 1], vector[f, 2]
        exchange += max(abs(u0 * s0 + u1 * s1 + u2 * s2), abs(v0 * s0 + v1 * s1 + v2 * s2))
    return COURANT * 2.0 * volume[c] / max(exchange, 1e-300), exchange > 0.0


@kernel
def _swung_on(n, c, dt, flat, swing, numbers, air):
    """The mean of what eddies add to the velocity over a step."""
    sigma, slope, time = air[4], air[5], air[6]
    state = numbers[n]
    w0, m0, state = _swung(swing[n, 0], slope[c, 0], dt, time[c], state)
    w1, m1, state = _swung(swing[n, 1], slope[c, 1], dt, time[c], state)
    w2, m2, state = _swung(swing[n, 2], slope[c, 2], dt, time[c], state)
    swing[n, 0], swing[n, 1], swing[n, 2], numbers[n] = w0, w1, w2, state
    return sigma[c] * m0, sigma[c] * m1, 0.0 if flat else sigma[c] * m2


@kernel
def _with_fluid(c, x, y, z, dt, u0, u1, u2, m0, m1, m2, grid, air):
    """The way over a step of what has no mass, and its velocity."""
    h = 0.5 * dt
    p, px, py, pz, face, _ = _reached(c, x, y, z, h * (u0 + m0), h * (u1 + m1), h * (u2 + m2), 0.0, grid)
    if face < 0:
        u0, u1, u2 = _velocity(p, px, py, pz, air[0], air[1], grid[0], 1.0)
    a0, a1, a2 = _turned(p, dt, *_turned(p, dt, u0, u1, u2, air[1]), air[1])
    b0, b1, b2 = u0 + m0, u1 + m1, u2 + m2
    return dt * (b0 + a0 / 6.0), dt * (b1 + a1 / 6.0), dt * (b2 + a2 / 6.0), b0, b1, b2


@kernel
def _with_mass(
    c, x, y, z, dt, u0, u1, u2, v0, v1, v2, m0, m1, m2, rate, o0, o1, o2, size, grit, push, lifts, grid, air
):
    """The way over a step of a grain, the velocity that it goes to and how fast in 1/s: as things are in the middle of the step."""
    h = 0.5 * dt
    e0 = np.exp(-rate * h)
    b0, b1, b2 = u0 + m0 + o0 / rate, u1 + m1 + o1 / rate, u2 + m2 + o2 / rate
    q0, q1, q2 = b0 + (v0 - b0) * e0, b1 + (v1 - b1) * e0, b2 + (v2 - b2) * e0
    g = (1.0 - e0) / rate
    p, px, py, pz, face, _ = _reached(
        c, x, y, z, b0 * h + (v0 - b0) * g, b1 * h + (v1 - b1) * g, b2 * h + (v2 - b2) * g, 0.5 * size, grid
    )
    if face < 0:
        u0, u1, u2 = _velocity(p, px, py, pz, air[0], air[1], grid[0], 1.0)
        rate, o0, o1, o2 = _pulled(p, u0, u1, u2, q0, q1, q2, size, grit, push, lifts, air)
    b0, b1, b2 = u0 + m0 + o0 / rate, u1 + m1 + o1 / rate, u2 + m2 + o2 / rate
    g = -np.expm1(-rate * dt) / rate
    return b0 * dt + (v0 - b0) * g, b1 * dt + (v1 - b1) * g, b2 * dt + (v2 - b2) * g, b0, b1, b2, rate


@kernel
def _settles(rate, o0, o1, o2, u0, u1, u2, v0, v1, v2):
    """Whether a grain is far from the velocity that it goes to."""
    far = (u0 + o0 / rate - v0) ** 2 + (u1 + o1 / rate - v1) ** 2 + (u2 + o2 / rate - v2) ** 2
    return far > FAR * FAR * max(u0 * u0 + u1 * u1 + u2 * u2, v0 * v0 + v1 * v1 + v2 * v2)


@kernel
def _stepped(n, most, state, grit, push, flags, grid, air):
    """One step of a particle, which changes its place, velocity, cell and time; gives the boundary face in its way, -1 for none, and whether it moves at all."""
    has_mass, lifts, swings, flat = flags[0] > 0, flags[1] > 0, flags[2] > 0, flags[4] > 0
    seeds, speeds, cells, passed, swing, numbers, size = (
        state[0],
        state[1],
        state[2],
        state[3],
        state[4],
        state[5],
        state[6],
    )
    c = np.int64(cells[n])
    x, y, z = seeds[n, 0], seeds[n, 1], seeds[n, 2]
    v0, v1, v2 = speeds[n, 0], speeds[n, 1], speeds[n, 2]
    u0, u1, u2 = _velocity(c, x, y, z, air[0], air[1], grid[0], 1.0)
    dt, moves = _longest(c, u0, u1, u2, v0, v1, v2, grid)
    dt = min(dt, most)
    rate, o0, o1, o2 = 0.0, 0.0, 0.0, 0.0
    if has_mass:
        rate, o0, o1, o2 = _pulled(c, u0, u1, u2, v0, v1, v2, size[n], grit, push, lifts, air)
        if not moves or _settles(rate, o0, o1, o2, u0, u1, u2, v0, v1, v2):
            dt = min(dt, SETTLING / rate)
    elif not moves and not swings:
        return -1, False
    m0, m1, m2 = _swung_on(n, c, dt, flat, swing, numbers, air) if swings else (0.0, 0.0, 0.0)
    if has_mass:
        d0, d1, d2, b0, b1, b2, rate = _with_mass(
            c, x, y, z, dt, u0, u1, u2, v0, v1, v2, m0, m1, m2, rate, o0, o1, o2, size[n], grit, push, lifts, grid, air
        )
    else:
        d0, d1, d2, b0, b1, b2 = _with_fluid(c, x, y, z, dt, u0, u1, u2, m0, m1, m2, grid, air)
    c, x, y, z, face, left = _reached(c, x, y, z, d0, d1, d2, 0.5 * size[n] if has_mass else 0.0, grid)
    done = dt * (1.0 - left)
    kept = np.exp(-rate * done) if has_mass else 0.0
    speeds[n, 0], speeds[n, 1], speeds[n, 2] = b0 + (v0 - b0) * kept, b1 + (v1 - b1) * kept, b2 + (v2 - b2) * kept
    cells[n], seeds[n, 0], seeds[n, 1], seeds[n, 2] = c, x, y, z
    passed[n] += done
    return face, True


@kernel
def _met(n, b, face, chunk, blocked, state, grit, push, flags, walls, ends, hits, grid, air):
    """What a wall does to a particle that met it, and that to the wall; gives whether it flies on."""
    has_mass, wears = flags[0] > 0, flags[3]
    seeds, speeds, cells, size, mass = state[0], state[1], state[2], state[6], state[7]
    action, normal_kept, along_kept = walls
    v0, v1, v2 = speeds[n, 0], speeds[n, 1], speeds[n, 2]
    speed = np.sqrt(v0 * v0 + v1 * v1 + v2 * v2)
    r0, r1, r2, angle = _bounced(v0, v1, v2, face, grid[2], action[b], normal_kept[b], along_kept[b])
    if has_mass and blocked == 1 and action[b] != MIRRORS:
        hits[chunk, b, 0] += mass[n]
        hits[chunk, b, 1] += mass[n] * worn(wears, push[3], speed, angle, size[n])
        hits[chunk, b, 2] += 0.5 * mass[n] * speed * speed
    if has_mass and action[b] == STICKS:
        ends[n, 0], ends[n, 1] = STUCK, face
        return False
    if blocked > BLOCKED or (
        action[b] != MIRRORS
        and has_mass
        and grit * size[n] * speed * np.sin(angle) < REBOUNDS * 9.0 * air[3][np.int64(cells[n])]
    ):
        ends[n, 0], ends[n, 1] = HELD, face
        return False
    if has_mass:
        speeds[n, 0], speeds[n, 1], speeds[n, 2] = r0, r1, r2
    for k in range(3):
        seeds[n, k] += HAIR * (grid[0][np.int64(cells[n]), k] - seeds[n, k])
    return True


@kernel
def _gone_on(n, face, row, moves, state, grid):
    """A particle that comes in again at a boundary face after a motion: its place, its velocity and that of the eddies that carry it."""
    seeds, speeds, cells, swing = state[0], state[1], state[2], state[4]
    for vectors in (seeds, speeds, swing):
        a0, a1, a2 = vectors[n, 0], vectors[n, 1], vectors[n, 2]
        for k in range(3):
            vectors[n, k] = moves[row, 3 * k] * a0 + moves[row, 3 * k + 1] * a1 + moves[row, 3 * k + 2] * a2
    c = np.int64(grid[4][face])
    cells[n] = c
    for k in range(3):
        seeds[n, k] += moves[row, 9 + k]
        seeds[n, k] += HAIR * (grid[0][c, k] - seeds[n, k])


@kernel
def _begun(n, swing, numbers):
    """What eddies do to a particle at first."""
    state, one, other = _normal(numbers[n])
    state, third, _ = _normal(state)
    swing[n, 0], swing[n, 1], swing[n, 2], numbers[n] = one, other, third, state


@kernel
def _noted(n, count, seeds, passed, places, times):
    """Keeps where a particle is; how many places are kept then."""
    places[n, count, 0], places[n, count, 1], places[n, count, 2] = seeds[n, 0], seeds[n, 1], seeds[n, 2]
    times[n, count] = passed[n]
    return count + 1


@loop
def flown(first, last, chunk, seeds, speeds, cells, size, mass, numbers, swing, velocity, gradient, density, viscosity, sigma, sigma_slope, eddy_time, centre, volume,
          vector, plane, owner, neighbour, cell_offsets, cell_faces, flux, solid, action, normal_kept, along_kept, onward, motion, motions, grit, push, flags, most_time, stride, places,
          times, counts, passed, ends, hits):  # fmt: skip
    """Each particle (n,) of a `size` in m that stands for a `mass` in kg/s from its place (n, 3) on, of a density `grit`, under an acceleration push[:3]; push[3] is how hard walls
    are. Beyond a boundary face that goes `onward` (B,) to another one a particle goes on there, moved by the row `motion` (B,) of motions (m, 12), a turn and a shift. flags are (has mass, lift, dispersion, wear model, drawing); a wall hit counts in hits (chunks, B, 3): kg/s, m³/s worn, W brought. Every `stride` steps the place is kept while
    there is room in `places`; `passed` (n,) is the time, `ends` (n, 2) how it ended and at which face."""
    inner = len(neighbour)
    air = (velocity, gradient, density, viscosity, sigma, sigma_slope, eddy_time)
    grid = (centre, volume, vector, plane, owner, neighbour, cell_offsets, cell_faces, solid)
    state = (seeds, speeds, cells, passed, swing, numbers, size, mass)
    walls = (action, normal_kept, along_kept)
    kept, longest = places.shape[0], places.shape[1]
    for n in range(first, last):
        count, blocked, steps = 0, 0, 0
        ends[n, 0], ends[n, 1] = ON_ITS_WAY, -1
        _begun(n, swing, numbers)
        while passed[n] < most_time and steps < MOST_STEPS:
            if n < kept and steps % stride == 0 and count < longest - 1:
                count = _noted(n, count, seeds, passed, places, times)
            steps += 1
            face, moves = _stepped(n, most_time - passed[n], state, grit, push, flags, grid, air)
            if not moves:
                ends[n, 0] = HELD
                break
            if face < 0:
                blocked = 0
                continue
            b = face - inner
            if onward[b] >= 0:
                if n < kept and count < longest - 2:
                    count = _noted(n, count, seeds, passed, places, times)
                    places[n, count, 0], times[n, count] = np.nan, passed[n]
                    count += 1
                _gone_on(n, np.int64(onward[b]), motion[b], motions, state, grid)
                continue
            if flux[face] != 0.0 or action[b] == PASSES:
                ends[n, 0], ends[n, 1] = LEFT if flux[face] != 0.0 else PASSED, face
                break
            blocked += 1
            if not _met(n, b, face, chunk, blocked, state, grit, push, flags, walls, ends, hits, grid, air):
                break
        if n < kept:
            counts[n] = _noted(n, count, seeds, passed, places, times)
