"""People: signing in and out, one's own page with tokens, the list of people, and who may do what with a study."""

from __future__ import annotations

import math
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from brook.store.people import EVERYBODY, OPEN, ROLES, STAYS, PersonRefused, Role, Visitor
from brook.web.doorman import COOKIE, cookie_of
from brook.web.pages import RowHere, StudioHere, VisitorHere, render
from brook.web.studio import Studio

router = APIRouter()
WRONG = "this name and password do not belong together"
BY_PERSON, BY_ADDRESS, BY_NAME = 5, 30, 60  # wrong ones that are free
MOST_WAITING = 50
Typed = Annotated[str, Form(max_length=400)]
SHOWN = {"view": "look", "edit": "change", "administer": "administer"}


def _safe(to: str) -> str:
    """An address on this server."""
    return to if to.startswith("/") and not to.startswith(("//", "/\\")) and "\n" not in to else "/"


# -- signing in and out -----------------------------------------------------------------------


@router.get("/login")
def sign_in_page(studio: StudioHere, to: Annotated[str, Query(max_length=2000)] = "/") -> Response:
    if not studio.people.are_there():
        return RedirectResponse("/", 303)
    return render("people/login.html", {"to": _safe(to), "name": "", "wrong": ""})


@router.post("/login")
async def sign_in(request: Request, studio: StudioHere, name: Typed, password: Typed, to: Annotated[str, Form(max_length=2000)] = "/") -> Response:  # fmt: skip
    """Signs somebody in; two at a time, as a password takes a third of a second and 64 MB to look at."""
    if studio.signing_in.count >= MOST_WAITING:
        page = render("people/login.html", {"to": _safe(to), "name": name[:60], "wrong": "too many sign in just now; try again in some seconds"}, 503)  # fmt: skip
        page.headers["Retry-After"] = "5"
        return page
    async with studio.signing_in:
        return await run_in_threadpool(_signed_in, request, studio, name, password, to)


def _signed_in(request: Request, studio: Studio, name: str, password: str, to: str) -> Response:
    """Wrong passwords wait longer and longer."""
    address, person = request.client.host if request.client else "", name.strip().lower()[:60]
    keys = {f"{person} at {address}": BY_PERSON, f"at {address}": BY_ADDRESS, person: BY_NAME}
    wait = studio.throttle.wait(keys)
    if wait > 0:
        words = f"too many wrong ones; try again in {math.ceil(wait)} s"
        page = render("people/login.html", {"to": _safe(to), "name": name[:60], "wrong": words}, 429)
        page.headers["Retry-After"] = str(math.ceil(wait))
        return page
    found = studio.people.check(name, password)
    if found is None:
        studio.throttle.failed(list(keys))
        studio.people.note(name.strip() or "?", "was not let in: wrong name or password", "", address)
        return render("people/login.html", {"to": _safe(to), "name": name[:60], "wrong": WRONG}, 401)
    studio.throttle.went_well([f"{person} at {address}"])
    studio.people.end(cookie_of(request.headers))
    answer = RedirectResponse(_safe(to), 303)
    _set(request, answer, studio.people.begin(found))
    studio.people.note(name.strip(), "signed in", "", address)
    return answer


def _set(request: Request, answer: Response, secret: str) -> None:
    answer.set_cookie(
        COOKIE, secret, max_age=int(STAYS.total_seconds()), httponly=True, samesite="lax", secure=request.url.scheme == "https"
    )  # fmt: skip


@router.post("/logout")
def sign_out(request: Request, studio: StudioHere) -> Response:
    studio.people.end(cookie_of(request.headers))
    answer = RedirectResponse("/login", 303)
    answer.delete_cookie(COOKIE)
    return answer


# -- oneself ----------------------------------------------------------------------------------


def initials(name: str) -> str:
    """At most two letters that stand for a name."""
    words = [w for w in name.replace(".", " ").split() if w[0].isalnum()]
    return "".join(w[0] for w in (words[:1] + words[-1:] if len(words) > 1 else words)).upper() or "?"


@router.get("/me/line")
def line(visitor: VisitorHere) -> HTMLResponse:
    """Who is signed in, for the top bar."""
    return render(
        "people/line.html",
        {"visitor": visitor, "open": visitor is OPEN, "role": "", "slug": "", "initials": initials(visitor.name)},
    )


@router.get("/studies/{slug}/me/line")
def line_of_study(row: RowHere, visitor: VisitorHere) -> HTMLResponse:
    """Who is signed in and what they may do with a study."""
    role = visitor.role(row.id) or ""
    return render(
        "people/line.html",
        {
            "visitor": visitor,
            "open": visitor is OPEN,
            "role": role,
            "slug": row.slug,
            "initials": initials(visitor.name),
        },
    )


def _me(studio: Studio, visitor: Visitor, notice: str = "", wrong: str = "", secret: str = "") -> HTMLResponse:
    if visitor is OPEN or visitor.by_token:
        raise HTTPException(404, "nobody is signed in here")
    found = {"visitor": visitor, "tokens": studio.people.tokens(visitor.id), "notice": notice, "wrong": wrong, "secret": secret, "roles": ROLES, "shown": SHOWN}  # fmt: skip
    return render("people/me.html", found, 422 if wrong else 200)


@router.get("/me")
def me(studio: StudioHere, visitor: VisitorHere) -> HTMLResponse:
    return _me(studio, visitor)


