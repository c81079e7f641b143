"""Puts together how a study stands from what the store and the hub know."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from brook.core.checks import Prepared, check, prepare
from brook.core.geometry import shape_cache
from brook.core.results.readings import show_reading, show_swing
from brook.core.stages.certainty import certainty, in_series
from brook.core.stages.keys import Keys, stage_keys
from brook.core.stages.losses import with_losses
from brook.core.stages.readings import course_words, dimension_of_reading, expected_words, judgement_of
from brook.core.study import (
    DocumentError,
    Requirement,
    Study,
    Variant,
    point_name,
    read_study,
    sized_case,
    steps_coarser,
    told_size,
)
from brook.core.study.variants import STEP, size_words
from brook.core.units import Dimension
from brook.store import Store
from brook.store.tables import RunRow, StudyRow
from brook.web.hub import Hub
from brook.web.state import ReadingState, StageState, StudyState, VariantState
from brook.web.turns import Turns

# (key, summary) of the newest result by (variant, stage); summaries by key.
Latest = dict[tuple[str, str], tuple[str, dict[str, Any]]]
Known = dict[str, dict[str, Any]]
MOST, LONGEST = 40, 5.0  # states that are kept, and seconds: programs beside the server may write too


def _keys_of(job: RunRow) -> Keys | None:
    """The keys a run was queued with, None where its document is of another version and cannot be read any more."""
    try:
        study = read_study(job.document)
        return stage_keys(study, prepare(study, study.variant(job.variant)))
    except (KeyError, DocumentError):
        return None


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
    """How studies stand."""

    def __init__(self, store: Store, hub: Hub, learn: Callable[[Study, Variant], None] = lambda study, variant: None):
        self.store, self.hub, self.learn = store, hub, learn
        self._kept: OrderedDict[str, tuple[Any, float, StudyState]] = OrderedDict()  # by address: from what, until when
        self._lock = threading.Lock()
        self._turns = Turns()

    def state(self, slug: str) -> StudyState:
        """Raises `StoreError` for an unknown study."""
        with self._turns.of(slug):  # where many ask at once, one works it out
            return self._known(slug)

    def _known(self, slug: str) -> StudyState:
        row = self.store.study_row(slug)
        live = sorted(number for number, run in list(self.hub.live.items()) if run.study_id == row.id)
        made_from = row.id, row.changes, self.store.written, shape_cache.count(), live
        with self._lock:
            kept = self._kept.get(slug)
        if kept is not None and kept[0] == made_from and time.monotonic() < kept[1]:
            return kept[2]
        state = self._state(row, read_study(row.document))
        with self._lock:
            self._kept[slug] = made_from, time.monotonic() + LONGEST, state
            self._kept.move_to_end(slug)
            while len(self._kept) > MOST:
                self._kept.popitem(last=False)
        return state

    def supposed(self, row: StudyRow, study: Study, name: str) -> tuple[StudyState, VariantState]:
        """How a study would stand with another document, and one of its variants."""
        state = self._state(row, study)
        return state, state.variant(name)

    def _state(self, row: StudyRow, study: Study) -> StudyState:
        def made(variants: Sequence[Variant], sweep: str) -> list[VariantState]:
            return self._cases(row, study, variants, sweep)

        def names(sweep: str) -> list[str]:
            return list(
                dict.fromkeys(
                    [*self.store.newest_runs(row.id, sweep), *(n for n, _ in self.store.latest(row.id, sweep))]
                )
            )

        return StudyState(row, study, tuple(made(study.cases, "")), check(study), made, names)

    def _cases(self, row: StudyRow, study: Study, variants: Sequence[Variant], sweep: str) -> list[VariantState]:
        """How these cases stand, with those on other cells of which something is known."""
        for variant in variants:
            self.learn(study, variant)
        latest = self.store.latest(row.id, sweep)
        jobs = self.store.newest_runs(row.id, sweep)
        cases = {v.name: v for v in variants}
        sized = {told_size(name) for name in {*(name for name, _ in latest), *jobs}}
        others = [sized_case(cases[base], coarser) for base, coarser in sorted(sized) if coarser and base in cases]
        every = {v.name: prepare(study, v) for v in (*variants, *others)}
        keys = {name: stage_keys(study, prepared) for name, prepared in every.items()}
        wanted = {key for k in keys.values() if k is not None for key in (k.mesh, k.run, *k.readings.values())}
        known = self.store.results(wanted - {key for key, _ in latest.values()})
        known |= {key: summary for key, summary in latest.values()}
        states = {
            name: self._variant_state(study, every[name], keys[name], latest, known, jobs.get(name)) for name in every
        }
        by_base: dict[str, list[VariantState]] = {}
        for v in others:
            by_base.setdefault(told_size(v.name)[0], []).append(states[v.name])
        return [_with_bands(states[name], by_base.get(name, [])) for name in cases]

    def _variant_state(
        self, study: Study, prepared: Prepared, keys: Keys | None, latest: Latest, known: Known,
        job: RunRow | None,
    ) -> VariantState:  # fmt: skip
        variant, index = prepared.variant, study.index_of(prepared.variant)
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
        asked = (not requirement.at or requirement.at == point_name(variant)) and not steps_coarser(variant)
        judgement = judgement_of(requirement, prepared, value) if asked else None
        swing = _swing(run.summary, requirement, dimension)
        expected = expected_words(requirement, prepared, value)
        return ReadingState(
            requirement, shown, "", judgement, value, stage.fresh, stage.key, course, expected, swing, stage.summary
        )


def _with_bands(state: VariantState, others: list[VariantState]) -> VariantState:
    """A case with what the same on other cells says of its readings: the value on the finest ones that are up to date, and its band."""
    every = [v for v in replace(state, series=tuple(others)).every_size if v.counts]
    readings = tuple(_sure(state, reading, k, every) for k, reading in enumerate(state.readings))
    return replace(
        state,
        readings=readings,
        read_here=state.readings,
        series=tuple(sorted(others, key=lambda v: steps_coarser(v.variant))),
    )


def _kept(v: VariantState, k: int) -> dict[str, Any]:
    """What a series takes of a reading."""
    summary = (v.run.summary or {}) if v.counts else {}
    swing, left = summary.get("swing") if v.swings else None, summary.get("left")
    return in_series(v.readings[k].kept, v.readings[k].requirement.name, swing["monitors"] if swing else None, left)


def _sure(state: VariantState, reading: ReadingState, k: int, every: list[VariantState]) -> ReadingState:
    there = [v for v in every if v.readings[k].fresh and v.readings[k].value is not None]
    requirement, dimension = reading.requirement, dimension_of_reading(reading.requirement, state.prepared)
    if not there or dimension is None or (reading.fresh and reading.value is not None and not state.counts):
        return reading
    finest = there[0].readings[k]
    assert finest.value is not None
    steps = [steps_coarser(v.variant) for v in there]
    sure = certainty(
        [(STEP**n, _kept(v, k)) for n, v in zip(steps, there, strict=True)],
        state.prepared.timing.kind != "steady",
    )
    half, value = sure.half, sure.values[0]
    asked = (not requirement.at or requirement.at == state.point) and not steps_coarser(state.variant)
    judged = judgement_of(requirement, state.prepared, value, half or 0.0) if asked else None
    return replace(
        finest, value=finest.value if half is None else value, judgement=judged, sure=sure, on=size_words(steps[0]), made_of=tuple(sure.made_of(dimension, requirement.shown_in)),
        shown=finest.shown if half is None else show_swing(value, half, dimension, requirement.shown_in),
    )  # fmt: skip
