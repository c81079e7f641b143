"""How soon Brook is ready on a new machine, and how long its checks take: `python scripts/ready.py [--tests] [--out FILE]`.

Clones what is committed to a folder of its own, with empty folders of packages and of compiled code, and runs `make demo`
there; stops it and starts it again; with `--tests` goes on with `make check`, `make test` and `.ci/run` in one more clone
whose kernels are there. Beside them stand a plain loop of Python and the memory bandwidth of the same hour. Linux only.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

ROOT = Path(__file__).parent.parent
PORT = 8557
ADDRESS = f"http://127.0.0.1:{PORT}"
TRAY = "incubation-tray"
LOOPS = 20_000_000
PATIENCE = 600.0
WORDS = {
    "installed": "`make demo` on a new machine: the environment is there",
    "page": "the first page answers",
    "first": "what the first study needs is compiled",
    "reading": "the first board has a reading",
    "board": "all four variants of the first board are read",
    "kernels": "all kernels are compiled, while the demo's studies are computed",
    "second": "a second start: the page answers",
    "second reading": "a second start: the board with its readings answers",
    "warm": "`brook warm` alone, from nothing",
    "look": "`brook look` of a file of a dozen triangles",
    "check": "`make check`, kernels there",
    "test": "`make test`, kernels there",
    "ci": "`.ci/run` in a new clone, kernels there",
}
GOALS = {
    "reading": "60",
    "kernels": "",
    "warm": "80",
    "second": "3",
    "look": "1",
    "check": "90",
    "test": "900",
    "ci": "1200",
}


def answer(path: str) -> object:
    """What the server says; None while it says nothing."""
    try:
        with urllib.request.urlopen(ADDRESS + path, timeout=5) as found:
            text = found.read()
    except OSError:
        return None
    return json.loads(text) if path.startswith("/api") else text


def until(true: Callable[[], bool], begun: float) -> float:
    """Seconds since then once something is true."""
    while not true():
        if time.monotonic() - begun > PATIENCE:
            raise SystemExit("this took too long; the server's words are above")
        time.sleep(0.1)
    return time.monotonic() - begun


def read_of(variant: dict) -> int:
    return sum(1 for r in variant["readings"] if r["shown"])


def variants() -> list[dict]:
    return answer(f"/api/studies/{TRAY}/variants") or []  # type: ignore[return-value]


def compiling() -> dict:
    return answer("/api/compiling") or {"busy": True, "there": 0, "total": 0}  # type: ignore[return-value]


def demo(clone: Path, surroundings: dict[str, str]) -> subprocess.Popen:
    command = ["make", "demo", f"PORT={PORT}"]
    return subprocess.Popen(command, cwd=clone, env=surroundings, stdout=sys.stderr, start_new_session=True)


def ended(process: subprocess.Popen) -> None:
    os.killpg(process.pid, signal.SIGINT)
    process.wait(timeout=60)
    time.sleep(2)


def starts(work: Path) -> dict[str, float]:
    """Seconds of a first and a second start."""
    clone, found = cloned(work, "first"), {}
    surroundings = {**os.environ, "BROOK_KERNELS": str(work / "kernels"), "UV_NO_CACHE": "1", "PIP_NO_CACHE_DIR": "1"}
    begun = time.monotonic()
    process = demo(clone, surroundings)
    found["installed"] = until((clone / ".venv/.ready").exists, begun)
    found["page"] = until(lambda: answer("/") is not None, begun)
    first = firsts(clone)
    found["first"] = until(lambda: compiling()["there"] >= first or not compiling()["busy"], begun)
    found["reading"] = until(lambda: any(map(read_of, variants())), begun)
    found["board"] = until(lambda: len(seen := variants()) > 0 and all(map(read_of, seen)), begun)
    found["kernels"] = until(lambda: not compiling()["busy"], begun)
    ended(process)
    begun = time.monotonic()
    process = demo(clone, surroundings)
    found["second"] = until(lambda: answer("/") is not None, begun)
    found["second reading"] = until(lambda: answer(f"/studies/{TRAY}") is not None, begun)
    ended(process)
    shutil.rmtree(work / "kernels")
    found["warm"] = timed(["brook", "warm"], clone, surroundings)
    (work / "dozen.stl").write_text(box())
    look = ["brook", "look", str(work / "dozen.stl"), "--unit", "mm"]
    timed(look, clone, surroundings)
    found["look"] = min(timed(look, clone, surroundings) for _ in range(5))
    return found


def firsts(clone: Path) -> int:
    """How many kernels the first study needs."""
    said = json.loads((clone / "src/brook/core/compiling/needs.json").read_text())["needs"]
    return sum(1 for need in said if need["for"] == said[0]["for"])


def box() -> str:
    """A cube as text, in twelve triangles."""
    corners = [f"{10 * (k & 1)} {5 * (k & 2)} {2.5 * (k & 4)}" for k in range(8)]
    sides = ((0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5))
    facets = [
        "facet normal 0 0 0\nouter loop\n" + "".join(f"vertex {corners[k]}\n" for k in three) + "endloop\nendfacet\n"
        for a, b, c, d in sides for three in ((a, b, c), (a, c, d))
    ]  # fmt: skip
    return "solid a\n" + "".join(facets) + "endsolid a\n"


def tests(work: Path) -> dict[str, float]:
    """Seconds of checks and tests in a clone whose environment and kernels are there, and of all in another."""
    clone = cloned(work, "second")
    timed(["make", ".venv/.ready-dev", "kernels", "browser", "node_modules/.ready"], clone, dict(os.environ))
    found = {what: timed(["make", what], clone, dict(os.environ)) for what in ("check", "test")}
    return found | {"ci": timed([".ci/run"], cloned(work, "third"), dict(os.environ))}


def cloned(work: Path, name: str) -> Path:
    subprocess.run(["git", "clone", "--quiet", str(ROOT), str(work / name)], check=True)
    if (ROOT.parent / "shared").is_dir() and not (work / "shared").exists():
        shutil.copytree(ROOT.parent / "shared", work / "shared")
    return work / name


def timed(command: list[str], clone: Path, surroundings: dict[str, str]) -> float:
    if command[0] == "brook":
        command = [str(clone / ".venv/bin/brook"), *command[1:]]
    begun = time.monotonic()
    code = subprocess.run(command, cwd=clone, env=surroundings, stdout=sys.stderr).returncode
    if code and command[0].endswith("brook") is False:
        raise SystemExit(f"{' '.join(command)} ended with {code}")
    return time.monotonic() - begun


def machine(clone: Path) -> dict[str, float]:
    """Seconds of a plain loop, and the bandwidth in GB/s."""
    begun = time.perf_counter()
    total = 0
    for k in range(LOOPS):
        total += k * k % 7
    took = time.perf_counter() - begun
    code = "from brook.core.bench.measure import bandwidth; print(bandwidth() / 1e9)"
    said = subprocess.run([str(clone / ".venv/bin/python"), "-c", code], capture_output=True, text=True, check=True)
    return {"loop": took, "bandwidth": float(said.stdout)}


def table(found: dict[str, float], about: dict[str, float]) -> str:
    rows = [
        f"| {words} | {found[name]:.1f} | {GOALS.get(name, '')} |" for name, words in WORDS.items() if name in found
    ]
    return "\n".join([
        f"Made by `python scripts/ready.py` on {datetime.now(UTC):%d %b %Y}, {len(os.sched_getaffinity(0))} cores; the same hour: "
        f"{about['loop']:.2f} s for a plain loop of {LOOPS / 1e6:.0f} million rounds in Python, {about['bandwidth']:.1f} GB/s (STREAM triad).",
        "", "| what | seconds | wanted, at most |", "|---|---:|---:|", *rows, "",
    ])  # fmt: skip


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--tests", action="store_true", help="also make check, make test and .ci/run: most of an hour")
    asked.add_argument("--out", type=Path, help="put the table in place of the one in this file")
    said = asked.parse_args()
    with tempfile.TemporaryDirectory(prefix="brook-ready-") as folder:
        work = Path(folder)
        found = starts(work)
        about = machine(work / "first")
        if said.tests:
            found |= tests(work)
    made = table(found, about)
    print(made)
    if said.out:
        before = said.out.read_text() if said.out.exists() else "<!-- table -->\n<!-- end -->\n"
        head, _, rest = before.partition("<!-- table -->")
        said.out.write_text(f"{head}<!-- table -->\n{made}<!-- end -->{rest.partition('<!-- end -->')[2]}")


if __name__ == "__main__":
    main()
