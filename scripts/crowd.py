"""Twenty people at once, and an hour of work whose server is killed again and again: what `scripts/reliability.py` says of them.

A person here asks as a page does: it has the news of its study open, looks at pages and their parts, types values, takes steps back, and starts to type again. One process
stands for their browsers, which would need more of this machine than the server does.
"""

from __future__ import annotations

import asyncio
import os
import random
import re
import sqlite3
import threading
import time
from collections import Counter
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import httpx
import numpy as np

from brook.core.study import study_text
from tests.core.studies import raw_tray, tray
from tests.web.test_crash import Server

PEOPLE = 20
SECONDS = float(os.environ.get("BROOK_CROWD", "300"))
HOUR = float(os.environ.get("BROOK_HOUR", "3600"))
KILLS = 10
PAGES = ("", "/set-up", "/run", "/results", "/compare", "/mesh", "/geometry", "/history")
QUICK = {"mesh_plan": {"bulk": "12 mm", "wall": "10 mm"}, "run_rules": {"residual": "1e-3", "monitor_window": 5}}


@dataclass
class Seen:
    """What people saw: seconds of pages and of edits, what each typed last and was told to be kept, and what went wrong."""

    pages: list[float] = field(default_factory=list)
    edits: list[float] = field(default_factory=list)
    kept: dict[tuple[str, str], str] = field(default_factory=dict)
    count: int = 0
    wrong: Counter[str] = field(default_factory=Counter)


def _study(names: list[str], **more: Any) -> str:
    """A tray with a value for each of some people."""
    raw = raw_tray(**more)
    raw["named_values"] |= dict.fromkeys(names, "1 mm")
    return study_text(tray(**{k: v for k, v in raw.items() if k not in ("format", "version")}))


async def _ask(port: int, method: str, path: str, form: dict[str, str] | None = None) -> tuple[int, bytes]:
    """Status and body of a request, by as little code as it takes: this machine is to serve, not to ask."""
    body = urlencode(form or {}).encode()
    head = f"{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nAccept: text/html\r\nHX-Request: true\r\nConnection: close\r\n"
    head += f"Content-Type: application/x-www-form-urlencoded\r\nContent-Length: {len(body)}\r\n" if form else ""
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    writer.write(head.encode() + b"\r\n" + body)
    answer = await reader.read()
    writer.close()
    return int(answer[9:12]), answer


