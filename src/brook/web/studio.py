"""The operations behind the pages: what can be done with studies."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from brook.core.checks import prepare
from brook.core.compiling.warming import Warming
from brook.core.editing import EditRefused, act, act_words, edit_words, set_values, value_of
from brook.core.geometry import shape_cache
from brook.core.study import DocumentError, Problem, Study, Variant, case_name, read_study
from brook.runs import Request, RunQueue, Source
from brook.runs.afar.away import mark_of
from brook.runs.geometry_worker import GeometryWorker
from brook.runs.orders import Orders
from brook.runs.readers import Readers
from brook.runs.shaping import Order
from brook.store import Author, Meanwhile, NotOwn, Store
from brook.store.people import People
from brook.store.tables import RunRow, StudyRow
from brook.web.aims import ENDED, Aims, Wanted, nearest_run
from brook.web.desk import Desk
from brook.web.forecasting import expected_cells
from brook.web.hub import Hub, LiveRun
from brook.web.keeping import Keeping
from brook.web.state import ReadingState, StageState, StudyState, VariantState
from brook.web.state_reader import StateReader
from brook.web.throttle import Few, Throttle

NOBODY = Author()
TRIES = 6
MOST_SHAPES = 5000  # whose studies are remembered


class Studio:
    """One server's studies, queue, hub and result_reader."""

    def __init__(
        self,
        store: Store,
        queue: RunQueue,
        hub: Hub,
        result_reader: Readers | None = None,
        kernels: Warming | None = None,
    ):
        self.store, self.queue, self.hub, self.result_reader = store, queue, hub, result_reader or Readers()
        self.kernels = kernels or Warming()
        self.geometry_worker = GeometryWorker(store.files, lambda study_id: hub.announce(study_id, {"type": "shape"}))
        self.orders = Orders(store.data)
        self.reader = StateReader(store, hub, self._learn)
        self.aims = Aims(self)
        self.desk = Desk(self)
        self.keeping = Keeping(self)
        self.people, self.throttle, self.signing_in = People(store), Throttle(), Few(2)
        self._shapes_of: dict[str, set[int]] = {}  # studies by the key of a shape that was made or tried for them
        hub.after_end, hub.after_any = self.aims.look, self.desk.look

    def _learn(self, study: Study, variant: Variant) -> None:
        """Shapes that were made once are known again after a start of the server."""
        if variant.geometry.kind != "space":
            return
        space = prepare(study, variant).space
        if space is not None and not shape_cache.is_known(space.bodies_key):
            root = str(self.store.files.root)
            self.geometry_worker.known(Order(root, "", "", variant.name, space.key, space.bodies_key))

    def state(self, slug: str) -> StudyState:
        """How a study stands. Raises `StoreError` for an unknown one."""
        return self.reader.state(slug)

    def source(self, state: StudyState, variant: VariantState) -> Source | None:
        """The result that a variant's pages show, for the result_reader; None when there is none or it is no longer kept."""
        summary, key = variant.run.summary, variant.run.key
        if summary is None or key is None or not self.store.files.has("run", key):
            return None
        root = str(self.store.files.root.resolve())
        return Source(root, summary["mesh_key"], key, state.row.document, variant.variant.name)

    def note_shape(self, study: int, *keys: str) -> None:
        """A shape by one of these keys belongs to a study."""
        for key in keys:
            self._shapes_of.setdefault(key, set()).add(study)
        while len(self._shapes_of) > MOST_SHAPES:
            self._shapes_of.pop(next(iter(self._shapes_of)))

    def studies_of(self, stage: str, key: str) -> set[int]:
        """Numbers of the studies that an array belongs to."""
        if stage != "shape":
            return self.store.studies_of(key)
        if key not in self._shapes_of:  # the server was started since
            for row in self.store.studies():
                spaces = [
                    prepare(study, v).space
                    for study in _readable(row)
                    for v in study.variants
                    if v.geometry.kind == "space"
                ]
                self.note_shape(row.id, *(k for s in spaces if s is not None for k in (s.key, s.bodies_key)))
        return self._shapes_of.get(key, set())

    # -- changes ------------------------------------------------------------------------------

    def _mind_others(self, slug: str, author: Author) -> None:
        """Raises `EditRefused` when somebody took a step that this author has not seen."""
        try:
            self.store.mind_others(slug, author)
        except Meanwhile as error:
            raise EditRefused([Problem("", str(error))]) from error

    def edit(self, slug: str, texts: dict[str, str], was: dict[str, str], author: Author = NOBODY) -> None:
        """Changes the values at some pointers, all or none; `was` says what stood there when they were typed.

        Where `was` says nothing of a pointer, `seen` of the author must be up to date. Raises `EditRefused`, `KeyError`, `StoreError`.
        """

        def change(study: Study) -> tuple[Study, str]:
            fresh = {}
            if any(pointer not in was for pointer in texts):
                self._mind_others(slug, author)
            for pointer, text in texts.items():
                now_there = str(value_of(study, pointer))
                if pointer in was and now_there != was[pointer] and text != now_there:
                    message = (
                        f"meanwhile somebody changed this to '{now_there}'; type your value again if you still want it"
                    )
                    raise EditRefused([Problem(pointer, message)])
                if text.strip() != now_there:
                    fresh[pointer] = text.strip()
            return (set_values(study, fresh), edit_words(study, fresh)) if fresh else (study, "")

        self._change(slug, change, author)

    def act(self, slug: str, action: str, values: dict[str, str], author: Author = NOBODY) -> None:
        """A named action on the document. Raises `EditRefused`, `KeyError`, `StoreError`."""

        def change(study: Study) -> tuple[Study, str]:
            self._mind_others(slug, author)  # actions count places in lists, so what others did has to be seen first
            return act(study, action, **values), act_words(study, action, values)

        self._change(slug, change, author)

    def _change(self, slug: str, change: Callable[[Study], tuple[Study, str]], author: Author) -> None:
        """Makes a change of the document as it is now, again when another one came first."""
        for _ in range(TRIES):
            row = self.store.study_row(slug)
            study = read_study(row.document)
            changed, what = change(study)
            if changed == study or self._keep(row, changed, what, author):
                return
        raise EditRefused([Problem("", "others change this study again and again just now; please try again")])

    def replace(self, slug: str, study: Study, what: str, author: Author = NOBODY) -> None:
        """Puts another document in the place of a study's. Raises `EditRefused`, `StoreError`."""
        row = self.store.study_row(slug)  # first: whatever comes after it is found when the document is kept
        self._mind_others(slug, author)
        if not self._keep(row, study, what, author):
            raise EditRefused([Problem("", "somebody else changed this study at the same moment; please try again")])

    def remove(self, slug: str) -> None:
        """Removes a study with its runs and the results that are its alone. Raises `StoreError`."""
        for run in self.store.unfinished(self.store.study_row(slug).id):
            self.desk.withdraw(run)
        self.store.remove_study(slug)

    def undo(self, slug: str, author: Author = NOBODY) -> str:
        """Takes the last step back; says what happened. Raises `EditRefused`, `StoreError`."""
        what = self._stepping(slug, lambda: self.store.undo(slug, author))
        return f"Undone: {what}." if what else "There is nothing to undo."

    def redo(self, slug: str, author: Author = NOBODY) -> str:
        """Takes the step again that was last undone. Raises `EditRefused`, `StoreError`."""
        what = self._stepping(slug, lambda: self.store.redo(slug, author))
        return f"Done again: {what}." if what else "There is nothing to do again."

    def go_back(self, slug: str, number: int, author: Author = NOBODY) -> str:
        """Goes to any point of the history. Raises `EditRefused`, `StoreError`."""
        self._stepping(slug, lambda: self.store.go_back(slug, number, author))
        return f"The study is as it was after step {number}."

    def _stepping(self, slug: str, step: Callable[[], str | None]) -> str | None:
        row = self.store.study_row(slug)
        self._note_shown(row)
        try:
            what = step()
        except (Meanwhile, NotOwn) as error:
            raise EditRefused([Problem("", str(error))]) from error
        if what is not None:
            self._announce(row)
        return what

    def _keep(self, row: StudyRow, study: Study, what: str, author: Author) -> bool:
        """Keeps a changed document; False when another change came first."""
        self._note_shown(row)
        if not self.store.change_study(row.slug, study, what, row.changes, author):
            return False
        self._announce(row)
        return True

    def _announce(self, row: StudyRow) -> None:
        """Tells all windows that the study changed; those that show as many changes already need not look."""
        self.hub.announce(row.id, {"type": "changed", "changes": row.changes + 1})

    def _note_shown(self, row: StudyRow) -> None:
        """Results found by their key alone stay the newest when the inputs move on."""
        shown: list[tuple[str, str, str]] = []
        for v in (one for case in self.state(row.slug).variants for one in case.every_size):
            stages: list[tuple[str, StageState | ReadingState]] = [("mesh", v.mesh), ("run", v.run)]
            stages += [(f"reading:{r.requirement.name}", r) for r in v.own]
            shown += [(v.variant.name, name, s.key) for name, s in stages if s.fresh and s.key is not None]
        self.store.note_latest(row.id, shown)

    # -- runs ---------------------------------------------------------------------------------

    def bring_up_to_date(self, slug: str, names: list[str], until: str = "readings", anew: bool = False) -> list[str]:
        """Queues those of the variants that need it and can run; returns their names."""
        state = self.state(slug)
        queued = []
        for variant in [case for name in names for case in state.cases_of(name)]:
            name = variant.variant.name
            done = variant.mesh.fresh if until == "mesh" else variant.fresh and not _needs_again(variant, anew)
            if done or not self._may_run(variant, until):
                continue
            go_on = variant.is_paused and variant.can_go_on and variant.same_mesh and until != "mesh" and not anew
            begin_with = "" if go_on or (anew and not _ended_early(variant)) else _last_of(state, variant)
            if self._enqueue(state, variant, until, variant.job.id if go_on and variant.job else None, begin_with):
                queued.append(name)
        return queued

    def find_bands(self, slug: str, names: list[str], finest: int = 0) -> str:
        """Computes variants on three meshes each, so that readings have bands, and on cells finer by so many steps where a verdict is open then; why not, where
        it does not begin."""
        return self.aims.begin(slug, Wanted("bands", names, finest=finest))

    def go_on(self, slug: str, name: str) -> bool:
        """Goes on from the checkpoint of a variant's newest run, with the settings as they are now."""
        state = self.state(slug)
        variant = state.variant(name)
        if not variant.can_go_on or variant.job is None:
            return False
        return self._enqueue(state, variant, "readings", variant.job.id)

    def _enqueue(
        self, state: StudyState, variant: VariantState, until: str, start_from: int | None, begin_with: str = ""
    ) -> bool:
        return self.enqueue(state, variant, until, start_from, begin_with) is not None

    def enqueue(
        self, state: StudyState, variant: VariantState, until: str = "readings", start_from: int | None = None,
        begin_with: str = "", enough: dict[str, float] | None = None,
    ) -> RunRow | None:  # fmt: skip
        """Puts a run into the queue; None when another request has just done so."""
        name = variant.variant.name
        cells = expected_cells(variant)
        run = self.store.add_run(state.row.id, name, state.row.document, until, start_from, begin_with, enough, cells)
        if run is None:
            return None
        self.hub.live[run.id] = LiveRun(state.row.id, name)
        self.desk.look()
        self.hub.announce(state.row.id, {"type": "queued", "run": run.id, "variant": name})
        return run

    def _may_run(self, variant: VariantState, until: str) -> bool:
        if variant.is_busy:
            return False
        if until == "mesh":
            return not [p for p in variant.prepared.problems if not p.path.startswith("/set_up")]
        return variant.can_run

    def submit(self, run: RunRow, asks: dict[str, float] | None = None) -> None:
        """Hands a run to the queue; `asks` is what its worker must have."""
        folder, shapes = (str(files.root.resolve()) for files in (self.store.files, self.store.shapes))
        begin_with, enough = run.begin_with, dict(run.enough or {})
        self.queue.submit(
            Request(
                run.id,
                run.document,
                run.variant,
                folder,
                run.until,
                run.start_from,
                begin_with,
                enough,
                shapes,
                run.job,
                "" if self.queue.is_here else mark_of(self.store.files.root),
            ),
            asks,
        )

    def resume(self) -> None:
        """Goes on with the runs that were waiting or under way when the server stopped, in their order."""
        self.store.files.clear_runs(self.store.runs_to_go_on())
        for run in self.store.unfinished():
            if run.id not in self.hub.live:
                self.hub.live[run.id] = LiveRun(run.study_id, run.variant)
            lost = 1 if run.state == "running" else 0
            self.store.change_run(run.id, state="queued", interruptions=run.interruptions + lost)
        self.desk.look()

    def stop(self, slug: str, name: str) -> None:
        job = self.state(slug).variant(name).job
        if job is None or job.state not in ("queued", "running"):
            return
        if job.state == "queued":
            self.desk.withdraw(job)
        else:
            self.queue.stop(job.job)

    def pause(self, slug: str, name: str) -> None:
        """Asks a run under way to keep a checkpoint and make room; one that waits is taken out of the queue."""
        job = self.state(slug).variant(name).job
        if job is not None and job.state == "running":
            self.queue.pause(job.job)
        elif job is not None and job.state == "queued":
            self.stop(slug, name)