@router.post("/me/password")
def change_password(request: Request, studio: StudioHere, visitor: VisitorHere, old: Typed, new: Typed) -> HTMLResponse:
    """Takes another password; all other browsers have to sign in again."""
    key = f"password of {visitor.id}"
    if studio.throttle.wait({key: BY_PERSON}) > 0:
        return _me(studio, visitor, wrong="too many wrong ones; try again in some minutes")
    if studio.people.check(visitor.name, old) != visitor.id:
        studio.throttle.failed([key])
        return _me(studio, visitor, wrong="this is not your password so far")
    try:
        studio.people.change_password(visitor.id, new, cookie_of(request.headers))
    except PersonRefused as error:
        return _me(studio, visitor, wrong=str(error))
    return _me(studio, visitor, "Your password is changed; other browsers have to sign in again.")


@router.post("/me/tokens")
def add_token(studio: StudioHere, visitor: VisitorHere, title: Typed, role: Annotated[Role, Form()] = "view") -> HTMLResponse:  # fmt: skip
    try:
        secret = studio.people.add_token(visitor.id, title, role)
    except PersonRefused as error:
        return _me(studio, visitor, wrong=str(error))
    return _me(studio, visitor, secret=secret)


@router.post("/me/tokens/{number}/drop")
def drop_token(studio: StudioHere, visitor: VisitorHere, number: int) -> HTMLResponse:
    studio.people.drop_token(visitor.id, number)
    return _me(studio, visitor, "The token is dropped; whoever used it is not let in any more.")


# -- the list of people -----------------------------------------------------------------------


def _people(studio: Studio, visitor: Visitor, notice: str = "", wrong: str = "", before: int | None = None) -> HTMLResponse:  # fmt: skip
    if visitor is OPEN:
        raise HTTPException(404, "nobody signs in here yet: 'brook people add NAME --administers' begins with it")
    done = studio.people.done(100, before=before)
    found = {"visitor": visitor, "people": studio.people.every(), "done": done, "older": done[-1].id if len(done) == 100 else 0, "notice": notice, "wrong": wrong}  # fmt: skip
    return render("people/page.html", found, 422 if wrong else 200)


@router.get("/people")
def people(studio: StudioHere, visitor: VisitorHere, before: int | None = None) -> HTMLResponse:
    return _people(studio, visitor, before=before)


@router.post("/people")
def add_person(studio: StudioHere, visitor: VisitorHere, name: Typed, password: Typed, administers: Annotated[str, Form()] = "") -> HTMLResponse:  # fmt: skip
    try:
        studio.people.add(name, password, bool(administers))
    except PersonRefused as error:
        return _people(studio, visitor, wrong=str(error))
    return _people(studio, visitor, f"{name.strip()} may sign in. Say on Who of a study what they may do with it.")


@router.post("/people/{number}/{what}")
def change_person(studio: StudioHere, visitor: VisitorHere, number: int, what: str, password: Typed = "") -> Response:  # fmt: skip
    """Gives another password, lets administer or not, or takes somebody off the list."""
    people = studio.people
    try:
        if what == "password":
            people.change_password(number, password)
        elif what in ("raise", "lower"):
            people.set_administers(number, what == "raise")
        elif what == "remove":
            if number == visitor.id:
                raise PersonRefused("nobody takes themselves off the list; let another one do it")
            people.remove(number)
        else:
            raise HTTPException(404, "there is no such change")
    except PersonRefused as error:
        return _people(studio, visitor, wrong=str(error))
    return RedirectResponse("/people", 303)


# -- who may do what with a study -------------------------------------------------------------


def _who(studio: Studio, row: Any, visitor: Visitor, wrong: str = "") -> HTMLResponse:
    if visitor is OPEN:
        raise HTTPException(404, "nobody signs in here yet: 'brook people add NAME --administers' begins with it")
    shares, people = studio.people.shares(row.id), studio.people.every()
    rows = [(EVERYBODY, "Everybody who is signed in", shares.get(EVERYBODY, ""), False)]
    rows += [(p.id, p.name, "administer" if p.administers else shares.get(p.id, ""), p.administers) for p in people]
    try:
        title = studio.store.study(row.slug).title
    except ValueError:
        title = row.slug
    found = {"slug": row.slug, "title": title or row.slug, "rows": rows, "roles": ROLES, "shown": SHOWN, "wrong": wrong, "done": studio.people.done(60, row.slug)}  # fmt: skip
    return render("people/who.html", found, 422 if wrong else 200)


@router.get("/studies/{slug}/people")
def who(studio: StudioHere, row: RowHere, visitor: VisitorHere) -> HTMLResponse:
    return _who(studio, row, visitor)


@router.post("/studies/{slug}/people/{number}")
def share(studio: StudioHere, row: RowHere, visitor: VisitorHere, number: int, role: Annotated[str, Form(max_length=12)] = "") -> Response:  # fmt: skip
    """Says what somebody, or everybody, may do with a study."""
    wanted = next((r for r in ROLES if r == role), None)
    try:
        if role and wanted is None:
            raise PersonRefused(f"'{role}' is none of {', '.join(ROLES)}")
        studio.people.share(row.id, number, wanted)
    except PersonRefused as error:
        return _who(studio, row, visitor, str(error))
    return RedirectResponse(f"/studies/{row.slug}/people", 303)
