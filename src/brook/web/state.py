"""How a study stands: its variants, their stages and readings with their bands, and what is out of date."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from brook.core.answer import Standing, best_of, folded, rivals, runner_up, sentence
from brook.core.checks import Prepared
from brook.core.results import Judgement
from brook.core.results.readings import show_reading
from brook.core.stages.certainty import Certainty
from brook.core.stages.keys import Keys
from brook.core.stages.readings import dimension_of_reading
from brook.core.study import (
    Problem,
    Requirement,
    Study,
    Variant,
    point_name,
    sized_case,
    sized_name,
    steps_coarser,
    told_size,
    variant_name,
)
from brook.core.study.sweeps import told_swept
from brook.core.study.variants import size_words
from brook.core.units import DIMENSIONS, round_text
from brook.store.tables import RunRow, StudyRow
from brook.web.hub import LiveRun


@dataclass(frozen=True)
class StageState:
    """The newest result of a stage, and whether it was made from the inputs as they are now."""

    summary: dict[str, Any] | None
    key: str | None
    fresh: bool


@dataclass(frozen=True)
class ReadingState:
    requirement: Requirement
    shown: str
    problem: str
    judgement: Judgement | None
    value: float | None
    fresh: bool
    key: str | None = None
    course: str = ""
    expected: str = ""  # what was, and how far it is off
    swing: str = ""  # mean and swing in a run that stands without converging
    kept: dict[str, Any] = field(default_factory=dict)  # what the store has of it
    sure: Certainty | None = None
    on: str = ""  # on which cells it was read where these are not those of the mesh plan
    made_of: tuple[tuple[str, str], ...] = ()  # the parts of its band in words

    @property
    def half(self) -> float | None:
        """Half the width of its band in SI units, None for none."""
        return self.sure.half if self.sure is not None else None

    @property
    def sure_words(self) -> str:
        """How sure it is, in a sentence."""
        if self.sure is None:
            return ""
        parts = ", ".join(f"{size} of {name}" for name, size in self.made_of)
        return f"{self.sure.words}; {parts}" if parts else self.sure.words

    @property
    def bar(self) -> float | None:
        """Where the reading stands on a bar whose middle is the limit, from 0 to 1."""
        if self.judgement is None or self.judgement.margin is None:
            return None
        return min(1.0, max(0.0, 0.5 - 0.5 * self.judgement.margin))

    @property
    def margin_words(self) -> str:
        if self.judgement is None or self.judgement.margin is None:
            return ""
        share = abs(self.judgement.margin)
        text = self.judgement.apart or (f"{100 * share:.0f} %" if share >= 0.0095 else f"{100 * share:.1f} %")
        return f"{text} {'inside' if self.judgement.margin >= 0 else 'outside'}"


@dataclass(frozen=True)
class VariantState:
    """How one variant stands."""

    index: int
    variant: Variant
    prepared: Prepared
    keys: Keys | None
    mesh: StageState
    run: StageState
    readings: tuple[ReadingState, ...]
    job: RunRow | None
    live: LiveRun | None
    has_checkpoint: bool = False
    kept_keys: Keys | None = None
    series: tuple[VariantState, ...] = ()  # the same on other cells, from the finest on
    read_here: tuple[ReadingState, ...] = ()  # on its own cells, where `readings` are those of a series

    @property
    def own(self) -> tuple[ReadingState, ...]:
        """The readings of its own cells."""
        return self.read_here or self.readings

    @property
    def every_size(self) -> list[VariantState]:
        """This and the same on other cells, from the finest on."""
        return sorted((self, *self.series), key=lambda v: steps_coarser(v.variant))

    @property
    def swings(self) -> bool:
        """Its run stands without converging, and its readings swing about a mean."""
        summary = self.run.summary if self.run.fresh else None
        return summary is not None and summary["state"] == "not converged" and bool(summary.get("swing"))

    @property
    def counts(self) -> bool:
        """Its readings may stand in a series: as they ended, as means about which they swing, or with what is still to come of them."""
        return self.is_sound or self.swings or self.comes_home

    @property
    def comes_home(self) -> bool:
        """Its iterations were over too soon, and it is known what is still to come of its readings."""
        summary = self.run.summary if self.run.fresh else None
        return summary is not None and summary["state"] == "not converged" and bool(summary.get("left"))

    def is_sound_at(self, coarser: int) -> bool:
        """Whether it has a sound run on cells coarser by so many steps."""
        return any(v.counts for v in self.every_size if steps_coarser(v.variant) == coarser)

    @property
    def is_sound(self) -> bool:
        """Its run has converged, or come near enough to what is to be decided, with the inputs as they are now."""
        return self.run.fresh and self.run.summary is not None and self.run.summary["state"] in ("converged", "enough")

    @property
    def size_words(self) -> str:
        """How large its cells are beside those of the mesh plan."""
        return size_words(steps_coarser(self.variant))

    @property
    def stands(self) -> bool:
        """Every reading that is asked for is up to date, if need be on coarser cells, where it has to have a band."""
        if self.fresh and self.is_sound:
            return True
        return bool(self.readings) and all(r.fresh and r.half is not None for r in self.readings)

    @property
    def at_work(self) -> VariantState:
        """This, or the same on other cells, whichever is under way."""
        return next((v for v in self.every_size if v.is_busy), self)

    @property
    def of(self) -> str:
        """The name of the variant that this is a case of, or its own."""
        return variant_name(self.variant)

    @property
    def point(self) -> str:
        """The name of its operating point, '' for none."""
        return point_name(self.variant)

    @property
    def same_mesh(self) -> bool:
        """The newest run was made on the mesh that is wanted now."""
        return self.keys is not None and self.kept_keys is not None and self.keys.mesh == self.kept_keys.mesh

    @property
    def same_settings(self) -> bool:
        return self.keys is not None and self.kept_keys is not None and self.keys.run == self.kept_keys.run

    @property
    def is_paused(self) -> bool:
        return self.job is not None and self.job.state == "paused"

    @property
    def can_go_on(self) -> bool:
        """There is a checkpoint of the newest run, and nothing keeps the variant from running."""
        return self.has_checkpoint and self.can_run

    @property
    def is_busy(self) -> bool:
        return self.job is not None and self.job.state in ("queued", "running")

    @property
    def fresh(self) -> bool:
        return self.run.fresh and all(r.fresh for r in self.readings)

    @property
    def failed(self) -> bool:
        """The last job ended without the result that is wanted now."""
        return self.job is not None and self.job.state in ("failed", "diverged") and not self.is_busy

    @property
    def can_run(self) -> bool:
        return self.prepared.ready and not self.is_busy


def standing_of(v: VariantState) -> Standing:
    """How a case stands by itself."""
    return Standing(
        v.variant.name, v.variant.title, v.stands,
        {r.requirement.name: (r.value, r.judgement) for r in v.readings if r.value is not None and r.judgement},
        v.fresh and v.run.summary is not None and not v.is_sound,
        halves={r.requirement.name: r.half for r in v.readings if r.half is not None},
    )  # fmt: skip


@dataclass(frozen=True)
class StudyState:
    row: StudyRow
    study: Study
    variants: tuple[VariantState, ...]
    problems: list[Problem]
    made: Callable[
        [Sequence[Variant], str], list[VariantState]
    ]  # of other cases, by the sweep that they are of, '' for none
    names_of: Callable[[str], list[str]]  # of all cases of a sweep of which something is known

    def variant(self, name: str) -> VariantState:
        """The case of that name, on the cells that it says, or of a variant its first one. Raises `KeyError`."""
        for state in self.variants:
            if name in (state.variant.name, state.of):
                return state
        base, coarser = told_size(name)
        swept = told_swept(base)
        if not coarser:
            return self.made([self.study.variant(name)], swept[1] if swept else "")[0]
        state = self.variant(base)
        known = next((v for v in state.series if steps_coarser(v.variant) == coarser), None)
        return known or self.made([sized_case(state.variant, coarser)], swept[1] if swept else "")[0]

    def cases_of(self, name: str) -> list[VariantState]:
        """The case of that name, or all cases of a variant, on the cells that it says. Raises `KeyError`."""
        base, coarser = told_size(name)
        if coarser:
            return [self.variant(sized_name(v.variant.name, coarser)) for v in self.cases_of(base)]
        if told_swept(name):
            return [self.variant(name)]
        found = [v for v in self.variants if v.variant.name == name] or [v for v in self.variants if v.of == name]
        if not found:
            raise KeyError(name)
        return found

    @property
    def families(self) -> dict[str, list[VariantState]]:
        """The cases of each variant, by its name."""
        found: dict[str, list[VariantState]] = {}
        for state in self.variants:
            found.setdefault(state.of, []).append(state)
        return found

    @property
    def stamp(self) -> str:
        """Changes whenever a page of this study would look otherwise, progress of runs aside."""
        every = [v for state in self.variants for v in state.every_size]
        jobs = [f"{v.job.id}{v.job.state}" for v in every if v.job is not None]
        return "-".join([str(self.row.changes), *jobs]).replace(" ", "")

    @property
    def wishes(self) -> list[tuple[str, str]]:
        """The requirements that are to be as small or as large as possible, with which of both."""
        return [(r.name, r.limit.kind) for r in self.study.requirements if r.limit.kind in ("smallest", "largest")]

    @cached_property
    def standings(self) -> list[Standing]:
        """Of each variant, over its operating points where there are any."""
        cases = {s.variant: s for s in self._of_cases()}
        if not self.study.points:
            return list(cases.values())
        titles = {v.name: v.title for v in self.study.variants}
        points = {p.name: p.title for p in self.study.points}
        return [
            folded(titles[name], name, [cases[v.variant.name] for v in family], [points[v.point] for v in family], self.wishes)
            for name, family in self.families.items()
        ]  # fmt: skip

    def _of_cases(self) -> list[Standing]:
        return [standing_of(v) for v in self.variants]

    @property
    def best(self) -> Standing | None:
        return best_of(self.standings, self.wishes)

    @property
    def best_word(self) -> str:
        """What the best variant is called: only when all are read, and no other one is as good within its band, is it known to be the best."""
        best, wishes = self.best, self.wishes
        if best is not None and wishes and rivals(self.standings, best, wishes[0][0]):
            return "leads"
        return "best" if all(s.is_decided for s in self.standings) else "best so far"

    @property
    def why_best(self) -> str:
        """Why the best variant is: by how much it does better than the next one in what is wished for, or what the others fail on."""
        best = self.best
        if best is None or not self.variants:
            return ""
        next_best = runner_up(self.standings, best, self.wishes)
        if next_best is None:
            failed = {n for s in self.standings if s.variant != best.variant for n in s.failures}
            titles = [r.title.lower() for r in self.study.requirements if r.name in failed]
            return f"the others fail on {', '.join(titles)}" if titles else ""
        for name, _ in self.wishes:
            there = name in best.values and name in next_best.values
            if there and not best.is_apart(next_best, name):
                title = next(r.title for r in self.study.requirements if r.name == name)
                return f"cannot be told apart from “{next_best.title}”: the bands of {title.lower()} overlap"
            if there and best.values[name][0] != next_best.values[name][0]:
                return self._by(name, best.values[name][0] - next_best.values[name][0], next_best.title)
        margins = [
            min((j.margin for _, j in s.values.values() if j.margin is not None), default=None)
            for s in (best, next_best)
        ]
        if None in margins:
            return ""
        return f"its smallest margin is {100 * margins[0]:.2g} %, that of “{next_best.title}” {100 * margins[1]:.2g} %"  # type: ignore[operator]

    def _by(self, name: str, apart: float, other: str) -> str:
        """In words how far apart two values of a requirement are."""
        requirement = next(r for r in self.study.requirements if r.name == name)
        prepared = next(v.prepared for v in self.variants if self.best is not None and v.of == self.best.variant)
        dimension = dimension_of_reading(requirement, prepared)
        if dimension is None:
            return ""
        size = (
            f"{round_text(abs(apart), 2)} K"
            if dimension == DIMENSIONS["temperature"]
            else show_reading(abs(apart), dimension, requirement.shown_in)
        )
        return f"{requirement.title.lower()} is {size} {'less' if apart < 0 else 'more'} than that of “{other}”, the next best"

    @property
    def answer(self) -> str:
        if any(v.is_busy for v in self.variants) and not any(s.is_decided for s in self.standings):
            return "The answer will stand here; the first results are on their way."
        if self.variants and not any(v.prepared.ready or v.run.summary for v in self.variants):
            return "No variant can be run yet; each one says on its pages what it still needs."
        wish = self.wishes[0][0] if self.wishes else ""
        return sentence(self.standings, self.best, {r.name: r.title for r in self.study.requirements}, wish)