async def _news(port: int, slug: str, ends: float, seen: Seen) -> None:
    """Has the news of a study open, as every page has, and looks again when somebody changed it."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    writer.write(f"GET /studies/{slug}/events?page=board&window=w HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n".encode())
    while time.monotonic() < ends:
        with suppress(TimeoutError):
            line = await asyncio.wait_for(reader.readline(), 1.0)
            if b'"changed"' in line:
                await _timed(seen, seen.pages, port, "GET", f"/studies/{slug}?part=body")
    writer.close()


async def _timed(seen: Seen, of: list[float], port: int, method: str, path: str, form: dict[str, str] | None = None) -> bool:  # fmt: skip
    begun = time.perf_counter()
    status, answer = await _ask(port, method, path, form)
    of.append(time.perf_counter() - begun)
    if status >= 400 or b"error in Brook itself" in answer:
        seen.wrong[f"{method} {re.sub('[0-9]+', 'N', path)} {status}"] += 1
        return False
    return True


async def _person(port: int, slug: str, name: str, ends: float, seen: Seen) -> None:
    chance, typed = random.Random(f"{slug}{name}"), 0
    while time.monotonic() < ends:
        await asyncio.sleep(chance.uniform(1.0, 4.0))
        if chance.random() < 0.35:
            typed += 1
            form = {"page": "board", "pointer": f"/named_values/{name}", "value": f"{typed} mm", "was": f"{typed - 1 or 1} mm"}  # fmt: skip
            if await _timed(seen, seen.edits, port, "POST", f"/studies/{slug}/edit", form):
                seen.kept[slug, name] = f"{typed} mm"
                seen.count += 1
        else:
            part = chance.choice(("", "?part=body"))
            await _timed(seen, seen.pages, port, "GET", f"/studies/{slug}{chance.choice(PAGES)}{part}")


async def _people(port: int, slugs: dict[str, list[str]], seen: Seen) -> None:
    ends = time.monotonic() + SECONDS
    await asyncio.gather(
        *(
            one(port, slug, name, ends, seen) if one is _person else one(port, slug, ends, seen)
            for one in (_person, _news)
            for slug, names in slugs.items()
            for name in names
        )
    )  # type: ignore[operator]


def crowd(data: Path) -> str:
    """Twenty people who look and type, four studies, two runs that compute."""
    server = Server(data)
    server.start()
    groups = {f"study{k}": [f"person{k}_{j}" for j in range(PEOPLE // 4)] for k in range(4)}
    slugs = {
        server.http.post("/studies", content=_study(names, title=t).encode()).json()["slug"]: names
        for t, names in groups.items()
    }
    long = {"run_rules": {"residual": "1e-30", "iterations": 100_000}, "mesh_plan": {"bulk": "1 mm", "wall": "0.5 mm"}}
    busy = server.http.post("/studies", content=_study([], title="computes", **long).encode()).json()["slug"]
    for slug in slugs:
        server.http.post(f"/studies/{slug}/run", json={})
    time.sleep(15)  # their results are there, and code is compiled
    server.http.post(f"/studies/{busy}/run", json={})
    time.sleep(5)
    seen = Seen()
    asyncio.run(_people(server.port, slugs, seen))
    running = sum(lane["state"] == "running" for lane in server.http.get("/desk").json())
    lost = 0
    for slug, names in slugs.items():
        values = server.http.get(f"/studies/{slug}/document").json()["named_values"]
        lost += sum((slug, name) in seen.kept and values[name] != seen.kept[slug, name] for name in names)
    server.end()
    share, slow, typed = (float(f(seen.pages)) for f in (lambda p: 100 * np.mean(np.array(p) < 0.2), lambda p: 1000 * np.quantile(p, 0.95), lambda _: 1000 * np.quantile(seen.edits, 0.95)))  # fmt: skip
    wrong = ", ".join(f"{n} × {what}" for what, n in seen.wrong.items() if n) or "none"
    return (
        f"{PEOPLE} people for {SECONDS / 60:.0f} min, {running} runs computing: {len(seen.pages)} pages, {share:.1f} % of them in less than 200 ms, 95 % in {slow:.0f} ms "
        f"(middle {1000 * float(np.median(seen.pages)):.0f} ms); {seen.count} edits kept, 95 % in {typed:.0f} ms, {lost} lost; errors: {wrong}"
    )


def hour(data: Path) -> str:
    """Edits, steps back, runs and sweeps for an hour; the server is killed at random moments of it and started again."""
    server, chance = Server(data), random.Random(11)
    server.start()
    sweep = {"name": "supply", "title": "Supply", "variant": "hanging", "values": [{"name": "supply", "low": "3 mm/s", "high": "6 mm/s", "steps": 8}]}  # fmt: skip
    slug = server.http.post(
        "/studies", content=_study(["note"], title="an hour", sweeps=[sweep], **QUICK).encode()
    ).json()["slug"]
    begun = time.monotonic()
    moments = sorted(begun + chance.uniform(5, HOUR - 20) for _ in range(KILLS))
    kept, last, lost, runs, sound, killed = 0, "1 mm", 0, 0, 0, 0

    def check() -> None:
        nonlocal lost, sound
        now = server.http.get(f"/studies/{slug}/document").json()["named_values"]["note"]
        lost += float(now.split()[0]) < float(last.split()[0])  # what was on its way may be kept too
        with sqlite3.connect(data / "brook.db") as db:
            sound += db.execute("PRAGMA integrity_check").fetchone() == ("ok",)

    while time.monotonic() < begun + HOUR:
        if moments and time.monotonic() > moments[0]:
            moments.pop(0)
            threading.Timer(chance.uniform(0.0, 1.0), server.process.kill).start()
            killed += 1
        with suppress(httpx.TransportError):
            what = chance.random()
            if what < 0.6:
                text = f"{float(last.split()[0]) + 1:.0f} mm"
                if server.http.post(f"/studies/{slug}/edit", json={"values": {"/named_values/note": text}}).status_code == 200:  # fmt: skip
                    last, kept = text, kept + 1
            elif what < 0.8:
                text = f"{chance.uniform(3, 6):.4f} mm/s"
                server.http.post(f"/studies/{slug}/edit", json={"values": {"/named_values/supply": text}})
                runs += len(server.http.post(f"/studies/{slug}/run", json={}).json().get("queued", ()))
            elif what < 0.85:
                server.http.post(f"/studies/{slug}/aim", json={"kind": "sweep", "sweep": "supply"})
            else:
                server.http.get(f"/studies/{slug}")
            time.sleep(chance.uniform(0.1, 1.5))
        if server.process.poll() is not None:
            server.http.close()
            server.start()
            check()
    ends = time.monotonic() + 300
    while time.monotonic() < ends and any(r["state"] in ("queued", "running") for r in server.http.get("/desk").json()):
        time.sleep(1)
    with sqlite3.connect(data / "brook.db") as db:
        states = Counter(state for (state,) in db.execute("SELECT state FROM runs"))
        unread = sum(not (data / "results" / "run" / key / "fields.npz").exists() for (key,) in db.execute("SELECT key FROM results WHERE stage = 'run'"))  # fmt: skip
    server.end()
    told = ", ".join(f"{n} {state}" for state, n in states.items())
    return (
        f"killed {killed} times at random moments of {HOUR / 60:.0f} min of edits, runs and sweeps: {kept} edits acknowledged, {lost} lost; database sound {sound} of {killed} times; "
        f"{sum(states.values())} runs: {told}; results without their fields: {unread}"
    )
