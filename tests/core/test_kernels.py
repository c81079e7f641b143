"""Compiled code: kept between processes, never stale, compiled once, and ahead of what asks for it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import textwrap
import threading
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.compiling import warming
from brook.core.compiling.kernel import KERNELS, kernel, loop
from brook.core.compiling.kinds import kernel_of, kind_of
from brook.core.compiling.needs import needs
from brook.core.compiling.place import PLACE
from brook.core.compiling.warming import Progress, Warming, warm

ROOT = Path(__file__).parents[2]


def started(code: str, folder: Path, path: Path | None = None) -> subprocess.Popen:
    """Python on this code with its own folder of compiled code."""
    paths = os.pathsep.join([str(path or ROOT), str(ROOT / "src")])
    return subprocess.Popen(
        [sys.executable, "-c", textwrap.dedent(code)], text=True, cwd=ROOT,
        env={**os.environ, PLACE: str(folder), "PYTHONPATH": paths}, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip


def ran(code: str, folder: Path, path: Path | None = None) -> tuple[str, str]:
    process = started(code, folder, path)
    out, errors = process.communicate(timeout=200)
    assert process.returncode == 0, errors
    return out.strip(), errors.strip()


MODULE = """
from brook.core.compiling.kernel import kernel
from more import FACTOR, added

@kernel
def scaled(x):
    return added(FACTOR * x)
"""
MORE = """
from brook.core.compiling.kernel import kernel

FACTOR = {factor}

@kernel
def added(x):
    return x + {more}
"""
CALL = """
from brook.core.compiling.turns import listening
from one import scaled
happened = []
with listening(lambda what, name: happened.append((what, name))):
    print(scaled(10.0), len([w for w, _ in happened if w == "compiling"]))
"""


@pytest.fixture
def modules(tmp_path: Path):
    """Two modules of kernels, one using the other; gives how to write them and what a new process makes of them."""
    (tmp_path / "one.py").write_text(MODULE)

    def answer(factor: str, more: str) -> str:
        (tmp_path / "more.py").write_text(MORE.format(factor=factor, more=more))
        return ran(CALL, tmp_path / "kept", tmp_path)[0]

    return answer


def test_a_loop_counts_no_holders_of_its_arrays(monkeypatch):
    """Two threads that count the holders of one array wait for each other at every face."""
    monkeypatch.setattr("brook.core.compiling.kernel.KERNELS", {})

    @kernel(inline="always")
    def larger(values, i):
        here = values[i]
        return values[i + 1] if values[i + 1] > here else here

    def both(first, last, chunk, one, two, found):
        for i in range(first, last):
            found[i] = larger(one, i) + larger(two, i)

    def counts(compiled) -> bool:
        compiled._cache.disable()  # code that was kept cannot be looked into
        compiled(0, 3, 0, np.arange(4.0), np.ones(4), found := np.zeros(3))
        assert found.tolist() == [2.0, 3.0, 4.0]
        return "NRT_" in compiled.inspect_asm(compiled.signatures[0])

    assert counts(kernel(both))
    assert not counts(loop(both).alone)


@pytest.mark.slow
def test_code_is_compiled_once_and_never_stale(modules, tmp_path):
    """A kernel is made anew when one that it calls, or a number of another module, changes; not when nothing does."""
    assert modules("2.0", "1.0") == "21.0 2"
    assert modules("2.0", "1.0") == "21.0 0"
    assert modules("3.0", "1.0") == "31.0 1"
    assert modules("3.0", "5.0") == "35.0 2"
    assert modules("2.0", "1.0") == "21.0 0"  # what was there before is still there


@pytest.mark.slow
def test_a_damaged_file_is_told_and_made_anew(modules, tmp_path):
    modules("2.0", "1.0")
    for path in (tmp_path / "kept").glob("*.kernel"):
        path.write_bytes(path.read_bytes()[:100])
    out, errors = ran(CALL, tmp_path / "kept", tmp_path)
    assert out.startswith("21.0")
    assert "is damaged" in errors
    assert ran(CALL, tmp_path / "kept", tmp_path) == ("21.0 0", "")


@pytest.mark.slow
def test_a_folder_that_cannot_be_written_to_is_told(modules, tmp_path):
    modules("2.0", "1.0")
    (tmp_path / "file").write_text("")
    out, errors = ran(CALL, tmp_path / "file", tmp_path)
    assert out.startswith("21.0")
    assert "cannot be kept" in errors
    assert PLACE in errors


@pytest.mark.slow
def test_a_folder_that_others_may_write_to_is_not_used(modules, tmp_path):
    """What lies there is run, so it has to be the user's own."""
    modules("2.0", "1.0")
    (tmp_path / "kept").chmod(0o777)
    out, errors = ran(CALL, tmp_path / "kept", tmp_path)
    assert out == "21.0 2"
    assert "others may write to it" in errors


def test_compiling_ahead_where_nothing_can_be_kept_is_no_success(tmp_path):
    (tmp_path / "file").write_text("")
    command = [sys.executable, "-m", "brook.cli", "warm"]
    surroundings = {**os.environ, PLACE: str(tmp_path / "file")}
    done = subprocess.run(command, capture_output=True, text=True, env=surroundings, timeout=60)
    assert done.returncode == 1
    assert "cannot be kept" in done.stderr
    assert f"0 of {len(needs())} kernels" in done.stderr


