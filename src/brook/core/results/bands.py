"""How far a reading may be off what it would be on ever finer meshes, from a series of them.

Three sizes, each some twice the next: the order comes of the two steps, as Celik et al. (2008) have it, and the band is Roache's (1998): 1.25 times what Richardson's extrapolation
adds, with an order between 1/2 and 2, or that much of what terms of first and of second order through the three come to, if that is more. Sizes between them that scatter about the curve make it wider. Three that lie closer together have a band twice as wide; four and more
that do, or that swing, the least-squares fits of Eça and Hoekstra (2014). Where steps do not shrink there is no band, and words say so.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import brentq

THEORY = 2.0  # the order of the scheme
SLOW, FAST = 0.5, 2.1  # orders between which a series is trusted
SAFE, UNSURE = 1.25, 3.0  # factors of safety: of a series that is trusted, and of one that is not
CLOSE = 2.0  # times as wide is a band of three meshes that lie close together, whose steps are scatter too
NOISE = 1e-9  # of the size of a value, under which steps say nothing
FEWEST = 3
APART = 1.8  # at least so many times as large is each of three meshes as the next: steps between closer ones are as much scatter as order


@dataclass(frozen=True)
class Band:
    """A value on the finest mesh, half the width of its band (None where there is none), the order seen, what is extrapolated, and words about it."""

    value: float
    half: float | None
    order: float | None
    extrapolated: float | None
    words: str

    @property
    def ends(self) -> tuple[float, float] | None:
        """From where to where the value may lie."""
        return None if self.half is None else (self.value - self.half, self.value + self.half)


def mesh_band(sizes: Sequence[float], values: Sequence[float], noise: float = 0.0) -> Band:
    """The band of a value by a series, sizes of cells from the finest one on, in any unit; steps under `NOISE` of the values, or within the `noise` of what
    iterations leave open, are none."""
    h, v = np.asarray(sizes, float), np.asarray(values, float)
    if len(h) < FEWEST or len(h) != len(v):
        return Band(float(v[0]), None, None, None, f"a band needs {FEWEST} sizes of cells; there are {len(h)}")
    if not np.isfinite(v).all():
        return Band(float(v[0]), None, None, None, "on one of the meshes it has no value")
    none = max(NOISE * float(np.abs(v).max()), noise)
    if float(np.ptp(v)) <= none:
        return Band(float(v[0]), none, None, float(v[0]), "the same on all meshes")
    apart = _apart(h)
    if apart is None:
        return _of_close(h, v) if len(h) == FEWEST else _of_more(h, v)
    band = _of_three(h[apart], v[apart])
    if (
        len(h) > FEWEST and band.half is not None and band.order is None
    ):  # it swings: more meshes tell more of that than their whole spread
        return replace(_of_more(h, v), words=f"{band.words}; fitted")
    band = _with_scatter(band, h, v, apart)
    if band.half is None and len(h) > FEWEST:  # the coarsest may lie beyond where it settles
        close = _of_close(h[:FEWEST], v[:FEWEST])
        if close.half is not None:
            return replace(close, words=f"{close.words}, of the three finest alone")
    return band


def _of_close(h: np.ndarray, v: np.ndarray) -> Band:
    """The same of three meshes that lie closer together than they should, wider for that."""
    band = _of_three(h, v)
    return (
        band
        if band.half is None
        else replace(band, half=CLOSE * band.half, words=f"{band.words}, meshes close together")
    )


def _apart(h: np.ndarray) -> list[int] | None:
    """The finest mesh, the next one well coarser, and the next one well coarser than that; None where there are none."""
    found = [0]
    for k in range(1, len(h)):
        if h[k] >= APART * h[found[-1]] and len(found) < FEWEST:
            found.append(k)
    return found if len(found) == FEWEST else None


def _with_scatter(band: Band, h: np.ndarray, v: np.ndarray, used: list[int]) -> Band:
    """The same band, wider where meshes between those that were used lie off the curve through them; by less, the larger their cells."""
    between = [k for k in range(used[-1]) if k not in used]
    if band.half is None or not between:
        return band
    if band.order is not None:
        one, two = (h[used[:2]] / h[0]) ** band.order
        bend = (v[used[1]] - v[used[0]]) / (two - one)
        line = v[0] + bend * ((h[between] / h[0]) ** band.order - 1)
    else:
        line = np.interp(np.log(h[between]), np.log(h[used]), v[used])
    scatter = float((np.abs(v[between] - line) * h[0] / h[between]).max())
    if scatter <= band.half:
        return band
    return replace(band, half=scatter, words=f"{band.words}; meshes between scatter by more")


def _of_three(h: np.ndarray, v: np.ndarray) -> Band:
    fine, coarse = float(v[1] - v[0]), float(v[2] - v[1])
    value, spread = float(v[0]), float(np.ptp(v))
    if fine * coarse < 0:
        if abs(fine) >= abs(coarse):
            return Band(value, None, None, None, "it swings from mesh to mesh and does not settle; take finer ones")
        return Band(value, max(spread, UNSURE * abs(fine)), None, None, "it swings from mesh to mesh, ever less")
    if fine == 0.0:
        return Band(value, UNSURE * abs(coarse), None, None, "the two finest meshes give the same by chance")
    order = observed_order(h, v)
    if order is None:
        return Band(value, None, None, None, "each finer mesh changes it by more than the one before; take finer ones")
    trusted = min(max(order, SLOW), THEORY)
    added = (value - float(v[1])) / ((h[1] / h[0]) ** trusted - 1.0)
    half = (SAFE if SLOW <= order <= 2 * FAST else UNSURE) * abs(added)
    both = _of_two_orders(h, v)
    half = max(half, SAFE * abs(both))
    if order > FAST:  # faster than the scheme: terms cancel, and may not on the next mesh
        half = max(half, abs(fine))
    words = f"order {order:.2g}" if order >= SLOW else f"order {order:.2g}: it hardly settles"
    return Band(value, half, order, value + added, words)


def _of_two_orders(h: np.ndarray, v: np.ndarray) -> float:
    """By how much the finest value is off the v₀ of v = v₀ + a h + b h² through three sizes: terms of both orders that nearly cancel, or that add up."""
    scaled = h / h[0]
    base = np.linalg.solve(np.column_stack([np.ones(3), scaled, scaled**2]), v)[0]
    return float(v[0] - base)


def observed_order(h: np.ndarray, v: np.ndarray) -> float | None:
    """The p of v = v₀ + a hᵖ through three sizes, None where steps do not shrink as they should."""
    ratio = float((v[2] - v[1]) / (v[1] - v[0]))

    def apart(p: float) -> float:
        return float((h[2] ** p - h[1] ** p) / (h[1] ** p - h[0] ** p) - ratio)

    low, high = 0.02, 12.0
    if apart(low) > 0 or apart(high) < 0:
        return None if apart(low) > 0 else high
    return float(brentq(apart, low, high))


def _of_more(h: np.ndarray, v: np.ndarray) -> Band:
    """Eça & Hoekstra 2014: of the fits that hold, the one with the least spread; each with and without more weight on finer meshes."""
    value = float(v[0])
    spread = float(np.ptp(v)) / (len(v) - 1)
    best: tuple[float, float, float, np.ndarray, str] | None = None
    for weights in (np.full(len(h), 1 / len(h)), (1 / h) / (1 / h).sum()):
        p, _ = _fit_order(h, v, weights)
        powers: list[tuple[float, ...]] = (
            [(p,)] if SLOW <= p <= FAST else [(1.0,), (2.0,)] if p > FAST else [(1.0,), (2.0,), (1.0, 2.0)]
        )
        for used in powers:
            base, line = _fit(h, v, weights, used)
            freedom = max(1, len(h) - 1 - len(used) - (used == (p,)))
            deviation = float(np.sqrt((len(h) * weights * (v - line) ** 2).sum() / freedom))
            if best is None or deviation < best[0]:
                best = (deviation, base, p, line, f"order {p:.2g}" if SLOW <= p <= FAST else "no order of its own")
    assert best is not None
    deviation, base, p, line, words = best
    error = abs(base - value)
    sure = SLOW <= p <= FAST and deviation < spread
    factor = SAFE if sure else UNSURE
    if deviation < spread:
        half = factor * error + deviation + abs(value - float(line[0]))
    else:
        half = UNSURE * deviation / max(spread, 1e-300) * (error + deviation + abs(value - float(line[0])))
    return Band(value, half, p if sure else None, base, words)


def _fit(h: np.ndarray, v: np.ndarray, weights: np.ndarray, powers: tuple[float, ...]) -> tuple[float, np.ndarray]:
    """v₀ of v = v₀ + Σ aₖ hᵏ by weighted least squares, and the fit at the sizes."""
    columns = np.column_stack([np.ones(len(h)), *[(h / h[0]) ** p for p in powers]])
    root = np.sqrt(weights)[:, None]
    found = np.linalg.lstsq(columns * root, v * root[:, 0], rcond=None)[0]
    return float(found[0]), columns @ found


def _fit_order(h: np.ndarray, v: np.ndarray, weights: np.ndarray) -> tuple[float, np.ndarray]:
    """The p with the least squares."""
    tried = np.linspace(0.1, 4.0, 196)
    left = [float((weights * (v - _fit(h, v, weights, (p,))[1]) ** 2).sum()) for p in tried]
    p = float(tried[int(np.argmin(left))])
    return p, _fit(h, v, weights, (p,))[1]
