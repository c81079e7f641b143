"""A report of a study put together from how it stands: what was asked, said, computed and found, section by section."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Iterator
from datetime import datetime

import numpy as np

from brook import __version__
from brook.core.formulas import FormulaError
from brook.core.results.readings import words_of
from brook.core.study import Requirement
from brook.core.units import counted, round_text
from brook.runs.report.blocks import Block, Figure, Heading, Report, Table, Text
from brook.web.forecasting import told_time
from brook.web.pages import BODIES, Context, templates
from brook.web.state import ReadingState, StudyState, VariantState
from brook.web.statements import statements_in
from brook.web.studio import Studio

SECTIONS = {
    "question": "What was asked", "answer": "What was found", "pictures": "Pictures", "shapes": "Variants and operating points", "set_up": "Fluid, flow and physics",
    "mesh": "Mesh", "runs": "Runs", "sure": "How sure the readings are", "curves": "How the runs went",
}  # fmt: skip
LIMITS = {"smallest": "as small as possible", "largest": "as large as possible"}
VERDICTS = {"pass": "holds", "fail": "fails", "undecided": "undecided", "open": ""}
MOST_KNOWN = 64
_KNOWN: dict[tuple[str, str, str], list[str]] = {}  # statements by document, variant and page
_AT_IT = threading.Lock()
ENDED = {"enough": "ended early", "converged": "converged"}


def composed(studio: Studio, state: StudyState) -> Report:
    """The report of a study as it stands now."""
    plan, study = state.study.report, state.study
    blocks: list[Block] = []
    makers = {
        "question": _question, "answer": _answer, "shapes": _shapes, "set_up": _set_up, "mesh": _mesh, "runs": _runs, "sure": _sure, "pictures": _pictures, "curves": _curves,
    }  # fmt: skip
    for name, title in SECTIONS.items():
        blocks.append(Heading(title))
        blocks += makers[name](studio, state)
        own = getattr(plan.texts, name).strip()
        if own:
            blocks.append(Text(own, "own"))
    today = datetime.now()
    facts = [
        ("By", plan.by), ("Date", f"{today.day} {today:%B %Y}"), ("Study", f"{state.row.slug}, revision {state.row.revision}"), ("Computed with", f"Brook {__version__}"),
    ]  # fmt: skip
    question = study.brief.question or "No question is written down."
    known = tuple((name, value) for name, value in facts if value)
    return Report(study.title, question, state.answer, plan.office, known, tuple(blocks), plan.paper, plan.decimal)


def limit_words(requirement: Requirement) -> str:
    """What a requirement asks for, as it was typed."""
    limit = requirement.limit
    if limit.kind == "between":
        return f"between {limit.low} and {limit.high}"
    if limit.kind in ("at_most", "at_least"):
        return f"{limit.kind.replace('_', ' ')} {limit.value}"
    return LIMITS[limit.kind]


def _question(studio: Studio, state: StudyState) -> Iterator[Block]:
    study = state.study
    yield Text(study.brief.question or "No question is written down.")
    if study.brief.notes.strip():
        yield Text(study.brief.notes.strip())
    if study.requirements:
        points = {p.name: p.title for p in study.points}
        rows = tuple((r.title, _reads(r), limit_words(r), *([points.get(r.at, "all")] if points else [])) for r in study.requirements)  # fmt: skip
        yield Table("Requirements", ("Requirement", "Reads", "Has to be", *(["At"] if points else [])), rows)


def _reads(requirement: Requirement) -> str:
    try:
        return words_of(requirement.reading)
    except FormulaError:
        return requirement.reading


def _shown(reading: ReadingState) -> str:
    """A value with its band, what it is on, and the verdict."""
    if not reading.shown:
        return reading.problem or "not read yet"
    verdict = VERDICTS[reading.judgement.verdict] if reading.judgement else ""
    beside = [part for part in (reading.on, verdict, "" if reading.fresh else "out of date") if part]
    return reading.shown + (f" ({', '.join(beside)})" if beside else "")


def _answer(studio: Studio, state: StudyState) -> Iterator[Block]:
    study = state.study
    yield Text(state.answer, "answer")
    if state.why_best and state.best:
        yield Text(f"Of “{state.best.title}”: {state.why_best}.")
    if study.requirements and state.variants:
        head = ("Case", *(r.title for r in study.requirements))
        rows = tuple((v.variant.title, *(_shown(r) for r in v.readings)) for v in state.variants)
        yield Table("Readings of every case; ± is the band in which a reading lies", head, rows)
    stale = [v.variant.title for v in state.variants if v.run.summary and not v.run.fresh]
    if stale:
        yield Text(f"Out of date, computed with inputs that have since changed: {', '.join(stale)}.", "warning")
    expected = [(v.variant.title, r.requirement.title, r.expected) for v in state.variants for r in v.readings if r.expected]  # fmt: skip
    if expected:
        yield Table("Beside what was expected", ("Case", "Reading", "Expected"), tuple(expected))


def _shapes(studio: Studio, state: StudyState) -> Iterator[Block]:
    study = state.study
    rows = tuple((v.title, ", ".join(f"{n.replace('_', ' ')} {t}" for n, t in v.named_values.items()) or "–") for v in study.variants)  # fmt: skip
    if not rows:
        yield Text("There is no variant yet.")
    else:
        yield Table("Variants", ("Variant", "Its own values"), rows)
    if study.points:
        rows = tuple((p.title, ", ".join(f"{n.replace('_', ' ')} {t}" for n, t in p.named_values.items()) or "as the study says") for p in study.points)  # fmt: skip
        yield Table("Operating points, at each of which every variant is computed", ("Operating point", "Values"), rows)
    if study.named_values:
        yield Table("Named values", ("Name", "Value"), tuple((n.replace("_", " "), t) for n, t in study.named_values.items()))  # fmt: skip


def _said(studio: Studio, state: StudyState, page: str) -> list[str]:
    """The statements of a page of the study; of a document that has not changed they are known."""
    variant = next((v for v in state.variants if v.prepared.ready), state.variants[0] if state.variants else None)
    if variant is None:
        return []
    key = (hashlib.sha256(state.row.document.encode()).hexdigest(), variant.variant.name, page)
    known = _KNOWN.get(key)
    if known is None:
        context = Context(studio, state, page, variant, whole=False, **BODIES[page](studio, state, variant))
        found = statements_in(templates.get_template(f"{page}/body.html").render(context))
        if not variant.prepared.ready:
            return found  # more may be known of it later
        with _AT_IT:
            while len(_KNOWN) >= MOST_KNOWN:
                _KNOWN.pop(next(iter(_KNOWN)))
            _KNOWN[key] = known = found
    return known


def _set_up(studio: Studio, state: StudyState) -> Iterator[Block]:
    yield from (Text(sentence, "statement") for sentence in _said(studio, state, "set-up"))


def _mesh(studio: Studio, state: StudyState) -> Iterator[Block]:
    yield from (Text(sentence, "statement") for sentence in _said(studio, state, "mesh"))
    known = [v for v in state.variants if v.mesh.summary]
    if not known:
        yield Text("No mesh is made yet.")
        return
    rows = []
    for v in known:
        told = v.mesh.summary or {}
        worst = told.get("worst", {})
        angle = f"{round_text(worst['non_orthogonality'], 3)}°" if "non_orthogonality" in worst else "–"
        skew = round_text(worst["skewness"], 2) if "skewness" in worst else "–"
        rows.append((v.variant.title, counted(told["cells"]), angle, skew, f"{told['sentence']}{'' if v.mesh.fresh else ' Out of date.'}"))  # fmt: skip
    yield Table("Meshes, with what is worst in each", ("Case", "Cells", "Non-orthogonality", "Skewness", "Whether it will do"), tuple(rows), (1, 2, 3))  # fmt: skip


def _runs(studio: Studio, state: StudyState) -> Iterator[Block]:
    known = [v for v in state.variants if v.run.summary]
    if not known:
        yield Text("Nothing has run yet.")
        return
    rows = []
    for v in known:
        told = v.run.summary or {}
        heat = (f"{told['heat_sum']:.1e}",) if state.study.set_up.heat is not None else ()
        rows.append((
            v.variant.title, ENDED.get(told["state"], told["state"]), counted(told["iterations"]), told_time(told["seconds"]),
            f"{told['imbalance']:.1e}", *heat,
        ))  # fmt: skip
    head = ("Case", "Ended", "Iterations", "Took", "Mass imbalance over inflow", *(["Heat imbalance"] if state.study.set_up.heat is not None else []))  # fmt: skip
    yield Table("Runs, how they ended and how they balance", head, tuple(rows), (2, 3, 4, 5))
    for v in known:
        told = v.run.summary or {}
        if told["state"] != "converged":
            yield Text(f"{v.variant.title}: {told['message']}.", "warning")


def _curves(studio: Studio, state: StudyState) -> Iterator[Block]:
    if not any(v.run.summary for v in state.variants):
        yield Text("Nothing has run yet.")
    for v in state.variants:
        if v.run.summary and v.run.key:
            yield Figure(f"Residuals and readings of “{v.variant.title}” while it was computed", "residuals", v.variant.name, v.run.key)  # fmt: skip


def _sure(studio: Studio, state: StudyState) -> Iterator[Block]:
    rows = []
    for v in state.variants:
        for r in v.readings:
            if r.sure is not None and r.shown:
                words = r.sure_words
                rows.append((v.variant.title, r.requirement.title, r.shown, words[:1].upper() + words[1:]))
    if not any(v.run.summary for v in state.variants):
        yield Text("Nothing has run yet.")
        return
    if not rows:
        yield Text("Readings are those of one mesh each: how far they may be off was not computed.", "warning")
        return
    yield Text(
        "Each band comes of a series of meshes, of cells of one plan in several sizes at the same places: the order of convergence that is seen, "
        "extrapolated, with Roache's factor of safety, and what terms of two orders come to where that is more; series that scatter are fitted (Eça and "
        "Hoekstra 2014). What iterations left open, and in time the finite window of a mean, is added."
    )
    yield Table("Bands and where they come from", ("Case", "Reading", "Value", "How sure"), tuple(rows))


def _pictures(studio: Studio, state: StudyState) -> Iterator[Block]:
    known = [v for v in state.variants if v.run.summary and v.run.key]
    if not known:
        yield Text("There is nothing to show yet.")
        return
    plates = [(p.name, p.title) for p in state.study.plates] or _usual(known[0])
    of = {p.name: p.quantity for p in state.study.plates}
    for name, title in plates:
        ranges = [(v.run.summary or {}).get("ranges", {}).get(of.get(name, name)) for v in known]
        lows, highs = [r[0] for r in ranges if r], [r[1] for r in ranges if r]
        for v in known:
            note = "" if v.run.fresh else "; out of date"
            yield Figure(
                f"{title}, {v.variant.title}{_conditions(state, v)}{note}", "plate", v.variant.name, v.run.key or "", name,
                (min(lows), max(highs)) if lows else None, _height(v),
            )  # fmt: skip


def _height(v: VariantState) -> float:
    """Of a picture as a share of its width, so that a flat shape leaves little empty round it."""
    told = v.mesh.summary or {}
    axes = "xyz".find(told.get("axes", "xy")[0]), "xyz".find(told.get("axes", "xy")[1])
    low, high = np.array(told.get("box", [[0, 0, 0], [1, 0.4, 0.4]]), float)
    wide, tall = (high - low)[list(axes)]
    return float(np.clip(1.25 * tall / wide if wide > 0 else 0.42, 0.2, 0.75))


def _usual(variant: VariantState) -> list[tuple[str, str]]:
    """What is shown where no plate was kept."""
    ranges = (variant.run.summary or {}).get("ranges", {})
    return [(name, title) for name, title in (("speed", "Speed"), ("temperature", "Temperature")) if name in ranges]


def _conditions(state: StudyState, v: VariantState) -> str:
    """With which values of its operating point a case is computed, and of which time a picture is."""
    point = next((p for p in state.study.points if p.name == v.point), None)
    said = [f"{n.replace('_', ' ')} {t}" for n, t in point.named_values.items()] if point else []
    end = (v.run.summary or {}).get("end")
    if end is not None:
        said.append(f"at {round_text(end, 4)} s")
    return f" ({', '.join(said)})" if said else ""
