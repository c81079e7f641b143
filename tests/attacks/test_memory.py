"""More than the machine has: asked before it begins, waited for or refused with the figure, and told when it ended a run."""

import json
import os
import platform
import subprocess
import sys
import threading

import pytest

from brook.core import memory
from brook.core.checks import prepare
from brook.core.memory import TooLarge, needed
from brook.core.stages.batch import run_to_folder
from brook.core.stages.expected import cells_of
from brook.core.study import study_text
from brook.runs import Request, RunQueue
from brook.runs.memory import Memory, Unwanted
from brook.runs.queue import reason
from brook.runs.task import bring_up_to_date
from tests.core.studies import raw_tray, tray

GB = 10**9


@pytest.fixture
def machine(monkeypatch):
    """A machine of 10 GB whose free memory can be set."""
    state = {"free": 10 * GB}
    monkeypatch.setattr(memory, "machine_total", lambda: 10 * GB)
    monkeypatch.setattr(memory, "machine_free", lambda: state["free"])
    monkeypatch.setattr(memory, "PROGRAM", 3 * GB)  # so that a small mesh needs more than this process has already
    monkeypatch.setattr("brook.runs.memory.EVERY", 0.01)
    return state


def test_the_expected_cells_are_those_of_the_mesh(tmp_path):
    study = tray()
    ended = bring_up_to_date(Request(1, study_text(study), "plain", str(tmp_path), "mesh"), lambda event: None)
    made = int(ended["message"].split()[0])
    assert cells_of(prepare(study, study.variant("plain")), []) == pytest.approx(made, rel=0.1)


def test_a_mesh_larger_than_the_machine_is_refused_with_the_figure(machine, tmp_path, monkeypatch):
    monkeypatch.setattr(memory, "machine_total", lambda: 4 * GB)
    fine = tray(mesh_plan={"bulk": "0.08 mm", "wall": "0.08 mm"})
    with pytest.raises(
        TooLarge,
        match=r"the mesh of about [\d ,.\u202f]+ cells needs about \d.* GB of memory and this machine has 3.8 GB",
    ):
        bring_up_to_date(Request(1, study_text(fine), "plain", str(tmp_path)), lambda event: None)
    with pytest.raises(TooLarge, match="choose larger cells"):
        run_to_folder(fine, "plain", tmp_path / "out", print)
    assert not (tmp_path / "mesh").exists()


def test_a_command_says_how_much_is_free(machine, tmp_path):
    machine["free"] = GB // 10
    with pytest.raises(TooLarge, match=r"0\.1 GB are free now"):
        run_to_folder(tray(), "plain", tmp_path / "out", print)


def test_a_run_waits_for_memory_and_says_so(machine, tmp_path):
    machine["free"] = GB // 10
    told = []

    def emit(event):
        if event["type"] == "trouble":
            told.append(event["words"])
            machine["free"] = 10 * GB  # somebody else ended

    study = tray(brief=raw_tray()["brief"])
    ended = bring_up_to_date(Request(1, study_text(study), "hanging", str(tmp_path)), emit)
    assert ended["state"] == "converged"
    assert "waits for memory: it needs about" in told[0]
    assert told[-1] == ""


def test_waiting_for_memory_can_be_stopped(machine, tmp_path):
    machine["free"] = 0
    wishes = iter(["go on", "go on", "stop"])
    ended = bring_up_to_date(
        Request(1, study_text(tray()), "hanging", str(tmp_path)), lambda event: None, lambda: next(wishes, "stop")
    )
    assert ended["state"] == "stopped"


def test_two_runs_do_not_both_take_the_same_memory(machine, tmp_path):
    """Another process has asked for 6 GB and not taken it yet; as soon as it is gone, the room is there."""
    cells = (6 * GB - memory.PROGRAM) // (needed(1) - needed(0))
    holder = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
    node = platform.node()
    (tmp_path / "memory.json").write_text(json.dumps({f"{node}:{holder.pid}": 6 * GB}))
    mine, entered, told = Memory(tmp_path), threading.Event(), []

    def take():
        with mine.taken(cells, "the run", told.append, lambda: "go on"):
            entered.set()

    waiting = threading.Thread(target=take)
    waiting.start()
    assert not entered.wait(0.3)
    assert "the run waits for memory: it needs about 6.0 GB" in told[0]
    holder.communicate(b"\n")
    assert entered.wait(10)
    waiting.join()
    assert json.loads((tmp_path / "memory.json").read_text()) == {}


def test_what_was_asked_for_is_given_back(machine, tmp_path):
    mine = Memory(tmp_path)
    with pytest.raises(RuntimeError), mine.taken(5, "the run", print, lambda: "go on"):
        raise RuntimeError
    assert json.loads((tmp_path / "memory.json").read_text()) == {}
    (tmp_path / "memory.json").write_text('{"half')
    with mine.taken(5, "the run", print, lambda: "go on"):
        pass
    machine["free"] = 0
    with pytest.raises(Unwanted), mine.taken(5, "the run", print, lambda: "stop"):
        pass


def test_a_process_that_asks_for_more_than_there_is_gets_an_error_and_not_the_machine():
    asks = "from brook.core.memory import mind_limits, machine_total; mind_limits(); bytearray(machine_total())"
    done = subprocess.run([sys.executable, "-c", asks], capture_output=True, text=True, env={**os.environ})
    assert "MemoryError" in done.stderr
    assert "asked for more than the" in reason(MemoryError())


def test_a_run_that_the_system_ended_for_memory_says_so(monkeypatch):
    from distributed.scheduler import KilledWorker

    counted = [3]
    monkeypatch.setattr("brook.runs.queue.killed_for_memory", lambda: counted[0])
    runs = RunQueue(print)
    error = KilledWorker("a", None, 3)
    assert "ended from outside several times" in runs._reason(error)
    counted[0] = 4
    assert "for want of memory; it may go on from its last checkpoint" in runs._reason(error)
    assert "from outside" in runs._reason(error)
