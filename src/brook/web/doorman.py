"""Who may do what: stands behind the guard and before every page. As long as there are no people it lets everybody through.

A study that somebody may not see is not there for them. What is written in one place here is what a new route has to be looked up in: anything that is not known to be
harmless needs the right to edit.
"""

from __future__ import annotations

import asyncio
import re
from http.cookies import CookieError, SimpleCookie
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from starlette.datastructures import Headers
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from brook.store import StoreError
from brook.store.people import OPEN, Role, Visitor
from brook.web.guard import HARMLESS

if TYPE_CHECKING:
    from brook.web.studio import Studio

COOKIE = "brook-session"
ANYBODY = re.compile(r"/static/.*|/login")
OF_STUDY = re.compile(r"/(?:api/)?studies/([^/]+)(?:/(.*))?", re.DOTALL)
ARRAYS = re.compile(r"/views/([^/]+)/([^/]+)/.*", re.DOTALL)
OF_RUN = re.compile(r"/(?:api/)?desk/(\d+)(?:/.*)?", re.DOTALL)
KEEPS_PEOPLE = re.compile(r"/people(?:/.*)?", re.DOTALL)
ADMINISTERS = re.compile(r"/room(?:/(?:rule|clear))?")
# what a study is changed by in no way, though it is posted: files that are made of it, and shapes that are only tried
LOOKS = re.compile(
    r"results/[^/]+/(?:movies|files|made/[^/]+/stop)|report/made(?:/[^/]+/stop)?|archive(?:/[^/]+/stop)?|geometry/[^/]+/preview|variants/[^/]+/scene/[^/]+"
)
OWNS = re.compile(r"remove|people(?:/.*)?")
LOCKED_OUT = "sign in first; programs send a token as Authorization: Bearer …"
DONE = (  # what the audit says, by the end of the address
    (r"/edit|/actions?/.*|/act/.*", "changed values"), (r"/undo", "took a step back"), (r"/redo", "took a step again"), (r"/history/\d+", "went to another step"),
    (r"/bring-up-to-date|/run|/go-on-run|/aims?|/sweeps/[^/]+/compute", "ordered runs"), (r"/remove", "removed the study"), (r"/archive|/report/made|/movies|/files", "had a file made"),
    (r"/archives", "took an archive in"), (r"/import|/studies", "made a study"), (r"/people.*", "changed who may do what"), (r"/room/.*", "cleared results, or changed when"),
    (r"/tokens.*", "changed a token"), (r"/password", "changed a password"), (r"/login", "signed in"), (r"/logout", "signed out"), (r"/desk/.*", "changed the order of runs"),
)  # fmt: skip


class Refused(Exception):
    """What a visitor may not do: a status, and words."""

    def __init__(self, status: int, words: str):
        super().__init__(words)
        self.status, self.words = status, words


def visitor_of(request: Request) -> Visitor:
    """Who asks; everybody may do everything as long as nobody signs in."""
    found = getattr(request.state, "visitor", OPEN)
    assert isinstance(found, Visitor)
    return found


def cookie_of(headers: Headers) -> str:
    try:
        found = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return ""
    return found.value if found is not None else ""


class Doorman:
    """Finds out who asks, refuses what they may not, and writes down what was changed."""

    def __init__(self, app: ASGIApp):
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        studio: Studio = scope["app"].state.studio
        headers, path = Headers(scope=scope), scope["path"]
        if studio.people.is_known_empty or not await asyncio.to_thread(studio.people.are_there):
            await self.app(scope, receive, send)
            return
        visitor = await asyncio.to_thread(_who, studio, headers)
        if visitor is None and not ANYBODY.fullmatch(path):
            await _sign_in(scope, headers)(scope, receive, send)
            return
        if visitor is not None:
            scope.setdefault("state", {})["visitor"] = visitor
        try:
            study = await asyncio.to_thread(_mind, studio, visitor, scope["method"], path) if visitor else ""
        except Refused as refused:
            await _answer(headers, refused)(scope, receive, send)
            return
        await self._pass(scope, receive, send, visitor, study)

    async def _pass(self, scope: Scope, receive: Receive, send: Send, visitor: Visitor | None, study: str) -> None:
        """Lets a request through, and writes down a change before it is told to be done."""
        studio: Studio = scope["app"].state.studio
        writes = scope["method"] not in HARMLESS and visitor is not None

        async def answered(message: Message) -> None:
            if writes and visitor is not None and message["type"] == "http.response.start" and message["status"] < 400:
                client = scope.get("client")
                by = f"{visitor.name} by token" if visitor.by_token else visitor.name
                await asyncio.to_thread(
                    studio.people.note, by, done(scope["method"], scope["path"]), study, client[0] if client else ""
                )
            await send(message)

        await self.app(scope, receive, answered)


