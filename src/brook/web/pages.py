"""What every page needs: templates, the context of a study, values in their place."""

from __future__ import annotations

import re
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Any
from urllib.parse import unquote

from fastapi import Depends, Form, HTTPException, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from brook import __version__
from brook.core.checks import declared_patches
from brook.core.checks.mending import mark_at, mends
from brook.core.editing import place_words, value_of
from brook.core.formulas import FUNCTIONS, FormulaError, Number, evaluate, names_in, parse
from brook.core.results.readings import words_of
from brook.core.study import Value, named_scope
from brook.core.units import DIMENSIONS, counted, round_text, show
from brook.store import Author, StoreError
from brook.store.people import Visitor
from brook.store.room import BUSY, FULL, trouble_of
from brook.store.tables import StudyRow
from brook.web.doorman import visitor_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio
from brook.web.turns import Turns

NAME_COOKIE = "brook-name"
HERE = Path(__file__).parent
STATIC = HERE / "static"

PAGES = (
    ("board", "Board"), ("geometry", "Geometry"), ("mesh", "Mesh"), ("set-up", "Set-up"), ("run", "Runs"),
    ("results", "Results"), ("compare", "Compare"), ("sweeps", "Sweeps"),
    ("report", "Report"),
)  # fmt: skip
# Pages about one variant at a time.
OF_VARIANT = {"geometry", "mesh", "set-up", "run", "results", "sure"}


@lru_cache(maxsize=256)
def asset(name: str) -> str:
    """Address of a static file that changes when the file does."""
    return f"/static/{name}?v={int((STATIC / name).stat().st_mtime)}"


def _words(text: str) -> str:
    try:
        return words_of(text)
    except FormulaError:
        return text


def ident(pointer: str) -> str:
    return "at" + re.sub(r"[^a-zA-Z0-9]", "-", pointer)


templates = Environment(
    loader=FileSystemLoader(HERE / "templates"), autoescape=select_autoescape(), undefined=StrictUndefined,
    trim_blocks=True, lstrip_blocks=True,
)  # fmt: skip
templates.globals |= {"asset": asset, "version": __version__, "pages": PAGES, "of_variant": OF_VARIANT,
                      "ident": ident, "dimensions": DIMENSIONS, "show": show, "round_text": round_text}  # fmt: skip
templates.filters |= {
    "words": _words, "count": counted, "roughly": lambda number: counted(float(f"{number:.2g}")),
    "named": lambda names, now: [(n, n) for n in (names if now in names else [*names, now])],
    "zip_words": lambda names, options: [(name, option["words"]) for name, option in zip(names, options, strict=True)],
}  # fmt: skip


# Those that wait for nothing are asynchronous: each that is not costs a change of threads, which takes long where many ask at once.
async def studio_of(request: Request) -> Studio:
    return request.app.state.studio


StudioHere = Annotated[Studio, Depends(studio_of)]


def state_of(studio: StudioHere, slug: str) -> StudyState:
    """The study of an address; a page that says so when there is none."""
    try:
        return studio.state(slug)
    except StoreError as error:
        raise HTTPException(404, str(error)) from error


def row_of(studio: StudioHere, slug: str) -> StudyRow:
    """What is kept of a study, even where its document cannot be read."""
    try:
        return studio.store.study_row(slug)
    except StoreError as error:
        raise HTTPException(404, str(error)) from error


RowHere = Annotated[StudyRow, Depends(row_of)]
StateHere = Annotated[StudyState, Depends(state_of)]


async def author_of(request: Request, seen: Annotated[int | None, Form(ge=0, lt=2**53)] = None) -> Author:
    """Who makes a change: who is signed in, else the name kept in the browser; its window, and what that window has seen."""
    visitor = visitor_of(request)
    name = visitor.name or unquote(request.cookies.get(NAME_COOKIE, ""))
    return Author(name[:60], request.headers.get("x-brook-window", "")[:40], seen)


async def visitor_here(request: Request) -> Visitor:
    return visitor_of(request)


VisitorHere = Annotated[Visitor, Depends(visitor_here)]
AuthorHere = Annotated[Author, Depends(author_of)]


