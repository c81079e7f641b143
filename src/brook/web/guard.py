"""What stands before every request: host, origin, size and time; and the headers that every answer carries."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import Iterable

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse, PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
        "object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
OWN_HOSTS = ("127.0.0.1", "localhost", "::1")
LARGEST_BODY = 4_000_000
LARGEST_FILE = 600_000_000  # of a shape that is brought in; it goes to the disk piece by piece
LARGEST_ARCHIVE = 20_000_000_000
FILES = re.compile(r"/studies/[^/]+/geometry/[^/]+/files$|/api/studies/[^/]+/shapes/[^/]+/files$")
SLOWEST_PART = 30.0  # seconds between two pieces of a request
SLOWEST = {LARGEST_BODY: 120.0, LARGEST_FILE: 3600.0, LARGEST_ARCHIVE: 6 * 3600.0}  # for all of it
HARMLESS = ("GET", "HEAD", "OPTIONS")


class TooLarge(Exception):
    pass


class TooSlow(Exception):
    pass


def host_name(host: str) -> str:
    """The name in a Host header, without its port."""
    if host.startswith("["):
        return host[1:].split("]", 1)[0]
    return host.rsplit(":", 1)[0] if ":" in host else host


class Guard:
    """Lets through what comes from this server's own pages or from no page at all, in sensible size and time."""

    def __init__(self, app: ASGIApp, hosts: Iterable[str] = ()):
        self.app = app
        self.hosts = {*OWN_HOSTS, *hosts}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        begun = False

        async def answer(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                kept = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    kept[name] = value
            await send(message)

        refused = self._refusal(scope, headers)
        if refused is not None:
            status, words = refused
            await _say(headers, status, words)(scope, receive, answer)
            return
        taken = 0
        most = largest_of(scope)
        ends = time.monotonic() + SLOWEST[most]
        sent = False

        async def take() -> Message:
            nonlocal taken, sent
            if scope["method"] in HARMLESS or sent:
                return await receive()  # that the other side goes away, for one
            try:
                message = await asyncio.wait_for(receive(), min(SLOWEST_PART, max(0.0, ends - time.monotonic())))
            except TimeoutError as error:
                raise TooSlow from error
            taken += len(message.get("body", b""))
            sent = not message.get("more_body", False)
            if taken > most:
                raise TooLarge
            return message

        try:
            await self.app(scope, take, answer)
        except TooLarge:
            if not begun:
                await _say(headers, 413, _large(most))(scope, receive, answer)
        except TooSlow:
            if not begun:
                await _say(headers, 408, "the request came too slowly and was given up; try again")(
                    scope, receive, answer
                )

    def _refusal(self, scope: Scope, headers: Headers) -> tuple[int, str] | None:
        host = headers.get("host", "")
        if host_name(host) not in self.hosts:
            return 421, "Brook does not answer under this name; open it by the address it printed when it started"
        if not scope["path"].isprintable():
            return (
                400,
                "this address has signs in it that none of Brook's has",
            )  # a line break at its end, say: rules and routes might read it differently
        if scope["method"] in HARMLESS:
            return None
        origin = headers.get("origin")
        foreign = origin is not None and origin.split("://", 1)[-1] != host
        if foreign or headers.get("sec-fetch-site", "none") not in ("same-origin", "none"):
            return 403, "a change has to come from Brook's own pages"
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > largest_of(scope):
            return 413, _large(largest_of(scope))
        return None


def largest_of(scope: Scope) -> int:
    """How many bytes a request may have at its address."""
    if scope["method"] == "POST" and scope["path"] in ("/archives", "/api/archives"):
        return LARGEST_ARCHIVE
    return LARGEST_FILE if scope["method"] == "POST" and FILES.match(scope["path"]) else LARGEST_BODY


def _large(most: int) -> str:
    return f"a request may have {most // 1_000_000} MB here, this one is larger"


def _say(headers: Headers, status: int, words: str) -> ASGIApp:
    if "text/html" in headers.get("accept", ""):
        return PlainTextResponse(words, status)
    return JSONResponse({"detail": words}, status)
