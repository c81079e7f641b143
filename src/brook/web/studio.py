"""The operations behind the pages: what can be done with studies, and how things stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brook.core.answer import Standing, best_of, sentence
from brook.core.checks import Prepared, check, prepare
from brook.core.editing import EditRefused, act, set_value, value_of
from brook.core.pipeline import Keys, dimension_of_reading, judgement_of, stage_keys
from brook.core.results import Judgement
from brook.core.results.readings import show_reading
from brook.core.study import Problem, Requirement, Study, Variant, read_study
from brook.runs import Request, RunQueue
from brook.store import Store
from brook.store.tables import RunRow, StudyRow
from brook.web.hub import Hub, LiveRun


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
        text = f"{100 * share:.0f} %" if share >= 0.0095 else f"{100 * share:.1f} %"
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
        """Raises `KeyError`."""
        for state in self.variants:
            if state.variant.name == name:
                return state
        raise KeyError(name)

    @property
    def stamp(self) -> str:
        """Changes whenever a page of this study would look otherwise, progress of runs aside."""
        jobs = [f"{v.job.id}{v.job.state}" for v in self.variants if v.job is not None]
        return "-".join([str(self.row.revision), *jobs]).replace(" ", "")

    @property
    def standings(self) -> list[Standing]:
        return [
            Standing(
                v.variant.name, v.variant.title, v.fresh and v.run.summary is not None and not _unsound(v.run.summary),
                {r.requirement.name: (r.value, r.judgement) for r in v.readings if r.value is not None and r.judgement},
            )
            for v in self.variants
        ]  # fmt: skip

    @property
    def best(self) -> Standing | None:
        wishes: list[tuple[str, str]] = [
            (r.name, r.limit.kind) for r in self.study.requirements if r.limit.kind in ("smallest", "largest")
        ]
        return best_of(self.standings, wishes)

    @property
    def answer(self) -> str:
        if any(v.is_busy for v in self.variants) and not any(s.complete for s in self.standings):
            return "The answer will stand here; the first results are on their way."
        if self.variants and all(v.fresh for v in self.variants) and not any(s.complete for s in self.standings):
            return "No run converged, so there is no answer yet; the run pages say why."
        return sentence(self.standings, self.best, {r.name: r.title for r in self.study.requirements})


def _unsound(summary: dict[str, Any]) -> bool:
    return summary["state"] != "converged"


class Studio:
    """One server's studies, queue and hub."""

    def __init__(self, store: Store, queue: RunQueue, hub: Hub):
        self.store, self.queue, self.hub = store, queue, hub

    # -- how things stand ---------------------------------------------------------------------

    def state(self, slug: str) -> StudyState:
        """Raises `StoreError` for an unknown study."""
        row = self.store.study_row(slug)
        study = read_study(row.document)
        latest = self.store.latest(row.id)
        jobs = self.store.newest_runs(row.id)
        variants = tuple(
            self._variant_state(k, study, variant, latest, jobs.get(variant.name))
            for k, variant in enumerate(study.variants)
        )
        return StudyState(row, study, variants, check(study))

    def _variant_state(
        self, index: int, study: Study, variant: Variant,
        latest: dict[tuple[str, str], tuple[str, dict[str, Any]]], job: RunRow | None,
    ) -> VariantState:  # fmt: skip
        prepared = prepare(study, variant)
        keys = stage_keys(study, prepared)
        mesh = self._stage(latest.get((variant.name, "mesh")), keys.mesh if keys else None)
        run = self._stage(latest.get((variant.name, "run")), keys.run if keys else None)
        readings = tuple(self._reading(r, prepared, keys, variant, latest, run) for r in study.requirements)
        live = self.hub.live.get(job.id) if job else None
        return VariantState(index, variant, prepared, keys, mesh, run, readings, job, live)

    def _stage(self, newest: tuple[str, dict[str, Any]] | None, wanted: str | None) -> StageState:
        """The result of the wanted key if there ever was one, else the newest, marked as out of date."""
        if wanted is not None and (newest is None or newest[0] != wanted):
            known = self.store.result(wanted)
            if known is not None:
                return StageState(known, wanted, True)
        if newest is None:
            return StageState(None, None, False)
        return StageState(newest[1], newest[0], newest[0] == wanted)

    def _reading(
        self, requirement: Requirement, prepared: Prepared, keys: Keys | None, variant: Variant,
        latest: dict[tuple[str, str], tuple[str, dict[str, Any]]], run: StageState,
    ) -> ReadingState:  # fmt: skip
        wanted = keys.readings.get(requirement.name) if keys else None
        stage = self._stage(latest.get((variant.name, f"reading:{requirement.name}")), wanted)
        if stage.summary is None:
            return ReadingState(requirement, "", "", None, None, False)
        if run.summary is not None and run.summary["state"] == "diverged":
            return ReadingState(requirement, "", "the run diverged", None, None, stage.fresh, stage.key)
        value = stage.summary["value"]
        dimension = dimension_of_reading(requirement, prepared)
        if value is None or dimension is None:
            return ReadingState(requirement, "", stage.summary["problem"], None, None, stage.fresh, stage.key)
        shown = show_reading(value, dimension, requirement.unit or None)
        judgement = judgement_of(requirement, prepared, value)
        return ReadingState(requirement, shown, "", judgement, value, stage.fresh, stage.key)

    # -- changes ------------------------------------------------------------------------------

    def edit(self, slug: str, pointer: str, text: str, was: str | None) -> None:
        """Changes one value. Raises `EditRefused`, `KeyError`, `StoreError`."""
        row = self.store.study_row(slug)
        study = read_study(row.document)
        now_there = value_of(study, pointer)
        if was is not None and str(now_there) != was and text != str(now_there):
            message = f"meanwhile somebody changed this to '{now_there}'; type your value again if you still want it"
            raise EditRefused([Problem(pointer, message)])
        changed = set_value(study, pointer, text)
        self._keep(row, changed, f"{pointer}: {text}")

    def act(self, slug: str, action: str, values: dict[str, str]) -> None:
        """A named action on the document. Raises `EditRefused`, `KeyError`, `StoreError`."""
        row = self.store.study_row(slug)
        study = read_study(row.document)
        changed = act(study, action, **values)
        self._keep(row, changed, f"{action} {values}")

    def _keep(self, row: StudyRow, study: Study, what: str) -> None:
        self._note_shown(row)
        if not self.store.change_study(row.slug, study, what, row.revision):
            raise EditRefused([Problem("", "somebody else changed this study at the same moment; please try again")])
        self.hub.announce(row.id, {"type": "changed"})

    def _note_shown(self, row: StudyRow) -> None:
        """Results found by their key alone stay the newest when the inputs move on."""
        shown: list[tuple[str, str, str]] = []
        for v in self.state(row.slug).variants:
            stages: list[tuple[str, StageState | ReadingState]] = [("mesh", v.mesh), ("run", v.run)]
            stages += [(f"reading:{r.requirement.name}", r) for r in v.readings]
            shown += [(v.variant.name, name, s.key) for name, s in stages if s.fresh and s.key is not None]
        self.store.note_latest(row.id, shown)

    # -- runs ---------------------------------------------------------------------------------

    def bring_up_to_date(self, slug: str, names: list[str], until: str = "readings") -> list[str]:
        """Queues those of the variants that need it and can run; returns their names."""
        state = self.state(slug)
        queued = []
        for name in names:
            variant = state.variant(name)
            done = variant.mesh.fresh if until == "mesh" else variant.fresh and not _needs_again(variant)
            if done or not self._may_run(variant, until):
                continue
            run = self.store.add_run(state.row.id, name, state.row.document, until)
            self.hub.live[run.id] = LiveRun(state.row.id, name)
            if self.queue.ready:
                self.submit(run)
            self.hub.announce(state.row.id, {"type": "queued", "run": run.id, "variant": name})
            queued.append(name)
        return queued

    def _may_run(self, variant: VariantState, until: str) -> bool:
        if variant.is_busy:
            return False
        if until == "mesh":
            return not [p for p in variant.prepared.problems if not p.path.startswith("/set_up")]
        return variant.can_run

    def submit(self, run: RunRow) -> None:
        folder = str(self.store.files.root.resolve())
        self.queue.submit(Request(run.id, run.document, run.variant, folder, run.until))

    def resume(self) -> None:
        """Hands the runs that were waiting or under way when the server stopped to the queue again."""
        for run in self.store.unfinished():
            if run.id not in self.hub.live:
                self.hub.live[run.id] = LiveRun(run.study_id, run.variant)
            self.store.change_run(run.id, state="queued")
            self.submit(run)

    def stop(self, slug: str, name: str) -> None:
        job = self.state(slug).variant(name).job
        if job is None or job.state not in ("queued", "running"):
            return
        if job.state == "queued" and self.queue.ready:
            self.queue.withdraw(job.id)
        self.queue.stop(job.id)


def _needs_again(variant: VariantState) -> bool:
    return variant.run.summary is not None and variant.run.summary["state"] == "stopped"
