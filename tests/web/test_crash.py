"""A server that dies at any moment: nothing that was acknowledged is lost, and runs go on."""

import json
import os
import random
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time

import httpx
import pytest

from brook.core.study import study_text
from tests.core.studies import tray

pytestmark = [pytest.mark.server, pytest.mark.slow]
# `make crash` takes twenty moments; a few do on every change.
MOMENTS = int(os.environ.get("BROOK_MOMENTS", "5"))
COARSE = tray(mesh_plan={"bulk": "12 mm", "wall": "10 mm"}, run_rules={"residual": "1e-3", "monitor_window": 5})


class Server:
    """`brook serve` in a process of its own, on one data folder."""

    def __init__(self, data):
        self.data = data
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.groups = []

    def start(self):
        command = [
            sys.executable,
            "-c",
            "from brook.cli import app; app()",
            "serve",
            "--data",
            str(self.data),
            "--port",
            str(self.port),
        ]
        self.process = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
        )
        self.groups.append(self.process.pid)
        self.http = httpx.Client(base_url=f"http://127.0.0.1:{self.port}/api", timeout=20)
        end = time.monotonic() + 40
        while time.monotonic() < end:
            try:
                self.http.get("/actions")
                return
            except httpx.TransportError:
                time.sleep(0.05)
        raise AssertionError("the server did not start")

    def kill(self):
        self.process.kill()
        self.process.wait()
        self.http.close()

    def end(self):
        for group in self.groups:
            try:
                os.killpg(group, signal.SIGKILL)
            except ProcessLookupError:
                continue


@pytest.fixture
def server(tmp_path):
    server = Server(tmp_path)
    server.start()
    yield server
    server.end()


def test_a_second_server_on_the_same_data_is_refused(server):
    command = [
        sys.executable,
        "-c",
        "from brook.cli import app; app()",
        "serve",
        "--data",
        str(server.data),
        "--port",
        str(server.port),
    ]
    second = subprocess.run(command, capture_output=True, text=True, timeout=60)
    assert second.returncode != 0
    assert f"another Brook (process {server.process.pid}) serves the data" in second.stderr
    assert "--data" in second.stderr


@pytest.mark.timeout(600)
def test_killing_the_server_at_random_moments_loses_nothing_acknowledged(server):
    """Edits, undos and runs in quick order; the server is killed again and again in the middle of it."""
    chance = random.Random(20261123)
    base = server.http.post("/studies", content=study_text(COARSE).encode()).json()["slug"]
    base = f"/studies/{base}"
    acknowledged = {"changes": 1, "document": server.http.get(f"{base}/document").json()}
    finished, count = {}, 0
    for moment in range(MOMENTS):
        rest = moment % 5 == 4  # a time without changes, in which runs end
        killer = Killer(server, time.monotonic() + (30 if rest else chance.uniform(0.1, 1.5)))
        while True:
            count += 1
            supply, width = f"{3 + count % 40 * 0.01:.2f} mm/s", f"{10 + count % 12} mm"
            pointer, text = chance.choice(
                [("/named_values/supply", supply), ("/variants/1/geometry/shapes/0/width", width)]
            )
            try:
                if rest:
                    answer = server.http.post(f"{base}/run", json={})
                    for variant in server.http.get(f"{base}/variants").json():
                        if variant["run"] == "converged" and variant["fresh"]:
                            finished[(moment, variant["name"])] = {
                                r["requirement"]: r["value"] for r in variant["readings"]
                            }
                            killer.soon(chance.uniform(0.0, 0.4))
                    time.sleep(0.1)
                elif chance.random() < 0.06:
                    answer = server.http.post(f"{base}/run", json={})
                elif chance.random() < 0.15:
                    answer = server.http.post(f"{base}/undo", json={})
                    acknowledged = {
                        "changes": answer.json()["changes"],
                        "document": server.http.get(f"{base}/document").json(),
                    }
                else:
                    answer = server.http.post(f"{base}/edit", json={"values": {pointer: text}})
                    document = server.http.get(f"{base}/document").json()
                    acknowledged = {"changes": answer.json()["changes"], "document": document}
                assert answer.status_code == 200, answer.text
            except httpx.TransportError:
                break
        killer.join()
        server.start()
        now = server.http.get(base).json()["changes"]
        # what was told to be kept is there; at most the one change under way came after it
        assert acknowledged["changes"] <= now <= acknowledged["changes"] + 1
        if now == acknowledged["changes"]:
            assert server.http.get(f"{base}/document").json() == acknowledged["document"]
        with sqlite3.connect(server.data / "brook.db") as database:
            assert database.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    # a study at rest again: its runs end, and are those of its document
    end = time.monotonic() + 90
    while time.monotonic() < end:
        server.http.post(f"{base}/run", json={})
        variants = server.http.get(f"{base}/variants").json()
        if all(v["fresh"] for v in variants):
            break
        time.sleep(0.5)
    assert [(v["run"], v["fresh"], v["message"]) for v in variants if not v["fresh"]] == []
    # every run that was told to be finished is still there under its key, with the same readings
    with sqlite3.connect(server.data / "brook.db") as database:
        kept = {
            json.loads(row[0])["value"]
            for row in database.execute("SELECT summary FROM results WHERE stage = 'reading'")
        }
    finished |= {("at rest", v["name"]): {r["requirement"]: r["value"] for r in v["readings"]} for v in variants}
    assert {value for readings in finished.values() for value in readings.values()} <= kept


class Killer:
    """Kills the server at a moment, whatever it is doing then."""

    def __init__(self, server, moment):
        self.moment = moment

        def kill():
            while time.monotonic() < self.moment:
                time.sleep(0.01)
            server.process.kill()
            server.process.wait()

        self.thread = threading.Thread(target=kill)
        self.thread.start()

    def soon(self, seconds):
        """Brings the moment forward."""
        self.moment = min(self.moment, time.monotonic() + seconds)

    def join(self):
        self.thread.join()
