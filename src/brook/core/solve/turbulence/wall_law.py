"""The law of the wall, at any distance from it: speed, friction and temperature between a wall and the first cell.

y⁺ = Y(u⁺) after Spalding (1961, J. Appl. Mech. 28), inverted; rough walls by a shift of y, after Rotta (1962); the temperature by
the integral of the same law with the turbulent Prandtl number of Kays & Crawford (1993), or after Kader (1981, Int. J. Heat Mass Transfer 24).
"""

from __future__ import annotations

import math

from brook.core.compiling.kernel import kernel
from brook.core.numerics.passes import EXACT

KAPPA, INTERCEPT = 0.41, 5.0
SMALL = 0.3  # κu⁺ under which the rest of the exponential comes from its series
CLOSE, ROUNDS = 1e-12, 60
ROUGHNESS = 0.3  # ΔB = ln(1 + 0.3 k_s⁺)/κ, after Colebrook (1939): between his smooth and his rough pipes, and Nikuradse's (5.5 and 8.5)
TURBULENT_PRANDTL = 0.85
THICK = 10.0  # Prandtl number from which Kader's formula is nearer
CRAWFORD, SERIES = 0.3, 1e-3
STEPS = 24  # of the integral


@kernel(fastmath=EXACT)
def height(u):
    """Y(u) = u + e^(−κB) (e^(κu) − 1 − κu − (κu)²/2 − (κu)³/6) and dY/du, for u⁺."""
    x = KAPPA * u
    factor = math.exp(-KAPPA * INTERCEPT)
    if x < SMALL:
        x3 = x * x * x
        rest = x3 * x / 24 * (1 + x / 5 * (1 + x / 6 * (1 + x / 7 * (1 + x / 8))))
        slope = x3 / 6 * (1 + x / 4 * (1 + x / 5 * (1 + x / 6 * (1 + x / 7))))
    else:
        power = math.exp(x)
        slope = power - 1 - x - 0.5 * x * x
        rest = slope - x * x * x / 6
    return u + factor * rest, 1 + KAPPA * factor * slope


@kernel(fastmath=EXACT)
def speed_at(y):
    """u⁺ at y⁺: Y inverted by Newton steps of the logarithms, which come from above and never turn back."""
    if y <= 0.0:
        return 0.0
    t, goal = math.log(min(y, math.log(1 + y) / KAPPA + INTERCEPT + 2)), math.log(y)
    for _ in range(ROUNDS):
        u = math.exp(t)
        at, slope = height(u)
        step = (math.log(at) - goal) * at / (u * slope)
        t -= step
        if abs(step) < CLOSE:
            break
    return math.exp(t)


@kernel(fastmath=EXACT)
def smooth_speed(reynolds):
    """u⁺ where u⁺ Y(u⁺) = U y/ν, the Reynolds number of a cell at a smooth wall."""
    if reynolds <= 1e-30:
        return math.sqrt(max(reynolds, 0.0))
    t, goal = math.log(min(math.sqrt(reynolds), math.log(1 + reynolds) / KAPPA + INTERCEPT + 2)), math.log(reynolds)
    for _ in range(ROUNDS):
        u = math.exp(t)
        at, slope = height(u)
        step = (t + math.log(at) - goal) / (1 + u * slope / at)
        t -= step
        if abs(step) < CLOSE:
            break
    return math.exp(t)


@kernel(fastmath=EXACT)
def shift_of(grain):
    """Δ⁺ by which a rough wall lies deeper, for a sand grain height k_s⁺: Y(ΔB), ΔB = ln(1 + 0.3 k_s⁺)/κ."""
    return height(math.log(1 + ROUGHNESS * grain) / KAPPA)[0] if grain > 0.0 else 0.0


@kernel(fastmath=EXACT)
def _rough_speed(friction, y, nu, grain):
    shift = shift_of(grain * friction / nu)
    return friction * (speed_at(y * friction / nu + shift) - speed_at(shift))


@kernel(fastmath=EXACT)
def friction_at(speed, y, nu, grain):
    """u_τ in m/s for a speed along the wall at a height y, and Δ⁺: a rough wall, of grains in m, by bisection, since u_τ grows with
    the speed."""
    low = speed / smooth_speed(speed * y / nu) if speed > 0.0 else 0.0
    if grain <= 0.0 or low == 0.0:
        return low, 0.0
    high = 2.0 * low
    while _rough_speed(high, y, nu, grain) < speed:
        low, high = high, 2.0 * high
    for _ in range(ROUNDS):
        middle = 0.5 * (low + high)
        if _rough_speed(middle, y, nu, grain) < speed:
            low = middle
        else:
            high = middle
        if high - low < 1e-10 * high:
            break
    friction = 0.5 * (low + high)
    return friction, shift_of(grain * friction / nu)


@kernel(fastmath=EXACT)
def turbulent_prandtl_at(peclet, far):
    """Pr_t = 1/(1/(2 Pr_∞) + x/√Pr_∞ − x² (1 − e^(−1/(x √Pr_∞)))), x = 0.3 Pe_t: larger where eddies hardly stir, Pe_t = Pr ν_t/ν, than
    the Pr_∞ `far` from walls. Kays & Crawford (1993), Convective Heat and Mass Transfer."""
    x, root = CRAWFORD * peclet, math.sqrt(far)
    if x < 1e-9:
        return 2.0 * far
    z = 1.0 / (x * root)
    if z < SERIES:  # 1 − e^(−z) would lose its digits: x/√Pr − x² (z − z²/2 + z³/6 − z⁴/24)
        return 1.0 / (1.0 / far - z / (6.0 * far) * (1.0 - 0.25 * z))
    return 1.0 / (0.5 / far + x / root - x * x * (1.0 - math.exp(-z)))


@kernel(fastmath=EXACT)
def temperature_at(y, shift, prandtl, far):
    """T⁺ at y⁺ over a wall that lies Δ⁺ deeper: ∫ dy⁺/(1/Pr + (1/g − 1)/Pr_t) with g = dU⁺/dy⁺ and Pr_∞ `far`, up to a Prandtl number of 10; over
    that Kader's formula, which rough walls do not change here."""
    if prandtl > THICK:
        return kader(y, prandtl)
    low, high = speed_at(shift), speed_at(y + shift)
    total, width = 0.0, (high - low) / STEPS
    for k in range(STEPS):
        for side in (-1, 1):  # two points of Gauss in each step
            slope = height(low + width * (k + 0.5 + 0.5 * side / math.sqrt(3.0)))[1]
            total += (
                0.5 * width * slope / (1 / prandtl + (slope - 1) / turbulent_prandtl_at((slope - 1) * prandtl, far))
            )
    return total


@kernel(fastmath=EXACT)
def kader(y, prandtl):
    """T⁺ = Pr y⁺ e^(−Γ) + (2.12 ln(1 + y⁺) + β) e^(−1/Γ), β = (3.85 Pr^⅓ − 1.3)² + 2.12 ln Pr, Γ = 0.01 (Pr y⁺)⁴/(1 + 5 Pr³ y⁺)."""
    if y <= 0.0:
        return 0.0
    beta = (3.85 * prandtl ** (1 / 3) - 1.3) ** 2 + 2.12 * math.log(prandtl)
    gamma = 0.01 * (prandtl * y) ** 4 / (1 + 5 * prandtl**3 * y)
    far = math.exp(-1 / gamma) if gamma > 1e-3 else 0.0
    return prandtl * y * math.exp(-min(gamma, 700.0)) + (2.12 * math.log(1 + y) + beta) * far
