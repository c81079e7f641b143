"""A small surface file is looked at without compiled code, quicker and with the same words."""

import random
import subprocess
import sys

import pytest

from brook.core.geometry.files import FileError, read_file, write_file
from brook.core.geometry.files.told import joined_words
from brook.core.geometry.unit_check import in_metres
from brook.core.look import report, unit_lines

SUFFIXES = (".stl", ".obj", ".ply")


def scraps(number: int) -> bytes:
    """A few triangles between few points: they cross, repeat, have no area, share edges three by three."""
    chance = random.Random(number)
    most = chance.choice((2, 3, 5, 1000))
    points = [[chance.randint(0, most) * chance.choice((1, 1, 0.5)) for _ in range(3)] for _ in range(9)]
    lines = ["solid a"]
    for k in range(chance.randint(1, 20)):
        if chance.random() < 0.1:
            lines += ["endsolid a", f"solid b{k}"]
        corners = [f"vertex {' '.join(map(repr, chance.choice(points)))}" for _ in range(3)]
        lines += ["facet normal 0 0 0", "outer loop", *corners, "endloop", "endfacet"]
    return "\n".join([*lines, "endsolid"]).encode()


def said(name: str, data: bytes) -> list[str]:
    """As the command says it."""
    try:
        surface = read_file(name, data)
    except FileError as error:
        return [str(error)]
    return [*unit_lines(surface), *joined_words(surface), *report(in_metres(surface, "mm"))]


PLAIN = """
import sys
from brook.core.compiling.plain import run_plainly
assert run_plainly()
sys.path.insert(0, {folder!r})
from pathlib import Path
from test_plain import said
for name in sys.argv[1:]:
    print("\\n".join(said(name, Path(name).read_bytes())))
assert "numba" not in sys.modules
"""


@pytest.mark.parametrize("suffix", SUFFIXES)
def test_plain_python_says_what_compiled_code_says(tmp_path, suffix):
    names, expected = [], []
    for number in range(25):
        data = scraps(number)
        try:
            data = write_file(f"x{suffix}", read_file("x.stl", data))
        except FileError:
            continue
        path = tmp_path / f"{number}{suffix}"
        path.write_bytes(data)
        names.append(str(path))
        expected += said(str(path), data)
    code = PLAIN.format(folder=str(__file__).rpartition("/")[0])
    done = subprocess.run([sys.executable, "-c", code, *names], capture_output=True, text=True)
    assert (done.stderr, done.returncode) == ("", 0)
    assert len(names) > 10
    assert done.stdout.splitlines() == "\n".join(expected).splitlines()


def test_the_command_looks_at_a_dozen_triangles_without_loading_a_compiler(tmp_path):
    shape = tmp_path / "box.stl"
    shape.write_bytes(scraps(7))
    code = (
        "import sys\nfrom brook.cli import app\nsys.argv = ['brook', 'look', *sys.argv[1:]]\n"
        "try: app()\nexcept SystemExit as end: print('numba' in sys.modules, end.code)"
    )
    done = subprocess.run([sys.executable, "-c", code, str(shape)], capture_output=True, text=True)
    assert done.stdout.splitlines()[-1] == "False 2", done.stderr
    mended = subprocess.run([sys.executable, "-c", code, str(shape), "--mend"], capture_output=True, text=True)
    assert mended.stdout.splitlines()[-1].startswith("True"), mended.stderr
