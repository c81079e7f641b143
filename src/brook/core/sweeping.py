"""Where a sweep tries its values: on a grid, in samples that fill the space, or where a surrogate of what is known expects the best.

The surrogate is a Gaussian process with Matérn's covariance of order 5/2, its lengths by largest likelihood (Rasmussen & Williams 2006); a search goes where the expected
improvement times the chance of holding every limit is largest (Jones, Schonlau & Welch 1998; Schonlau 1997).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from math import ceil, log2, pi, sqrt

import numpy as np
from scipy.interpolate import RBFInterpolator
from scipy.linalg import cho_solve, cholesky
from scipy.optimize import minimize
from scipy.special import ndtr

from brook.core.study.sweeps import PARTS, Sweep

Place = tuple[int, ...]  # how far each value is on its way, in ten thousandths
FIRST = 4  # samples of a search for each value, and two more, before a surrogate is asked
TRIED = 2048  # places among which a search looks
NUGGET = 1e-8  # of the variance: what readings scatter by at least
SHORTEST, LONGEST = 0.05, 10.0  # lengths of the covariance, in the whole way
ENOUGH = 1e-3  # of the spread of what is known: where nothing better is expected by more, a search is over


def places_of(sweep: Sweep) -> list[Place]:
    """The samples that are known beforehand, in the order in which they are computed: all, or those that a search begins with."""
    across = len(sweep.values)
    if not across:
        return []
    if sweep.way == "grid":
        lines = [np.linspace(0, 1, v.steps) for v in sweep.values]
        return _whole(np.stack([axis.ravel() for axis in np.meshgrid(*lines, indexing="ij")], axis=1))
    if sweep.way == "hypercube":
        from scipy.stats import qmc  # it takes the better part of a second to load, and pages must not wait for it

        return _whole(qmc.LatinHypercube(across, rng=sweep.seed).random(sweep.samples))
    count = sweep.samples if sweep.way == "sobol" else min(sweep.samples, FIRST * across + 2)
    return _whole(sobol(across, count, sweep.seed))


def sobol(across: int, count: int, seed: int) -> np.ndarray:
    """The first samples (count, across) of Sobol's sequence between 0 and 1, scrambled by a seed."""
    from scipy.stats import qmc

    return np.asarray(qmc.Sobol(across, rng=seed).random_base2(max(1, ceil(log2(count)))))[:count]


def _whole(shares: np.ndarray) -> list[Place]:
    return list(dict.fromkeys(tuple(round(float(v) * PARTS) for v in row) for row in shares))


