"""Twenty people at once, and an hour of work whose server is killed again and again: what `scripts/reliability.py` says of them.

A person here asks as a page does: it has the news of its study open, looks at pages and their parts, types values, takes steps back, and starts to type again. Threads of one
process stand for browsers, which would need more of this machine than the server does.
"""

from __future__ import annotations

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


def _news(address: str, slug: str, ends: float, seen: Seen, lock: threading.Lock) -> None:
    """Has the news of a study open, as every page has, and looks again when somebody changed it."""
    http = httpx.Client(base_url=address, timeout=60, headers={"accept": "text/html"})
    while time.monotonic() < ends:
        with (
            suppress(httpx.HTTPError),
            httpx.stream("GET", f"{address}/studies/{slug}/events?page=board&window=w", timeout=15) as news,
        ):
            for line in news.iter_lines():
                if time.monotonic() > ends:
                    return
                if '"changed"' in line:  # by somebody: the page comes in anew
                    begun = time.perf_counter()
                    answer = http.get(f"/studies/{slug}", params={"part": "body"})
                    with lock:
                        seen.pages.append(time.perf_counter() - begun)
                        seen.wrong[f"GET body {answer.status_code}"] += answer.status_code >= 400


def _person(address: str, slug: str, name: str, ends: float, seen: Seen, lock: threading.Lock) -> None:
    chance = random.Random(f"{slug}{name}")
    typed = 0
    threading.Thread(target=_news, args=(address, slug, ends, seen, lock), daemon=True).start()
    with httpx.Client(base_url=address, timeout=60, headers={"accept": "text/html"}) as http:
        while time.monotonic() < ends:
            time.sleep(chance.uniform(1.0, 4.0))
            begun = time.perf_counter()
            if chance.random() < 0.35:
                typed += 1
                text = f"{typed} mm"
                answer = http.post(f"/studies/{slug}/edit", data={"page": "board", "pointer": f"/named_values/{name}", "value": text, "was": f"{typed - 1 or 1} mm"})  # fmt: skip
                took, of = time.perf_counter() - begun, seen.edits
            else:
                answer = http.get(
                    f"/studies/{slug}{chance.choice(PAGES)}", params={"part": "body"} if chance.random() < 0.5 else None
                )
                took, of = time.perf_counter() - begun, seen.pages
            with lock:
                of.append(took)
                if answer.status_code >= 400 or "error in Brook itself" in answer.text:
                    seen.wrong[f"{answer.request.method} {re.sub('[0-9]+', 'N', answer.request.url.path)} {answer.status_code}"] += 1  # fmt: skip
                elif of is seen.edits:
                    seen.kept[slug, name] = text
                    seen.count += 1


def crowd(data: Path) -> str:
    """Twenty people who look and type, four studies, two runs that compute."""
    server = Server(data)
    server.start()
    address = f"http://127.0.0.1:{server.port}"
    groups = {f"study{k}": [f"person{k}_{j}" for j in range(PEOPLE // 4)] for k in range(4)}
    slugs = {
        server.http.post("/studies", content=_study(names, title=t).encode()).json()["slug"]: names
        for t, names in groups.items()
    }
    long = {"run_rules": {"residual": "1e-30", "iterations": 100_000}, "mesh_plan": {"bulk": "1 mm", "wall": "0.5 mm"}}
    busy = server.http.post("/studies", content=_study([], title="computes", **long).encode()).json()["slug"]
    for slug in slugs:
        server.http.post(f"/studies/{slug}/run", json={})
    time.sleep(30)  # their results are there, and code is compiled
    server.http.post(f"/studies/{busy}/run", json={})
    time.sleep(5)
    seen, lock, ends = Seen(), threading.Lock(), time.monotonic() + SECONDS
    people = [threading.Thread(target=_person, args=(address, slug, name, ends, seen, lock)) for slug, names in slugs.items() for name in names]  # fmt: skip
    for one in people:
        one.start()
    for one in people:
        one.join()
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