@contextmanager
def studio_alone(data: Path) -> Iterator[Studio]:
    """The studies of a data folder without a server: nothing runs in it."""
    store = Store(data)
    hub = Hub(store)
    try:
        yield Studio(store, RunQueue(hub.receive), hub)
    finally:
        store.close()


def _readable(row: StudyRow) -> list[Study]:
    """The study of a row, none where its document cannot be read."""
    try:
        return [read_study(row.document)]
    except DocumentError:
        return []


def _last_of(state: StudyState, variant: VariantState) -> str:
    """The key of the run with whose fields the next one of a variant begins: its newest that came to an end, or that of the variant that the set-up
    names; where there is none, the nearest there is of it, on other cells or at another operating point; nothing where another start is wanted."""
    start = state.study.set_up.start
    if start.kind not in ("last", "variant"):
        return ""
    named = case_name(start.variant, variant.point) if start.kind == "variant" else variant.variant.name
    run = next((v.run for v in state.variants if v.variant.name == named), variant.run)
    own = run.key if run.key and run.summary and run.summary.get("state") in ENDED else ""
    return own or nearest_run(state, variant)


def _needs_again(variant: VariantState, anew: bool) -> bool:
    stopped = variant.run.summary is not None and variant.run.summary["state"] == "stopped"
    return stopped or (anew and _ended_early(variant))


def _ended_early(variant: VariantState) -> bool:
    """Its run ended because that was enough to decide something; it may go on to its own end."""
    return variant.run.summary is not None and variant.run.summary["state"] == "enough"
