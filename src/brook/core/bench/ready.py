"""How long compiling takes on a new machine."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile

from brook.core.bench.measure import Figure, bandwidth
from brook.core.compiling.place import PLACE
from brook.core.compiling.warming import cores

# in a process of its own, as the folder of compiled code is chosen once
WORK = """
import json, time
from brook.core.compiling.warming import warm
if __name__ == "__main__":
    begun, told = time.perf_counter(), {}
    def say(progress):
        if progress.first_there:
            told.setdefault("first", (time.perf_counter() - begun, progress.there))
    done = warm(say)
    print(json.dumps({**told, "all": (time.perf_counter() - begun, done.there), "failed": done.failed}))
"""


def bench_ready() -> list[Figure]:
    """Seconds to compile, from nothing and on all cores, what the first study needs, and everything.

    Raises `RuntimeError` when a kernel of the list could not be compiled.
    """
    with tempfile.TemporaryDirectory() as folder:
        script = os.path.join(folder, "ready.py")
        with open(script, "w") as file:
            file.write(WORK)
        surroundings = {**os.environ, PLACE: os.path.join(folder, "kernels")}
        done = subprocess.run([sys.executable, script], env=surroundings, capture_output=True, text=True)
    if done.returncode:
        raise RuntimeError(f"compiling did not end: {done.stderr[-400:]}")
    found = json.loads(done.stdout)
    if found["failed"]:
        raise RuntimeError(f"not all kernels of the list could be compiled: {found['failed']}")
    words = {
        "first": "to compile what the first study needs, from nothing",
        "all": "to compile all kernels, from nothing",
    }
    speed = bandwidth()
    return [
        Figure(f"ready-{name}", said, found[name][0], "s", found[name][1], speed, cores())
        for name, said in words.items()
    ]
