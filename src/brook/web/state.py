"""How a study stands: its variants, their stages and readings, and what is out of date."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from brook.core.answer import Standing, best_of, folded, runner_up, sentence
from brook.core.checks import Prepared, check, prepare
from brook.core.results import Judgement
from brook.core.results.readings import show_reading, show_swing
from brook.core.stages.keys import Keys, stage_keys
from brook.core.stages.losses import with_losses
from brook.core.stages.readings import course_words, dimension_of_reading, expected_words, judgement_of
from brook.core.study import DocumentError, Problem, Requirement, Study, Variant, point_name, read_study, variant_name
from brook.core.units import DIMENSIONS, Dimension, round_text
from brook.store import Store
from brook.store.tables import RunRow, StudyRow
from brook.web.hub import Hub, LiveRun

# (key, summary) of the newest result by (variant, stage); summaries by key.
Latest = dict[tuple[str, str], tuple[str, dict[str, Any]]]
Known = dict[str, dict[str, Any]]


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


@dataclass(frozen=True)
class StudyState:
    row: StudyRow
    study: Study
    variants: tuple[VariantState, ...]
    problems: list[Problem]

    def variant(self, name: str) -> VariantState:
        """The case of that name, or of a variant its first one. Raises `KeyError`."""
        for state in self.variants:
            if name in (state.variant.name, state.of):
                return state
        raise KeyError(name)

    def cases_of(self, name: str) -> list[VariantState]:
        """The case of that name, or all cases of a variant. Raises `KeyError`."""
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
        jobs = [f"{v.job.id}{v.job.state}" for v in self.variants if v.job is not None]
        return "-".join([str(self.row.changes), *jobs]).replace(" ", "")

    @property
    def _wishes(self) -> list[tuple[str, str]]:
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
            folded(titles[name], name, [cases[v.variant.name] for v in family], [points[v.point] for v in family], self._wishes)
            for name, family in self.families.items()
        ]  # fmt: skip

    def _of_cases(self) -> list[Standing]:
        return [
            Standing(
                v.variant.name, v.variant.title, v.fresh and v.run.summary is not None and not _unsound(v.run.summary),
                {r.requirement.name: (r.value, r.judgement) for r in v.readings if r.value is not None and r.judgement},
                v.fresh and v.run.summary is not None and _unsound(v.run.summary),
            )
            for v in self.variants
        ]  # fmt: skip

    @property
    def best(self) -> Standing | None:
        return best_of(self.standings, self._wishes)

    @property
    def best_word(self) -> str:
        """What the best variant is called: only when all are read is it known to be the best."""
        return "best" if all(s.complete for s in self.standings) else "best so far"

    @property
    def why_best(self) -> str:
        """Why the best variant is: by how much it does better than the next one in what is wished for, or what the others fail on."""
        best = self.best
        if best is None or not self.variants:
            return ""
        next_best = runner_up(self.standings, best, self._wishes)
        if next_best is None:
            failed = {n for s in self.standings if s.variant != best.variant for n in s.failures}
            titles = [r.title.lower() for r in self.study.requirements if r.name in failed]
            return f"the others fail on {', '.join(titles)}" if titles else ""
        for name, _ in self._wishes:
            there = name in best.values and name in next_best.values
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
        if any(v.is_busy for v in self.variants) and not any(s.complete for s in self.standings):
            return "The answer will stand here; the first results are on their way."
        if self.variants and not any(v.prepared.ready or v.run.summary for v in self.variants):
            return "No variant can be run yet; each one says on its pages what it still needs."
        return sentence(self.standings, self.best, {r.name: r.title for r in self.study.requirements})


def _keys_of(job: RunRow) -> Keys | None:
    """The keys a run was queued with, None where its document is of another version and cannot be read any more."""
    try:
        study = read_study(job.document)
        return stage_keys(study, prepare(study, study.variant(job.variant)))
    except (KeyError, DocumentError):
        return None


def _unsound(summary: dict[str, Any]) -> bool:
    return summary["state"] != "converged"


def _swing(run: dict[str, Any] | None, requirement: Requirement, dimension: Dimension) -> str:
    """Mean and swing of a reading in a run that stands without converging, nothing in others."""
    of_run = (run or {}).get("swing")
    if not of_run or requirement.name not in of_run["monitors"]:
        return ""
    mean, half = of_run["monitors"][requirement.name]
    return show_swing(mean, half, dimension, requirement.shown_in)


def _stage(newest: tuple[str, dict[str, Any]] | None, wanted: str | None, known: Known) -> StageState:
    """The result of the wanted key if there ever was one, else the newest, marked as out of date."""
    if wanted is not None and wanted in known:
        return StageState(known[wanted], wanted, True)
    if newest is None:
        return StageState(None, None, False)
    return StageState(newest[1], newest[0], False)


def _mesh_stage(stage: StageState, prepared: Prepared) -> StageState:
    """A mesh with what it lost beyond what the plan allows now in its verdict."""
    return stage if stage.summary is None else replace(stage, summary=with_losses(stage.summary, prepared.plan.losses))


class StateReader:
    """Puts together how a study stands from what the store and the hub know."""

    def __init__(self, store: Store, hub: Hub, learn: Callable[[Study, Variant], None] = lambda study, variant: None):
        self.store, self.hub, self.learn = store, hub, learn

    def state(self, slug: str) -> StudyState:
        """Raises `StoreError` for an unknown study."""
        row = self.store.study_row(slug)
        return self._state(row, read_study(row.document))

    def supposed(self, row: StudyRow, study: Study, name: str) -> tuple[StudyState, VariantState]:
        """How a study would stand with another document, and one of its variants."""
        state = self._state(row, study)
        return state, state.variant(name)

    def _state(self, row: StudyRow, study: Study) -> StudyState:
        for variant in study.cases:
            self.learn(study, variant)
        latest = self.store.latest(row.id)
        jobs = self.store.newest_runs(row.id)
        ready = [prepare(study, variant) for variant in study.cases]
        keys = [stage_keys(study, prepared) for prepared in ready]
        wanted = {key for k in keys if k is not None for key in (k.mesh, k.run, *k.readings.values())}
        known = self.store.results(wanted - {key for key, _ in latest.values()})
        known |= {key: summary for key, summary in latest.values()}
        variants = tuple(
            self._variant_state(
                study.index_of(ready[k].variant),
                study,
                ready[k],
                keys[k],
                latest,
                known,
                jobs.get(ready[k].variant.name),
            )
            for k in range(len(ready))
        )
        return StudyState(row, study, variants, check(study))

    def _variant_state(
        self, index: int, study: Study, prepared: Prepared, keys: Keys | None, latest: Latest, known: Known,
        job: RunRow | None,
    ) -> VariantState:  # fmt: skip
        variant = prepared.variant
        mesh = _mesh_stage(_stage(latest.get((variant.name, "mesh")), keys.mesh if keys else None, known), prepared)
        run = _stage(latest.get((variant.name, "run")), keys.run if keys else None, known)
        readings = tuple(self._reading(r, prepared, keys, variant, latest, known, run) for r in study.requirements)
        live = self.hub.live.get(job.id) if job else None
        kept = job is not None and self.store.files.of_run(job.id).checkpoint.exists()
        kept_keys = _keys_of(job) if kept and job is not None else None
        return VariantState(index, variant, prepared, keys, mesh, run, readings, job, live, kept, kept_keys)

    def _reading(
        self, requirement: Requirement, prepared: Prepared, keys: Keys | None, variant: Variant, latest: Latest,
        known: Known, run: StageState,
    ) -> ReadingState:  # fmt: skip
        wanted = keys.readings.get(requirement.name) if keys else None
        stage = _stage(latest.get((variant.name, f"reading:{requirement.name}")), wanted, known)
        course = course_words(requirement, prepared)
        if stage.summary is None:
            return ReadingState(requirement, "", "", None, None, False, course=course)
        if run.summary is not None and run.summary["state"] == "diverged":
            return ReadingState(requirement, "", "the run diverged", None, None, stage.fresh, stage.key, course)
        value = stage.summary["value"]
        dimension = dimension_of_reading(requirement, prepared)
        if value is None or dimension is None:
            return ReadingState(requirement, "", stage.summary["problem"], None, None, stage.fresh, stage.key, course)
        shown = show_reading(value, dimension, requirement.shown_in)
        asked = not requirement.at or requirement.at == point_name(variant)
        judgement = judgement_of(requirement, prepared, value) if asked else None
        swing = _swing(run.summary, requirement, dimension)
        expected = expected_words(requirement, prepared, value)
        return ReadingState(requirement, shown, "", judgement, value, stage.fresh, stage.key, course, expected, swing)
