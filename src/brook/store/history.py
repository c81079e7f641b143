"""The history of a study: a tree of revisions, a place in it, and every step taken through it.

A change after undoing begins a new branch; what was undone stays in the history and can be gone back to.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brook.store.tables import RevisionRow, StepRow, StudyRow, now


@dataclass(frozen=True)
class Author:
    """Who makes a change: a name, the browser and its window as `BROWSER.WINDOW`, and how many changes it has seen.

    Programs have no window; they are told apart by their names.
    """

    name: str = ""
    window: str = ""
    seen: int | None = None


class Meanwhile(RuntimeError):
    """Another window took a `step` that this one has not seen yet."""

    def __init__(self, step: StepRow):
        who = step.who or "somebody in another window"
        super().__init__(f"meanwhile {who} changed this study ({step.what}); look at it and try again")
        self.step = step


class NotOwn(RuntimeError):
    """What was to be undone was done by somebody else."""

    def __init__(self, step: StepRow, number: int):
        who = step.who or "somebody else"
        super().__init__(
            f"'{step.what}' was done by {who}, and undoing takes back only what you did; to take it back all the same, "
            f"go to step {number} in the history"
        )
        self.step = step


def begin(session: Session, study: StudyRow, what: str, author: Author) -> None:
    """The first revision of a new study."""
    session.add(
        RevisionRow(study_id=study.id, number=1, what=what[:200], document=study.document, who=author.name[:60])
    )
    _note(session, study, what, author)


def append(session: Session, study: StudyRow, document: str, what: str, author: Author) -> int:
    """Keeps a changed document as a revision made from the one that stands; returns its number."""
    numbers = select(func.max(RevisionRow.number)).where(RevisionRow.study_id == study.id)
    number = (session.scalar(numbers) or 0) + 1
    revision_row(session, study.id, study.revision).onward = number
    session.add(
        RevisionRow(
            study_id=study.id, number=number, what=what[:200], document=document, who=author.name[:60],
            parent=study.revision,
        )
    )  # fmt: skip
    study.document, study.revision = document, number
    _count(session, study, what, author)
    return number


def go_to(session: Session, study: StudyRow, number: int, what: str, author: Author) -> RevisionRow:
    """Makes another revision the one that stands; redoing from there leads back the same way.

    Raises `LookupError` for an unknown one.
    """
    target = revision_row(session, study.id, number)
    row = target
    while row.parent is not None:  # so that redoing from any point before leads here
        parent = revision_row(session, study.id, row.parent)
        if parent.onward == row.number and row is not target:
            break
        parent.onward = row.number
        row = parent
    study.document, study.revision = target.document, number
    _count(session, study, what, author)
    return target


def revision_row(session: Session, study_id: int, number: int) -> RevisionRow:
    """Raises `LookupError`."""
    query = select(RevisionRow).where(RevisionRow.study_id == study_id, RevisionRow.number == number)
    row = session.scalar(query)
    if row is None:
        raise LookupError(f"there is no step {number} in the history")
    return row


def mind_others(session: Session, study: StudyRow, author: Author) -> None:
    """Raises `Meanwhile` for the newest step by another window that this one has not seen yet."""
    if author.seen is None or author.seen >= study.changes:
        return
    unseen = [StepRow.study_id == study.id, StepRow.number > author.seen]
    if author.window:  # what a window did itself is no news to it; programs have none, so any step may be another's
        unseen.append(StepRow.window != author.window)
    step = session.scalars(select(StepRow).where(*unseen).order_by(StepRow.number.desc())).first()
    if step is not None:
        raise Meanwhile(step)


def mind_owner(session: Session, study: StudyRow, here: RevisionRow, author: Author) -> None:
    """Raises `NotOwn` when the revision `here` was made by another browser, or another name."""
    query = (
        select(StepRow).where(StepRow.study_id == study.id, StepRow.revision == here.number).order_by(StepRow.number)
    )
    step = session.scalars(query).first()
    if step is None or here.parent is None:
        return
    mine = author.window.partition(".")[0], author.name
    theirs = step.window.partition(".")[0], step.who
    same_browser = mine[0] == theirs[0] and (mine[0] != "" or mine[1] == theirs[1])
    if not same_browser and not (mine[1] and mine[1] == theirs[1]):
        raise NotOwn(step, here.parent)


def _count(session: Session, study: StudyRow, what: str, author: Author) -> None:
    study.changes += 1
    study.changed = now()
    _note(session, study, what, author)


def _note(session: Session, study: StudyRow, what: str, author: Author) -> None:
    session.add(
        StepRow(
            study_id=study.id, number=study.changes, revision=study.revision, what=what[:240], who=author.name[:60],
            window=author.window[:40],
        )
    )  # fmt: skip