@dataclass(frozen=True)
class Surrogate:
    """A Gaussian process through values (n,) at places (n, d) between 0 and 1."""

    at: np.ndarray
    lengths: np.ndarray
    scatter: float
    mean: float
    size: float
    lower: np.ndarray
    weights: np.ndarray

    @classmethod
    def through(cls, at: np.ndarray, values: np.ndarray) -> Surrogate:
        """With the lengths and the scatter that make the values likeliest."""
        mean, size = float(values.mean()), float(values.std()) or 1.0
        y = (values - mean) / size
        across = at.shape[1]

        def cost(theta: np.ndarray) -> float:
            try:
                lower = _factor(at, np.exp(theta[:across]), float(np.exp(theta[across])))
            except np.linalg.LinAlgError:
                return 1e10
            return float(0.5 * y @ cho_solve((lower, True), y) + np.log(np.diag(lower)).sum())

        bounds = [(np.log(SHORTEST), np.log(LONGEST))] * across + [(np.log(NUGGET), np.log(1e-1))]
        starts = [
            np.array([np.log(length)] * across + [np.log(scatter)])
            for length in (0.2, 0.6, 2.0)
            for scatter in (1e-6, 1e-3)
        ]
        found = min((minimize(cost, s, method="L-BFGS-B", bounds=bounds) for s in starts), key=lambda f: float(f.fun))
        lengths, scatter = np.exp(found.x[:across]), float(np.exp(found.x[across]))
        lower = _factor(at, lengths, scatter)
        return cls(at, lengths, scatter, mean, size, lower, cho_solve((lower, True), y))

    def __call__(self, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Mean and standard deviation (m,) at places (m, d)."""
        across = _covariance(at, self.at, self.lengths)
        kept = cho_solve((self.lower, True), across.T)
        variance = np.maximum(1.0 - np.einsum("ij,ji->i", across, kept), 1e-12)
        return self.mean + self.size * (across @ self.weights), self.size * np.sqrt(variance)


def _covariance(a: np.ndarray, b: np.ndarray, lengths: np.ndarray) -> np.ndarray:
    """(1 + √5 r + 5/3 r²) exp(−√5 r) of distances r in these lengths."""
    r = np.sqrt(5.0) * np.sqrt(np.maximum((((a[:, None, :] - b[None, :, :]) / lengths) ** 2).sum(axis=2), 0.0))
    return np.asarray((1 + r + r * r / 3) * np.exp(-r))


def _factor(at: np.ndarray, lengths: np.ndarray, scatter: float) -> np.ndarray:
    return np.asarray(cholesky(_covariance(at, at, lengths) + scatter * np.eye(len(at)), lower=True))


@dataclass(frozen=True)
class Known:
    """A sample that was computed: the value of its wish, smaller is better, and the margins of its limits, positive where they hold."""

    place: Place
    wish: float
    margins: tuple[float, ...] = field(default_factory=tuple)

    @property
    def holds(self) -> bool:
        """Every limit."""
        return all(m >= 0 for m in self.margins)


def best_known(known: Sequence[Known]) -> Known | None:
    """The best of those that hold every limit; None where none does."""
    return min((k for k in known if k.holds), key=lambda k: k.wish, default=None)


def next_place(sweep: Sweep, known: Sequence[Known], busy: Sequence[Place] = ()) -> Place | None:
    """Where a search goes next: None where it is over, as nothing better is to be expected, or all its samples are computed. Places that are `busy` count as what
    the surrogate expects there."""
    taken = {k.place for k in known} | set(busy)
    first = [p for p in places_of(sweep) if p not in taken]
    if len(taken) >= sweep.samples:
        return None
    if first:
        return first[0]
    if len(known) < 3:
        return None
    at = np.array([k.place for k in known], float) / PARTS
    wish = Surrogate.through(at, np.array([k.wish for k in known]))
    limits = [Surrogate.through(at, np.array(column)) for column in zip(*(k.margins for k in known), strict=True)]
    if busy:
        there = np.array(busy, float) / PARTS
        expected = [Known(p, float(w), tuple(float(limit(there)[0][n]) for limit in limits)) for n, (p, w) in enumerate(zip(busy, wish(there)[0], strict=True))]  # fmt: skip
        return next_place(sweep, [*known, *expected])
    return _promising(sweep, known, wish, limits, taken)


def _promising(
    sweep: Sweep, known: Sequence[Known], wish: Surrogate, limits: list[Surrogate], taken: set[Place]
) -> Place | None:
    """The place where the expected improvement within all limits is largest."""
    best = best_known(known)
    across = len(sweep.values)
    tried = sobol(across, TRIED, sweep.seed + len(known))
    if best is not None:  # and close to the best one
        random = np.random.default_rng(sweep.seed + len(known))
        near = np.array(best.place) / PARTS + random.normal(size=(TRIED // 4, across)) * 0.05
        tried = np.vstack([tried, np.clip(near, 0, 1)])
    mean, spread = wish(tried)
    chance, hope = np.ones(len(tried)), np.full(len(tried), np.inf)
    for limit in limits:
        margin, unsure = limit(tried)
        chance *= ndtr(margin / unsure)
        hope = np.minimum(hope, margin + unsure)
    if best is None:  # first find one that holds: where the worst margin may be largest
        score, least = hope, -np.inf
    else:
        better = (best.wish - mean) / spread
        score = spread * (better * ndtr(better) + np.exp(-(better**2) / 2) / sqrt(2 * pi)) * chance
        least = ENOUGH * max(float(np.ptp([k.wish for k in known])), 1e-300)
    for n in np.argsort(-score):
        place = tuple(round(float(v) * PARTS) for v in tried[n])
        if place not in taken:
            return place if score[n] > least else None
    return None


def response(at: np.ndarray, values: np.ndarray) -> Callable[[np.ndarray], np.ndarray] | None:
    """A smooth surface through values (n,) at places (n, d) between 0 and 1, a spline of thin plates; None for too few of them."""
    if len(at) <= at.shape[1] + 1 or np.linalg.matrix_rank(at - at[0]) < at.shape[1]:
        return None
    return RBFInterpolator(at, values, kernel="thin_plate_spline")


def shares_of_variance(surface: Callable[[np.ndarray], np.ndarray], across: int) -> list[float]:
    """Which value matters: first-order indices of Sobol (Saltelli et al. 2010) of a surface through what is known, one a value."""

    from scipy.stats import sobol_indices, uniform

    def through(x: np.ndarray) -> np.ndarray:
        return surface(np.asarray(x).T)

    with np.errstate(invalid="ignore", divide="ignore"):
        found = sobol_indices(func=through, n=512, dists=[uniform(0, 1)] * across, rng=1)
    return [float(np.clip(v, 0.0, 1.0)) if np.isfinite(v) else 0.0 for v in np.atleast_1d(found.first_order)]
