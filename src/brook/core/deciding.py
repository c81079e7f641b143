"""What to compute next so that readings have bands, or so that it is decided which variants hold and which is best: coarse meshes first, finer ones only where they matter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from brook.core.answer import Standing, best_of, rivals
from brook.core.study.variants import COARSEST, FINEST, IN_SERIES, SERIES_STEP, series_of, size_words

SHARE = 0.1  # of what a reading is not sure by: what iterations may leave open
FAR = 0.05  # of how far a limit is
UNKNOWN = 0.01  # of a value of which nothing else is known


@dataclass(frozen=True)
class Ran:
    """How a case stands on cells coarser by so many steps: `sound`, `busy`, or `failed` for these reasons."""

    coarser: int
    state: str
    message: str = ""


@dataclass(frozen=True)
class CaseNow:
    """A case of a variant with what was run of it."""

    name: str
    variant: str
    runs: tuple[Ran, ...] = ()
    told: bool = True  # all its readings have a band, as far as three meshes can give one

    def state(self, coarser: int) -> str:
        """How it stands on such cells, '' where nothing was run."""
        return next((r.state for r in self.runs if r.coarser == coarser), "")

    @property
    def finest(self) -> int | None:
        """The finest cells with a sound run, None for none."""
        return min((r.coarser for r in self.runs if r.state == "sound"), default=None)

    @property
    def is_busy(self) -> bool:
        """Something of it waits or is under way."""
        return any(r.state == "busy" for r in self.runs)


@dataclass(frozen=True)
class Plan:
    """What to run now, as (case, steps coarser), what would be needed after that cannot be run within what is allowed, and why something was left out."""

    runs: list[tuple[str, int]]
    beyond: list[tuple[str, int]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    @property
    def is_over(self) -> bool:
        """Nothing is left to do."""
        return not self.runs


def for_bands(cases: Sequence[CaseNow], finest: int = 0) -> Plan:
    """Three meshes for each case, coarse ones first; one at a time of a case, as each begins with the last. Where these give some reading no band, one more between the finer two."""
    plan = Plan([])
    for case in cases:
        if not _next_of(case, _series(case, finest), plan) and not case.told:
            _next_of(case, [finest + 1], plan)
    return plan


def _series(case: CaseNow, finest: int) -> list[int]:
    """The meshes of a series for a case, coarse ones first; where some did not do as they are too coarse, such as lie between the others."""
    sizes = series_of(finest)
    failed = [k for k in sizes if k != finest and case.state(k) == "failed"]
    between = [k for k in (finest + 1, finest + 3) if failed and k < min(failed)]
    return sorted({*sizes, *between[: len(failed)]}, reverse=True)


def until_decided(
    cases: Sequence[CaseNow], standings: Sequence[Standing], wishes: list[tuple[str, str]], finest: int = 0
) -> Plan:
    """Three coarse meshes of each case first; then finer ones of those whose verdict is open, down to `finest`."""
    plan = Plan([])
    opened = open_variants(standings, wishes)
    for case in cases:
        if case.is_busy:
            continue
        first = series_of(min(finest + SERIES_STEP, COARSEST - SERIES_STEP * (IN_SERIES - 1)))
        if _next_of(case, _series(case, first[-1]), plan) or case.variant not in opened:
            continue
        down_to = case.finest if case.finest is not None else first[-1]
        finer = list(range(down_to - SERIES_STEP, finest, -SERIES_STEP)) if down_to > finest else []
        if _next_of(case, [*finer, *(k for k in _series(case, finest) if k <= finest + 1)], plan):
            continue
        if down_to - SERIES_STEP >= FINEST:
            plan.beyond.append((case.name, down_to - SERIES_STEP))
    return plan


def _next_of(case: CaseNow, sizes: Sequence[int], plan: Plan) -> bool:
    """Adds the first of these meshes that is not run yet; whether there is something to wait for."""
    if case.is_busy:
        return True
    for coarser in sizes:
        state = case.state(coarser)
        if state == "":
            plan.runs.append((case.name, coarser))
            return True
        if state == "failed":
            message = next(r.message for r in case.runs if r.coarser == coarser)
            note = f"{case.name}: {size_words(coarser) or 'cells as planned'} did not do: {message}"
            if note not in plan.notes:
                plan.notes.append(note)
    return False


def open_variants(standings: Sequence[Standing], wishes: list[tuple[str, str]]) -> set[str]:
    """The variants whose verdict is open: a limit within a band, or no band; and those that cannot be told apart from the best by what is wished for first.
    One that surely fails a limit is decided whatever else is open."""
    found = set()
    for s in standings:
        if s.surely_fails:
            continue
        if not s.values or any(name not in s.halves for name in s.values) or s.undecided:
            found.add(s.variant)
    best = best_of(list(standings), wishes)
    if best is None or not wishes:
        return found
    close = rivals(list(standings), best, wishes[0][0])
    return found | {s.variant for s in (*close, best) if close}


def allowed(value: float, half: float | None, before: float | None, limits: Sequence[float]) -> float:
    """How much of a reading iterations on the next mesh may leave open: a share of what it is not sure by now, that is `half` its band or else what it differs by from
    the mesh `before`; more where all its `limits` are far."""
    unsure = half if half is not None else abs(value - before) if before is not None else UNKNOWN * abs(value) / SHARE
    far = min((abs(value - limit) for limit in limits), default=0.0)
    return max(SHARE * unsure, FAR * far, 1e-9 * abs(value))
