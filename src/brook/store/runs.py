"""Runs and aims in the store: the queue in its order, what ended, and what it took."""

from __future__ import annotations

from typing import Any, Literal

from sqlalchemy import func, select

from brook.store.engine import Database
from brook.store.tables import AimRow, RunRow

UNDER_WAY = "under way"  # the state of an aim that is not reached yet
A_DAY = 86_400.0  # seconds
PLACE = func.coalesce(RunRow.place, RunRow.id)  # of a run in the queue


class RunStore(Database):
    """What is known of runs and aims."""

    def add_run(
        self,
        study_id: int,
        variant: str,
        document: str,
        until: str,
        start_from: int | None = None,
        begin_with: str = "",
        enough: dict[str, float] | None = None,
        cells: int = 0,
    ) -> RunRow | None:
        """A new run in the queue, last of all; None when one of this variant waits or is under way already."""
        with self.writing() as session:
            busy = select(RunRow.id).where(
                RunRow.study_id == study_id, RunRow.variant == variant, RunRow.state.in_(("queued", "running"))
            )
            if session.scalar(busy.limit(1)) is not None:
                return None
            run = RunRow(
                study_id=study_id,
                variant=variant,
                document=document,
                until=until,
                start_from=start_from,
                begin_with=begin_with,
                enough=enough or {},
                cells=cells,
            )
            session.add(run)
            session.flush()
            found = run
        self.written += 1
        return found

    def change_run(self, run_id: int, **values: Any) -> RunRow | None:
        with self.writing() as session:
            run = session.get(RunRow, run_id)
            for name, value in values.items():
                setattr(run, name, value)
        self.written += 1
        return run

    def run(self, run_id: int) -> RunRow | None:
        with self.session() as session:
            return session.get(RunRow, run_id)

    def runs_to_go_on(self) -> set[int]:
        """Runs whose checkpoint somebody may still go on from."""
        newest = select(func.max(RunRow.id)).group_by(RunRow.study_id, RunRow.variant)
        ended_well = ("converged", "enough", "meshed", "diverged")
        with self.session() as session:
            wanted = set(
                session.scalars(select(RunRow.id).where(RunRow.id.in_(newest), RunRow.state.not_in(ended_well)))
            )
            wanted |= {r.id for r in session.scalars(select(RunRow).where(RunRow.state.in_(("queued", "running"))))}
            starts = select(RunRow.start_from).where(RunRow.id.in_(wanted), RunRow.start_from.is_not(None))
            return wanted | {start for start in session.scalars(starts) if start is not None}

    def unfinished(self, study_id: int | None = None) -> list[RunRow]:
        """Runs that wait or are under way, in the order of the queue."""
        query = select(RunRow).where(RunRow.state.in_(("queued", "running"))).order_by(PLACE, RunRow.id)
        if study_id is not None:
            query = query.where(RunRow.study_id == study_id)
        with self.session() as session:
            return list(session.scalars(query))

    def move_run(self, run_id: int, way: Literal["first", "earlier", "later", "last"]) -> None:
        """Puts a run that waits to another place among those that do."""
        with self.writing() as session:
            there = list(session.scalars(select(RunRow).where(RunRow.state == "queued").order_by(PLACE, RunRow.id)))
            at = next((k for k, run in enumerate(there) if run.id == run_id), None)
            if at is None:
                return
            run = there.pop(at)
            to = {"first": 0, "earlier": max(at - 1, 0), "later": min(at + 1, len(there)), "last": len(there)}[way]
            places = [one.id if one.place is None else one.place for one in there]
            if not places:
                return
            before, after = (
                places[to - 1] if to > 0 else places[0] - 2,
                places[to] if to < len(places) else places[-1] + 2,
            )
            run.place = (before + after) / 2

    def ended_runs(self, most: int) -> list[RunRow]:
        """The last runs that ended, the newest first."""
        query = select(RunRow).where(RunRow.ended.is_not(None)).order_by(RunRow.ended.desc(), RunRow.id.desc())
        with self.session() as session:
            return list(session.scalars(query.limit(most)))

    def spent_by_study(self) -> list[tuple[int, int, float, float, int]]:
        """Of each study its number, its runs that ended, their seconds from begin to end and of cores, and the most memory of one in bytes."""
        seconds = func.sum((func.julianday(RunRow.ended) - func.julianday(RunRow.started)) * A_DAY)
        query = select(RunRow.study_id, func.count(), seconds, func.sum(RunRow.cpu), func.max(RunRow.memory))
        with self.session() as session:
            rows = session.execute(query.where(RunRow.ended.is_not(None)).group_by(RunRow.study_id))
            return [
                (study, count, float(s or 0), float(cpu or 0), int(memory or 0))
                for study, count, s, cpu, memory in rows
            ]

    def newest_runs(self, study_id: int, sweep: str = "") -> dict[str, RunRow]:
        """The newest run of each case of a sweep, or of all that are of none."""
        query = select(RunRow).where(RunRow.study_id == study_id, of_sweep(RunRow.variant, sweep)).order_by(RunRow.id)
        with self.session() as session:
            return {run.variant: run for run in session.scalars(query)}

    # -- aims ---------------------------------------------------------------------------------

    def add_aim(self, study_id: int, kind: str, said: dict[str, Any]) -> AimRow | None:
        """A new aim of a study; None when it has one under way."""
        with self.writing() as session:
            busy = select(AimRow.id).where(AimRow.study_id == study_id, AimRow.state == UNDER_WAY)
            if session.scalar(busy.limit(1)) is not None:
                return None
            aim = AimRow(study_id=study_id, kind=kind, said=said, tried={}, state=UNDER_WAY)
            session.add(aim)
            session.flush()
        self.written += 1
        return aim

    def change_aim(self, aim_id: int, **values: Any) -> None:
        with self.writing() as session:
            aim = session.get(AimRow, aim_id)
            for name, value in values.items() if aim is not None else ():
                setattr(aim, name, value)
        self.written += 1

    def newest_aim(self, study_id: int) -> AimRow | None:
        """The last aim of a study, under way or ended."""
        query = select(AimRow).where(AimRow.study_id == study_id).order_by(AimRow.id.desc()).limit(1)
        with self.session() as session:
            return session.scalar(query)

    def aims_under_way(self) -> list[AimRow]:
        with self.session() as session:
            return list(session.scalars(select(AimRow).where(AimRow.state == UNDER_WAY).order_by(AimRow.id)))

    def runs_of(self, ids: list[int]) -> list[RunRow]:
        """Runs by their numbers."""
        with self.session() as session:
            return list(session.scalars(select(RunRow).where(RunRow.id.in_(ids))))


def of_sweep(column: Any, sweep: str) -> Any:
    """That a case is one of this sweep, or of none."""
    if sweep:
        return column.contains(f"-in-{sweep}-", autoescape=True)
    return column.not_like("%-in-%") | column.like("%-at-in-%")  # an operating point may be called "in"