@pytest.mark.parametrize(
    "wrong", [["warm", "--processes", "-3"], ["serve", "--port", "99999"], ["demo", "--port", "abc"]]
)
def test_a_wrong_value_of_an_option_is_told(wrong):
    said = CliRunner().invoke(app, wrong)
    assert said.exit_code == 2
    assert wrong[1] in said.output


@pytest.mark.slow
def test_processes_that_need_the_same_at_once_compile_it_once(modules, tmp_path):
    (tmp_path / "more.py").write_text(MORE.format(factor="2.0", more="1.0"))
    both = [started(CALL, tmp_path / "kept", tmp_path) for _ in range(3)]
    answers = [process.communicate(timeout=200)[0].split() for process in both]
    assert {a[0] for a in answers} == {"21.0"}
    assert sum(int(a[1]) for a in answers) == 2


def test_the_list_names_kernels_that_are_there_for_kinds_that_can_be_read():
    seen = set()
    for k, need in enumerate(needs()):
        kernel, types = kernel_of(need)
        assert KERNELS[need.kernel] is kernel
        assert tuple(kind_of(t) for t in types) == need.takes, need.kernel
        assert k not in need.calls
        assert (need.kernel, need.takes) not in seen
        seen.add((need.kernel, need.takes))


def test_what_is_there_is_not_made_again_and_progress_is_told():
    """With all kernels there, as `make check` has them, the next look at them takes no time."""
    said: list[Progress] = []
    assert warm(said.append).failed == {}
    assert warming.all_there()
    beside = Warming()
    beside.start()
    assert not beside.progress.busy


def test_one_that_failed_is_told_and_may_be_started_again(monkeypatch):
    """As the command line begins it, and the server once more."""

    def broken(*args, **more):
        raise OSError("no room")

    monkeypatch.setattr(warming, "all_there", lambda: False)
    monkeypatch.setattr(warming, "warm", broken)
    beside = Warming()
    beside.start()
    beside.wait_for_first()
    beside.stop()
    beside.start()
    assert not beside.progress.busy
    assert "no room" in beside.progress.failed[""]


RUN = """
import json, sys, threading
from pathlib import Path
from brook.core.compiling.warming import Warming
from brook.core.study import study_text
from brook.runs import Request
from brook.runs.task import bring_up_to_date
from tests.core.studies import tray

if __name__ == "__main__":
    kernels = Warming(1)
    if sys.argv[-1] == "warming":
        kernels.start()
        while not kernels.progress.total:
            pass
    study, events = tray(), []
    ended = bring_up_to_date(Request(1, study_text(study), study.variants[0].name, sys.argv[1]), events.append)
    kernels.stop()
    readings = {e["stage"]: e["summary"]["value"] for e in events if e["type"] == "result" and e["stage"].startswith("reading")}
    print(json.dumps([ended["iterations"], readings, [e["words"] for e in events if e["type"] == "compiling"]]))
"""


SLOWEST = 900  # seconds in which even a crowded machine has compiled what a first study needs


def brought(tmp_path: Path, name: str, kernels: Path | None) -> list:
    script = tmp_path / f"{name}.py"
    script.write_text(RUN)
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(ROOT), str(ROOT / "src")])}
    if kernels is not None:
        environment[PLACE] = str(kernels)
    command = [sys.executable, str(script), str(tmp_path / name), "warming" if kernels else "there"]
    done = subprocess.run(command, text=True, capture_output=True, env=environment, timeout=SLOWEST, cwd=ROOT)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout.strip().splitlines()[-1])


@pytest.mark.slow
@pytest.mark.timeout(2 * SLOWEST)
def test_a_run_asked_for_while_kernels_compile_waits_says_so_and_ends_with_the_same_figures(tmp_path):
    iterations, readings, words = brought(tmp_path, "at-once", tmp_path / "none-yet")
    assert any("waits for code" in w for w in words)
    assert not any("compiling code that this run needs" in w for w in words), (
        "the list lacks what the first study needs"
    )
    assert (iterations, readings, []) == tuple(brought(tmp_path, "later", None))
    assert len(readings) >= 2


@pytest.mark.slow
def test_warming_can_be_stopped_and_goes_on_later(tmp_path):
    code = """
    import threading
    from brook.core.compiling.warming import warm
    from brook.core.compiling.needs import needs
    if __name__ == "__main__":
        stop, told = threading.Event(), []
        def say(progress):
            told.append(progress.there)
            if progress.there >= {until}: stop.set()
        done = warm(say, 1, (needs()[0].purpose,), stop=stop)
        print(told[0], done.there, done.busy, done.failed)
    """
    script = tmp_path / "stopping.py"
    there = []
    for until in (2, 4):
        script.write_text(textwrap.dedent(code.format(until=until)))
        environment = {**os.environ, PLACE: str(tmp_path / "kept"), "PYTHONPATH": str(ROOT / "src")}
        done = subprocess.run(
            [sys.executable, str(script)], text=True, capture_output=True, env=environment, timeout=120
        )
        assert done.returncode == 0, done.stderr
        assert done.stdout.split() == ["0", str(until), "False", "{}"]
        there.append(len(list((tmp_path / "kept").glob("*.kernel"))))
    assert there[0] >= 2
    assert there[1] > there[0]
    assert threading.active_count() < 50