def seen_by(studio: Studio, visitor: Visitor) -> list[StudyRow]:
    """The studies that somebody may see, the last changed first."""
    return [row for row in studio.store.studies() if visitor.may(row.id, "view")]


def variant_of(state: StudyState, name: str | None) -> VariantState | None:
    """The named variant, the first one when none is named. 404 for an unknown name."""
    if name is None:
        return state.variants[0] if state.variants else None
    try:
        return state.variant(name)
    except KeyError:
        raise HTTPException(404, f"'{name}' is not a variant of this study") from None


@dataclass(frozen=True)
class Told:
    """What a page says besides: `errors` are what was typed and why it is refused, by place; a `notice` is news when `calm`, else
    a warning; `typed` goes back into a form that was refused."""

    errors: dict[str, tuple[str, str]] = field(default_factory=dict)
    notice: str = ""
    calm: bool = False
    typed: dict[str, str] = field(default_factory=dict)


NOTHING_TOLD = Told()


class Context(dict[str, Any]):
    """The template context of a study's page."""

    def __init__(
        self, studio: Studio, state: StudyState, page: str, variant: VariantState | None = None, told: Told = NOTHING_TOLD,
        whole: bool = True, **more: Any,
    ):  # fmt: skip
        shown = {p.path: p.message for p in state.problems}
        to_undo, to_redo = studio.store.neighbours(state.row)
        super().__init__(
            state=state, study=state.study, slug=state.row.slug, page=page, variant=variant, errors=told.errors,
            notice=told.notice, calm=told.calm, typed=told.typed, problems=shown,
            at=lambda pointer: value_of(state.study, pointer),
            is_formula=lambda pointer: isinstance(mark_at(state.study, pointer), Value),
            formula_names=_names(state, variant), derived=_derived(state, variant), mended=_mended(state, variant), load=studio.desk.load() if studio.queue.ready else None,
            problem_list=state.problems, place_words=lambda problem: place_words(state.study, problem.path),
            whole=whole, to_undo=to_undo, to_redo=to_redo, **more,
        )  # fmt: skip


def _derived(state: StudyState, variant: VariantState | None) -> Callable[[str], str]:
    """What a value comes to, '' when it stands there plainly."""
    scope = named_scope(state.study, variant.variant if variant else None)

    def derived(pointer: str) -> str:
        text = str(value_of(state.study, pointer))
        try:
            tree = parse(text)
            if isinstance(parse(text.strip().lstrip("-−") or text), Number) or any(
                len(r.parts) > 1 for r in names_in(tree)
            ):
                return ""
            quantity = evaluate(tree, scope)
        except FormulaError:
            return ""
        return show(float(quantity.value), quantity.dimension, given=True)

    return derived


def _names(state: StudyState, variant: VariantState | None) -> list[str]:
    """What may stand in formulas: named values and tables of the study first, then functions."""
    own = {**(variant.variant.named_values if variant else {}), **state.study.named_values}
    return [*own, *(f"{name}()" for name in (*state.study.tables, *FUNCTIONS))]


def _mended(state: StudyState, variant: VariantState | None) -> Callable[[str, str], list[str]]:
    """What a text at a place may have been meant to be; what stands there where none was typed."""

    def mended(pointer: str, typed: str) -> list[str]:
        try:
            text = typed or str(value_of(state.study, pointer))
        except KeyError:
            return []
        patches = {p for v in state.variants for p in v.prepared.patches or ()} | declared_patches(state.study)
        return mends(state.study, variant.variant if variant else None, pointer, text, patches)

    return mended


def render(template: str, context: dict[str, Any], status: int = 200) -> HTMLResponse:
    return HTMLResponse(templates.get_template(template).render(context), status)


def message_page(request: Request, error: Exception) -> Response:
    """A page for an address that is not there, or for an error of Brook's own."""
    status = getattr(error, "status_code", 500)
    if "text/html" not in request.headers.get("accept", "*/*") or request.url.path.startswith("/api/"):
        told = getattr(error, "detail", "") if status != 500 else "an error in Brook itself; nothing you saved is lost"
        return JSONResponse({"detail": told}, status)
    detail = getattr(error, "detail", "") if status == 404 else "An error in Brook itself; nothing you saved is lost."
    if detail == "Not Found":
        detail = "There is no page at this address."
    return render("message.html", {"title": "Not here" if status == 404 else "Error", "detail": detail}, status)


