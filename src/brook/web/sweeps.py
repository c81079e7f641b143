"""How a sweep stands: its samples with their cases, what is computed next, and what is known of its readings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.answer import Standing, folded
from brook.core.formulas import FormulaError, evaluate, parse
from brook.core.results import Judgement
from brook.core.study import Variant, named_scope, sized_name, told_size
from brook.core.study.sweeps import PARTS, Sweep, swept_name, told_swept
from brook.core.study.variants import series_of
from brook.core.sweeping import Known, Place, best_known, next_place, places_of
from brook.core.units import Dimension
from brook.web.state import StudyState, VariantState, standing_of

SIZES = {"planned": [0], "coarse": [2], "bands": series_of(0)}  # cells of samples, coarse ones first, in steps


@dataclass(frozen=True)
class Sample:
    """A place of a sweep with its cases, one at each operating point, and how they stand together."""

    place: Place
    cases: tuple[VariantState, ...]
    standing: Standing
    state: str  # done, busy, failed or '' for one that waits

    @property
    def name(self) -> str:
        """That of its first case."""
        return self.cases[0].variant.name

    @property
    def read(self) -> dict[str, tuple[float, Judgement]]:
        """Its readings at their worst; none before they are known at every operating point."""
        return self.standing.values if self.state == "done" else {}


class Swept:
    """A sweep of a study with everything that is known of it."""

    def __init__(self, state: StudyState, sweep: Sweep, failed: Sequence[str] | None = None):
        self.state, self.sweep = state, sweep
        # the cases that count as failed; where nothing is said, those whose last run did
        self._failed = None if failed is None else set(failed)
        there = any(v.name == sweep.variant for v in state.study.variants)  # it may have been taken out since
        self.bases = [v.variant for v in state.cases_of(sweep.variant)] if there else []

    @cached_property
    def places(self) -> list[Place]:
        """The samples that are there or known beforehand; of a search all that it has asked for."""
        if not self.bases:
            return []
        found = places_of(self.sweep)
        return list(dict.fromkeys([*found, *self._tried])) if self.sweep.way == "search" else found

    @cached_property
    def _tried(self) -> list[Place]:
        """Places of which something is known in the store, as they were asked for."""
        return list(dict.fromkeys(swept[2] for name in self.state.names_of(self.sweep.name) if (swept := told_swept(told_size(name)[0])) and len(swept[2]) == len(self.sweep.values)))  # fmt: skip

    @cached_property
    def samples(self) -> list[Sample]:
        """All of them, in the order in which they are computed."""
        names = [swept_name(base.name, self.sweep.name, place) for place in self.places for base in self.bases]
        made = self.state.made([self.state.study.variant(name) for name in names], self.sweep.name)
        count = len(self.bases)
        return [self._sample(place, made[k * count : (k + 1) * count]) for k, place in enumerate(self.places)]

    def _sample(self, place: Place, cases: list[VariantState]) -> Sample:
        points = {p.name: p.title for p in self.state.study.points}
        finest = SIZES[self.sweep.cells][-1]
        done = [v.is_sound_at(finest) and all(r.fresh for r in v.readings) for v in cases]
        title = cases[0].variant.title
        standings = [standing_of(v) for v in cases]
        standing = folded(
            title, cases[0].variant.name, standings, [points.get(v.point, "") for v in cases], self.state.wishes
        )
        busy = any(v.at_work.is_busy for v in cases)
        failed = any(self._has_failed(one) for v in cases for one in v.every_size)
        return Sample(
            place, tuple(cases), standing, "busy" if busy else "done" if all(done) else "failed" if failed else ""
        )

    def _has_failed(self, v: VariantState) -> bool:
        return not v.is_sound and (v.failed if self._failed is None else v.variant.name in self._failed)

    @property
    def done(self) -> list[Sample]:
        return [s for s in self.samples if s.state == "done"]

    @property
    def wish(self) -> tuple[str, str] | None:
        """The requirement that a search is after and which way, None for none."""
        wishes = self.state.wishes
        return next((w for w in wishes if w[0] == self.sweep.wish), wishes[0] if wishes else None)

    def known(self) -> list[Known]:
        """What a search knows: the value of the wish and margins of limits of each sample that is done."""
        wish = self.wish
        limited = [r.name for r in self.state.study.requirements if r.limit.kind not in ("smallest", "largest")]
        found = []
        for s in self.done:
            values = s.standing.values
            if wish is None or wish[0] not in values or any(n not in values for n in limited):
                continue
            sign = 1 if wish[1] == "smallest" else -1
            found.append(Known(s.place, sign * values[wish[0]][0], tuple(values[n][1].margin or 0.0 for n in limited)))
        return found

    @property
    def best(self) -> Sample | None:
        """The best sample that holds every limit."""
        best = best_known(self.known())
        return next((s for s in self.done if best is not None and s.place == best.place), None)

    def next_runs(self, at_once: int) -> list[tuple[str, int]]:
        """What to run now as (case, steps coarser), so that no more than so many are under way."""
        room = at_once - sum(v.at_work.is_busy for s in self.samples for v in s.cases)
        runs = [run for s in self.samples if s.state in ("", "busy") for run in self._of(s)]
        if not runs and room > 0 and self.sweep.way == "search":
            taken = [s.place for s in self.samples if s.state != "done"]
            place = next_place(self.sweep, self.known(), taken)
            if place is not None:
                return [
                    (swept_name(base.name, self.sweep.name, place), SIZES[self.sweep.cells][0]) for base in self.bases
                ]
        return runs[: max(room, 0)]

    def _of(self, sample: Sample) -> list[tuple[str, int]]:
        """The next mesh of each case of a sample that is not under way."""
        found = []
        for v in sample.cases:
            if v.at_work.is_busy:
                continue
            failed = self._failed or ()
            left = [k for k in SIZES[self.sweep.cells] if not v.is_sound_at(k) and _sized(v, k) not in failed]
            found += [(v.variant.name, left[0])] if left else []
        return found

    def nearest(self, name: str, coarser: int) -> str:
        """The key of the run with whose fields that of a case begins: on coarser cells of its own, or of the nearest sample; '' for none."""
        swept = told_swept(name)
        assert swept is not None
        own = next((v for s in self.samples for v in s.cases if v.variant.name == name), None)
        if own is not None and own.series and (kept := [v for v in own.series if v.is_sound]):
            return str(kept[0].run.key)
        there = [(s, v) for s in self.samples for v in s.cases if v.variant.name.startswith(f"{swept[0]}-in-")]
        there = [(s, one) for s, v in there for one in v.every_size if one.is_sound and one.variant.name == _sized(v, coarser)]  # fmt: skip
        near = min(there, key=lambda f: float(np.linalg.norm(np.subtract(f[0].place, swept[2]))), default=None)
        return str(near[1].run.key) if near is not None else ""

    def value(self, k: int, place: Place) -> tuple[float, Dimension] | None:
        """A swept value at a place in SI units, None where it cannot be told."""
        variant: Variant = self.state.study.variant(swept_name(self.bases[0].name, self.sweep.name, place))
        try:
            found = evaluate(parse(self.sweep.values[k].name), named_scope(self.state.study, variant))
        except FormulaError:
            return None
        return float(found.value), found.dimension

    def shares(self, samples: Sequence[Sample]) -> np.ndarray:
        """Places (n, d) of samples, between 0 and 1."""
        return np.array([s.place for s in samples], float) / PARTS


def _sized(v: VariantState, coarser: int) -> str:
    return sized_name(v.variant.name, coarser)
