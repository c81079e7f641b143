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
STICKS, BOUNCES, SAND, PASSES = 0, 1, 2, 3  # what walls do
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
def _reached(c, x, y, z, d0, d1, d2, radius, vector, plane, owner, neighbour, cell_offsets, cell_faces, flux):
    """From a place in a cell on by a step: cell and place reached, the boundary face in the way or -1, and which share of the step was left; walls are met by a
    radius before their face."""
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
            if f >= inner and flux[f] == 0.0:
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


@loop
def flown(first, last, chunk, seeds, speeds, cells, size, mass, numbers, velocity, gradient, density, viscosity, sigma, sigma_slope, eddy_time, centre, volume, vector,
          plane, owner, neighbour, cell_offsets, cell_faces, flux, action, normal_kept, along_kept, grit, push, flags, most_time, stride, places, times, counts,
          passed, ends, hits):  # fmt: skip
    """Each particle (n,) of a `size` in m that stands for a `mass` in kg/s from its place (n, 3) on, of a density `grit`, under an acceleration `push` (3,). flags are
    (has mass, lift, dispersion, wear model, drawing); a wall hit counts in hits (chunks, B, 3): kg/s, m³/s worn, W brought. Every `stride` steps the place is kept while there is room
    in `places`; `passed` (n,) is the time, `ends` (n, 2) how it ended and at which face."""
    inner = len(neighbour)
    has_mass, lifts, swings, wears, flat = flags[0] > 0, flags[1] > 0, flags[2] > 0, int(flags[3]), flags[4] > 0
    hardness = push[3]
    kept, longest = places.shape[0], places.shape[1]
    for n in range(first, last):
        c = np.int64(cells[n])
        x, y, z, t = seeds[n, 0], seeds[n, 1], seeds[n, 2], 0.0
        v0, v1, v2 = speeds[n, 0], speeds[n, 1], speeds[n, 2]
        radius = 0.5 * size[n] if has_mass else 0.0
        state = numbers[n]
        w0, w1, w2 = 0.0, 0.0, 0.0
        if swings:
            state, w0, w1 = _normal(state)
            state, w2, _ = _normal(state)
        count, blocked, steps = 0, 0, 0
        ends[n, 0], ends[n, 1] = ON_ITS_WAY, -1
        while t < most_time:
            if n < kept and steps % stride == 0 and count < longest - 1:
                places[n, count, 0], places[n, count, 1], places[n, count, 2], times[n, count] = x, y, z, t
                count += 1
            steps += 1
            u0, u1, u2 = _velocity(c, x, y, z, velocity, gradient, centre, 1.0)
            exchange = 0.0
            for e in range(cell_offsets[c], cell_offsets[c + 1]):
                f = cell_faces[e]
                exchange += max(
                    abs(u0 * vector[f, 0] + u1 * vector[f, 1] + u2 * vector[f, 2]),
                    abs(v0 * vector[f, 0] + v1 * vector[f, 1] + v2 * vector[f, 2]),
                )
            dt = min(COURANT * 2.0 * volume[c] / max(exchange, 1e-300), most_time - t)
            rate, o0, o1, o2 = 0.0, 0.0, 0.0, 0.0
            if has_mass:
                rate, o0, o1, o2 = _pulled(
                    c, u0, u1, u2, v0, v1, v2, size[n], grit, density, viscosity, gradient, push, lifts
                )
                far = (u0 + o0 / rate - v0) ** 2 + (u1 + o1 / rate - v1) ** 2 + (u2 + o2 / rate - v2) ** 2
                fast = max(u0 * u0 + u1 * u1 + u2 * u2, v0 * v0 + v1 * v1 + v2 * v2)
                if far > FAR * FAR * fast:
                    dt = min(dt, SETTLING / rate)
            elif u0 * u0 + u1 * u1 + u2 * u2 <= 0.0 and not swings:
                ends[n, 0] = HELD
                break
            if has_mass and exchange <= 0.0:
                dt = min(dt, SETTLING / rate)
            m0, m1, m2 = 0.0, 0.0, 0.0
            if swings:
                w0, m0, state = _swung(w0, sigma_slope[c, 0], dt, eddy_time[c], state)
                w1, m1, state = _swung(w1, sigma_slope[c, 1], dt, eddy_time[c], state)
                w2, m2, state = _swung(w2, sigma_slope[c, 2], dt, eddy_time[c], state)
                m0, m1, m2 = sigma[c] * m0, sigma[c] * m1, 0.0 if flat else sigma[c] * m2
            h = 0.5 * dt
            if has_mass:
                e0 = np.exp(-rate * h)
                b0, b1, b2 = u0 + m0 + o0 / rate, u1 + m1 + o1 / rate, u2 + m2 + o2 / rate
                q0, q1, q2 = b0 + (v0 - b0) * e0, b1 + (v1 - b1) * e0, b2 + (v2 - b2) * e0
                g = (1.0 - e0) / rate
                p, px, py, pz, face, _ = _reached(
                    c, x, y, z, b0 * h + (v0 - b0) * g, b1 * h + (v1 - b1) * g, b2 * h + (v2 - b2) * g, radius, vector, plane, owner, neighbour, cell_offsets, cell_faces, flux,
                )  # fmt: skip
                if face < 0:
                    u0, u1, u2 = _velocity(p, px, py, pz, velocity, gradient, centre, 1.0)
                    rate, o0, o1, o2 = _pulled(
                        p, u0, u1, u2, q0, q1, q2, size[n], grit, density, viscosity, gradient, push, lifts
                    )
                b0, b1, b2 = u0 + m0 + o0 / rate, u1 + m1 + o1 / rate, u2 + m2 + o2 / rate
                g = -np.expm1(-rate * dt) / rate
                d0, d1, d2 = b0 * dt + (v0 - b0) * g, b1 * dt + (v1 - b1) * g, b2 * dt + (v2 - b2) * g
            else:
                p, px, py, pz, face, _ = _reached(
                    c,
                    x,
                    y,
                    z,
                    h * (u0 + m0),
                    h * (u1 + m1),
                    h * (u2 + m2),
                    0.0,
                    vector,
                    plane,
                    owner,
                    neighbour,
                    cell_offsets,
                    cell_faces,
                    flux,
                )
                if face < 0:
                    u0, u1, u2 = _velocity(p, px, py, pz, velocity, gradient, centre, 1.0)
                a0, a1, a2 = _turned(p, dt, *_turned(p, dt, u0, u1, u2, gradient), gradient)
                b0, b1, b2 = u0 + m0, u1 + m1, u2 + m2
                d0, d1, d2 = dt * (b0 + a0 / 6.0), dt * (b1 + a1 / 6.0), dt * (b2 + a2 / 6.0)
            c, x, y, z, face, left = _reached(
                c, x, y, z, d0, d1, d2, radius, vector, plane, owner, neighbour, cell_offsets, cell_faces, flux
            )
            done = dt * (1.0 - left)
            t += done
            if has_mass:
                e0 = np.exp(-rate * done)
                v0, v1, v2 = b0 + (v0 - b0) * e0, b1 + (v1 - b1) * e0, b2 + (v2 - b2) * e0
            else:
                v0, v1, v2 = b0, b1, b2
            if face < 0:
                blocked = 0
                continue
            b = face - inner
            if flux[face] != 0.0 or action[b] == PASSES:
                ends[n, 0], ends[n, 1] = LEFT if flux[face] != 0.0 else PASSED, face
                break
            blocked += 1
            speed = np.sqrt(v0 * v0 + v1 * v1 + v2 * v2)
            r0, r1, r2, angle = _bounced(v0, v1, v2, face, vector, action[b], normal_kept[b], along_kept[b])
            if has_mass and blocked == 1:
                hits[chunk, b, 0] += mass[n]
                hits[chunk, b, 1] += mass[n] * worn(wears, hardness, speed, angle, size[n])
                hits[chunk, b, 2] += 0.5 * mass[n] * speed * speed
            if has_mass and action[b] == STICKS:
                ends[n, 0], ends[n, 1] = STUCK, face
                break
            if blocked > BLOCKED:
                ends[n, 0], ends[n, 1] = HELD, face
                break
            if has_mass:
                v0, v1, v2 = r0, r1, r2
            x += HAIR * (centre[c, 0] - x)
            y += HAIR * (centre[c, 1] - y)
            z += HAIR * (centre[c, 2] - z)
        if n < kept:
            places[n, count, 0], places[n, count, 1], places[n, count, 2], times[n, count] = x, y, z, t
            counts[n] = count + 1
        passed[n] = t
        seeds[n, 0], seeds[n, 1], seeds[n, 2] = x, y, z
        speeds[n, 0], speeds[n, 1], speeds[n, 2] = v0, v1, v2


@kernel
def _pulled(c, u0, u1, u2, v0, v1, v2, size, grit, density, viscosity, gradient, push, lifts):
    """How fast a particle takes on the velocity of the fluid in 1/s, and its other accelerations in m/s²."""
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