UNREADABLE = "this study was written by another version of Brook and cannot be read by this one"


def unreadable(request: Request, error: Exception) -> Response:
    """A study that is kept and cannot be read: why, and how to take its document out."""
    print(f"{request.method} {request.url.path}: {error}", flush=True)
    told = f"{UNREADABLE}: {error}"
    if "text/html" not in request.headers.get("accept", "*/*") or request.url.path.startswith("/api/"):
        return JSONResponse({"detail": told}, 409)
    return render(
        "message.html",
        {
            "title": "Not readable",
            "detail": f"{told[0].upper()}{told[1:]}. Its document is at /document.json of its address.",
        },
        409,
    )


def no_room(request: Request, error: Exception) -> Response:
    """What could not be written, because there is no room or no leave: nothing was changed."""
    trouble = trouble_of(error)
    if not trouble:
        raise error
    print(f"{request.method} {request.url.path}: {trouble} ({error})", flush=True)
    told = f"{trouble}, so nothing was changed; {'try again' if trouble == BUSY else 'make room and try again' if trouble == FULL else 'make it writable and try again'}"
    if "hx-request" in request.headers or "text/html" not in request.headers.get("accept", "*/*"):
        return JSONResponse({"detail": told}, 507)
    return render("message.html", {"title": "Not done", "detail": f"{told[0].upper()}{told[1:]}."}, 507)


def misfit(request: Request, error: Exception) -> Response:
    """A request that does not have the form it should: where, and what is wrong with it."""
    assert isinstance(error, RequestValidationError)
    problems = [
        {"path": "/".join(str(part) for part in one["loc"]), "message": str(one["msg"]), "kind": "wrong"}
        for one in error.errors()
    ]
    return JSONResponse({"detail": {"problems": problems}}, 422)


class Rendered:
    """Pages as they were rendered, by the very state that they show: when somebody changed a study, all who look at it ask for the same one."""

    def __init__(self, most: int = 60):
        self._most, self._lock = most, threading.Lock()
        self._kept: OrderedDict[tuple[int, Any], tuple[StudyState, str]] = OrderedDict()

    def of(self, state: StudyState, key: Any) -> str | None:
        with self._lock:
            found = self._kept.get((id(state), key))
        return found[1] if found is not None and found[0] is state else None

    def keep(self, state: StudyState, key: Any, html: str) -> None:
        with self._lock:
            self._kept[id(state), key] = state, html  # which holds the state, so that no other one gets its number
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)


_rendered, _turns = Rendered(), Turns()
# Pages that show nothing but the state of a study while none of its runs is under way.
SAME_FOR_ALL = ("board", "compare")

# How each page makes its body; filled by the route modules, used again after an edit.
BODIES: dict[str, Callable[[Studio, StudyState, VariantState | None], dict[str, Any]]] = {}


def stage(
    studio: Studio, state: StudyState, page: str, variant: VariantState | None, whole: bool = True,
    told: Told = NOTHING_TOLD, **more: Any,
) -> HTMLResponse:  # fmt: skip
    """A page of a study, or only its body for htmx to swap in."""
    template = f"{page}/{'page' if whole else 'body'}.html"
    if page not in SAME_FOR_ALL or more or told is not NOTHING_TOLD or any(v.is_busy for v in state.variants):
        more = {**BODIES[page](studio, state, variant), **more}
        return render(template, Context(studio, state, page, variant, told, whole, **more))
    name, load = variant.variant.name if variant else "", studio.desk.load() if studio.queue.ready else {}
    key = template, name, *load.values()
    with _turns.of((id(state), key)):
        found = _rendered.of(state, key)
        if found is None:
            body = BODIES[page](studio, state, variant)
            found = templates.get_template(template).render(Context(studio, state, page, variant, told, whole, **body))
            _rendered.keep(state, key, found)
    return HTMLResponse(found)
