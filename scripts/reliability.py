"""Tries what must not lose anything, and writes docs/reliability.md: kills, lost workers, a full disk, a read-only folder, memory
that is taken, a clock that goes back.

Run as root on Linux from the project's folder: `python -m scripts.reliability`. It takes some minutes; about 20 GB are touched.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import psutil

from brook.core.geometry.files import write_file
from brook.core.study import study_text
from brook.store import Author, Store, history, tables
from scripts.crowd import crowd, hour
from tests.core.studies import tray
from tests.core.surfaces import tube
from tests.web.test_crash import Server

OUT = Path(__file__).parent.parent / "docs/reliability.md"
MOMENTS = int(os.environ.get("BROOK_MOMENTS", "20"))
COARSE = tray(mesh_plan={"bulk": "12 mm", "wall": "10 mm"}, run_rules={"residual": "1e-3", "monitor_window": 5})
LONG = tray(run_rules={"residual": "1e-30", "iterations": 100_000}, mesh_plan={"bulk": "2 mm", "wall": "1 mm"})


def until(so: Callable[[], Any], seconds: float = 120) -> Any:
    end = time.monotonic() + seconds
    while not (found := so()):
        if time.monotonic() > end:
            raise TimeoutError
        time.sleep(0.1)
    return found


def study(server: Server, content: Any) -> str:
    return f"/studies/{server.http.post('/studies', content=study_text(content).encode()).json()['slug']}"


def variant(server: Server, base: str, name: str) -> dict[str, Any]:
    return next(v for v in server.http.get(f"{base}/variants").json() if v["name"] == name)


def workers_of(server: Server) -> list[int]:
    found = []
    for process in psutil.Process(server.process.pid).children(recursive=True):
        with contextlib.suppress(psutil.Error):
            if process.cpu_percent(0.3) > 50:
                found.append(process.pid)
    return found


def kills(data: Path) -> str:
    """Edits, runs and an upload at once; the server is killed in the middle of them."""
    chance, server = random.Random(7), Server(data)
    server.start()
    base = study(server, COARSE)
    shape = study(
        server, tray(variants=[{"name": "a", "title": "A", "geometry": {"kind": "space"}}], places={}, requirements=[])
    )
    file = write_file("a.stl", tube(80, 80))
    kept, lost, uploads, half, starts, seen = 0, 0, 0, 0, [], []
    for moment in range(MOMENTS):
        moved: list[int] = []

        def upload(
            address: str = f"http://127.0.0.1:{server.port}/api{shape}/shapes/a/files", told: list[int] = moved
        ) -> None:
            with contextlib.suppress(httpx.HTTPError):
                told.append(httpx.post(address, files={"file": ("a.stl", file)}, timeout=60).status_code)

        server.http.post(f"{base}/run", json={})
        bringing = threading.Thread(target=upload)
        bringing.start()
        ends = time.monotonic() + chance.uniform(0.1, 2.0)
        threading.Timer(ends - time.monotonic(), server.process.kill).start()
        number, last = 0, None
        with contextlib.suppress(httpx.TransportError):
            while True:
                number += 1
                text = f"{3 + (moment * 50 + number) * 0.001:.3f} mm/s"
                if server.http.post(f"{base}/edit", json={"values": {"/named_values/supply": text}}).status_code == 200:
                    last, kept = text, kept + 1
        server.process.wait()
        server.http.close()
        bringing.join()
        begun = time.monotonic()
        server.start()
        starts.append(time.monotonic() - begun)
        now = server.http.get(f"{base}/document").json()["named_values"]["supply"]
        lost += last is not None and float(now.split()[0]) < float(last.split()[0]) - 1e-9
        uploads += moved == [200]
        until(lambda: not list((data / "shapes").glob(".*")), 30)
        half += any(p.stat().st_size not in (len(file),) for p in (data / "shapes").glob("*"))
        with sqlite3.connect(data / "brook.db") as db:
            seen.append(db.execute("PRAGMA integrity_check").fetchone() == ("ok",))
    server.http.post(f"{base}/run", json={})
    until(
        lambda: (
            server.http.post(f"{base}/run", json={})
            and all(v["fresh"] for v in server.http.get(f"{base}/variants").json())
        )
    )
    server.end()
    return (
        f"{MOMENTS} kills between 0.1 and 2 s after edits, runs and an upload of {len(file) / 1e6:.1f} MB began: {kept} edits "
        f"acknowledged, {lost} lost; {uploads} uploads acknowledged, {half} half-written files; database sound "
        f"{sum(seen)} of {MOMENTS} times; it answered again after {min(starts):.1f} to {max(starts):.1f} s; all runs ended in the end"
    )


def lost_workers(data: Path) -> str:
    server = Server(data)
    server.start()
    base = study(server, LONG)
    server.http.post(f"{base}/run", json={})
    checkpoints = data / "results" / "checkpoint"
    until(lambda: list(checkpoints.glob("*.npz")))
    (pid, *_) = until(lambda: workers_of(server))
    os.kill(pid, signal.SIGKILL)
    begun = time.monotonic()
    until(lambda: [p for p in workers_of(server) if p != pid])
    went_on = time.monotonic() - begun
    kills = 1
    while variant(server, base, "plain")["run"] in ("queued", "running") and kills < 12:
        for pid in workers_of(server):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
                kills += 1
        time.sleep(1)
    until(lambda: variant(server, base, "plain")["run"] == "failed", 90)
    words = variant(server, base, "plain")["message"]
    server.end()
    return (
        f"a worker killed in mid-run: another one computed {went_on:.1f} s later, from the last checkpoint; workers killed "
        f"again and again: the run says “{words}”"
    )


def mounted(data: Path, size: str) -> None:
    data.mkdir(parents=True, exist_ok=True)
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", data], check=True)


def full_disk(data: Path) -> str:
    mounted(data, "48m")
    try:
        server = Server(data)
        server.start()
        base = study(
            server, tray(mesh_plan={"bulk": "2 mm", "wall": "1 mm"}, run_rules={"residual": "1e-4", "iterations": 3000})
        )
        ballast = data / "ballast"
        server.http.post(f"{base}/run", json={})
        until(lambda: variant(server, base, "plain")["run"] == "running")
        with contextlib.suppress(OSError), ballast.open("wb", buffering=0) as out:
            while True:
                out.write(b"0" * 4096)

        answers = [
            server.http.post(f"{base}/edit", json={"values": {"/brief/notes": f"{k} " * 1200}}) for k in range(40)
        ]
        refused = [a for a in answers if a.status_code == 507]
        warning = server.http.get("/room").json()["warning"]
        time.sleep(15)
        state = variant(server, base, "plain")["run"]
        ballast.unlink()
        until(lambda: all(v["run"] == "converged" for v in server.http.get(f"{base}/variants").json()))
        taken = [a for a in answers if a.status_code == 200]
        again = server.http.post(f"{base}/edit", json={"values": {"/title": "Room again"}}).status_code
        changes = server.http.get(base).json()["changes"]
        server.end()
        return (
            f"filled in mid-run: {len(refused)} of {len(answers)} edits answered 507 “{refused[0].json()['detail']}”, "
            f"{len(taken)} were taken; the top bar said “{warning}”; the runs were {state} and waited 15 s; with room again both "
            f"converged, an edit was taken ({again}), and the study counts {changes} changes, {1 + len(taken)} and this one"
        )
    finally:
        subprocess.run(["umount", "-l", data], check=True)


def read_only(data: Path) -> str:
    mounted(data, "200m")
    try:
        server = Server(data)
        server.start()
        study(server, COARSE)
        server.end()
        server.process.wait()
        time.sleep(3)
        subprocess.run(["mount", "-o", "remount,ro", data], check=True)
        command = [
            sys.executable,
            "-c",
            "from brook.cli import app; app()",
            "serve",
            "--data",
            str(data),
            "--port",
            "8470",
        ]
        started = subprocess.run(command, capture_output=True, text=True, timeout=60)
        return (
            f"a start on it: “{started.stderr.strip().splitlines()[-1]}”, exit {started.returncode}. A folder that becomes "
            "read-only while it is served cannot be made here (the system keeps it writable as long as files are open); "
            "`tests/attacks/test_room.py` has what is answered then"
        )
    finally:
        subprocess.run(["umount", "-l", data], check=True)


def memory_out(data: Path) -> str:
    free = psutil.virtual_memory().available
    keep = 1_500_000_000
    eats = f"a = bytearray({free - keep}); a[::4096] = b'1' * len(a[::4096]); print('full', flush=True); input()"
    server = Server(data)
    server.start()
    base = study(
        server, tray(mesh_plan={"bulk": "0.1 mm", "wall": "0.1 mm"}, run_rules={"residual": "1e-2", "iterations": 5})
    )
    eater = subprocess.Popen([sys.executable, "-c", eats], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert eater.stdout is not None
    eater.stdout.readline()
    left = psutil.virtual_memory().available
    server.http.post(f"{base}/run", json={"until": "mesh"})
    board = f"http://127.0.0.1:{server.port}{base}"
    words = until(lambda: "waits for memory" in (page := httpx.get(board).text) and page, 60)
    told = words[words.index("waits for memory") :].split("<")[0]
    before = httpx.get(board).status_code
    eater.communicate("\n")
    until(lambda: all(v["run"] == "meshed" for v in server.http.get(f"{base}/variants").json()), 200)
    server.end()
    return (
        f"{left / 1e9:.1f} GB left of {psutil.virtual_memory().total / 1e9:.0f}: a mesh of a million cells said “… {told}”, pages "
        f"answered {before}; when the other program ended, both meshes were made"
    )


def clock_back(data: Path) -> str:
    store = Store(data)
    slug = store.add_study(tray(), "new", Author("Ada"))
    real = tables.now

    def change(title: str) -> None:
        store.change_study(slug, tray(title=title), title, store.study_row(slug).changes, Author("Ada"))

    change("Before")
    for module in (tables, history):
        module.now = lambda: datetime.now(UTC).replace(tzinfo=None) - timedelta(days=400)  # type: ignore[attr-defined]
    try:
        change("After")
        first = store.add_run(store.study_row(slug).id, "plain", "{}", "mesh")
        assert first is not None
        store.change_run(first.id, state="failed")
        second = store.add_run(store.study_row(slug).id, "plain", "{}", "mesh")
        assert second is not None
        newest = store.newest_runs(store.study_row(slug).id)["plain"].id == second.id
        order = [r.what for r in store.revisions(store.study_row(slug).id)] == ["After", "Before", "new"]
        undone = store.undo(slug, Author("Ada")) == "After" and store.study(slug).title == "Before"
    finally:
        for module in (tables, history):
            module.now = real  # type: ignore[attr-defined]
        store.close()
    certificate = subprocess.run(
        ["openssl", "x509", "-in", str(_keys(data)), "-noout", "-dates"], capture_output=True, text=True
    ).stdout.replace("\n", " ")
    return (
        f"400 days back between two changes: history in order {order}, undo right {undone}, newest run known {newest}; the "
        f"queue's certificate holds from 2000 to 2100 ({certificate.strip() or 'not looked at'}). On the shelf a study changed "
        "with a clock that is behind stands lower until it is changed again"
    )


def _keys(data: Path) -> Path:
    from brook.runs.keys import CERTIFICATE, FOLDER, Keys

    Keys.of(data)
    return data / FOLDER / CERTIFICATE


TRIED = {
    "Server killed (kill -9)": kills, "Worker lost": lost_workers, "Disk full": full_disk, "Folder read-only": read_only,
    "Memory taken": memory_out, "Clock set back": clock_back, "Many at once": crowd, "An hour of kills": hour,
}  # fmt: skip


def main(names: list[str]) -> None:
    found: dict[str, str] = (
        json.loads(Path(tempfile.gettempdir(), "brook-reliability.json").read_text()) if names else {}
    )
    for name, tries in TRIED.items():
        if names and name not in names:
            continue
        data = Path(tempfile.mkdtemp(prefix="brook-tried-"))
        begun = time.monotonic()
        try:
            found[name] = tries(data)
        finally:
            shutil.rmtree(data, ignore_errors=True)
        print(f"{name}, {time.monotonic() - begun:.0f} s: {found[name]}", flush=True)
        Path(tempfile.gettempdir(), "brook-reliability.json").write_text(json.dumps(found))
    lines = [
        "# What was tried on it", "",
        f"Made by `python -m scripts.reliability` on {datetime.now(UTC):%d %b %Y}, {os.cpu_count()} cores.", "",
        "| tried | what happened |", "|---|---|", *(f"| {name} | {found[name]} |" for name in TRIED if name in found), "",
        "Quick forms of the same are in `tests/attacks` and `tests/web/test_crash.py`, part of `make test`.", "",
    ]  # fmt: skip
    OUT.write_text("\n".join(lines))


if __name__ == "__main__":
    main(sys.argv[1:])