def done(method: str, path: str) -> str:
    """What a request did, in words and by its address."""
    found = next((words for end, words in DONE if re.search(f"(?:{end})$", path)), "")
    return f"{found} ({method} {path})" if found else f"{method} {path}"


def _who(studio: Studio, headers: Headers) -> Visitor | None:
    scheme, _, secret = headers.get("authorization", "").partition(" ")
    if scheme.lower() == "bearer":
        return studio.people.of_token(secret.strip())
    secret = cookie_of(headers)
    return studio.people.of_session(secret) if secret else None


def _mind(studio: Studio, visitor: Visitor, method: str, path: str) -> str:
    """The address of the study that a request is about. Raises `Refused` for what this visitor may not do."""
    harmless = method in HARMLESS
    if found := OF_STUDY.fullmatch(path):
        return _mind_study(studio, visitor, found[1], _needed(harmless, method, found[2] or ""))
    if found := ARRAYS.fullmatch(path):
        if not any(visitor.may(study, "view") for study in studio.studies_of(found[1], found[2])):
            raise Refused(404, "there is no such array")
        return ""
    if (found := OF_RUN.fullmatch(path)) and not harmless:
        run = studio.store.run(int(found[1][:15]))
        if run is None or not visitor.may(run.study_id, "view"):
            raise Refused(404, "there is no such run")
        if not visitor.may(run.study_id, "edit"):
            raise Refused(403, "you may look at the study of this run, not change it")
        return ""
    if KEEPS_PEOPLE.fullmatch(path) and not visitor.keeps_people:
        raise Refused(403, "only those who administer keep the list of people")
    if ADMINISTERS.fullmatch(path) and not visitor.administers:
        raise Refused(403, "only those who administer see what takes room, and clear it")
    if not harmless and visitor.most == "view":
        raise Refused(403, "this token may look, not change")
    return ""


def _needed(harmless: bool, method: str, rest: str) -> Role:
    if OWNS.fullmatch(rest) or (method == "DELETE" and not rest):
        return "administer"
    return "view" if harmless or LOOKS.fullmatch(rest) else "edit"


def _mind_study(studio: Studio, visitor: Visitor, slug: str, wanted: Role) -> str:
    try:
        study = studio.store.study_row(slug).id
    except StoreError:
        study = -1
    if study < 0 or not visitor.may(study, "view"):
        raise Refused(404, f"there is no study at '{slug[:80]}'")
    if not visitor.may(study, wanted):
        words = "you may look at this study, not change it" if wanted == "edit" else "only those who administer this study may do that"  # fmt: skip
        raise Refused(403, f"{words}; whoever administers it can change that under Who")
    return slug


def _sign_in(scope: Scope, headers: Headers) -> ASGIApp:
    """To the page where one signs in, and back; programs are told how."""
    query = scope.get("query_string", b"").decode("latin-1")
    to = quote(scope["path"] + (f"?{query}" if query else ""), safe="/")
    if "text/html" in headers.get("accept", "") and scope["method"] in HARMLESS and "hx-request" not in headers:
        return RedirectResponse(f"/login?to={to}", 303)
    more = {"HX-Redirect": "/login"} if "hx-request" in headers else {}
    return JSONResponse({"detail": LOCKED_OUT}, 401, {"WWW-Authenticate": "Bearer", **more})


def _answer(headers: Headers, refused: Refused) -> Any:
    from brook.web.pages import render

    if "text/html" in headers.get("accept", "") and "hx-request" not in headers:
        title = "Not here" if refused.status == 404 else "Not yours"
        words = f"{refused.words[:1].upper()}{refused.words[1:]}."
        return render("message.html", {"title": title, "detail": words}, refused.status)
    return JSONResponse({"detail": refused.words}, refused.status)
