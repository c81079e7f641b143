"""Files changed at random are read or refused in a sentence; they never break, hang or take all memory.

Each format is tried in a process of its own with little memory, as libraries in C could end it. The changes are the same at
every run; `BROOK_FUZZ=N python -m tests.core.test_fuzz FORMAT` tries N others.
"""

from __future__ import annotations

import io
import os
import re
import resource
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

ROOT = Path(__file__).parents[2]
TRIED = 150
MEMORY = 3 * 2**30
SLOW = 20.0  # seconds for one small file, kernels apart
NUMBERS = (
    b"-1",
    b"0",
    b"1e308",
    b"-1e-308",
    b"nan",
    b"inf",
    b"99999999999999999999",
    b"2147483648",
    b"4294967295",
    b"",
    b"7 7",
    b"x",
)


def drawing() -> bytes:
    """A DXF with a closed polyline with a bulge, an arc, a circle and a spline."""
    import ezdxf

    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    for name in ("$FINGERPRINTGUID", "$VERSIONGUID"):  # else they are others each time
        document.header[name] = "{0}"
    space = document.modelspace()
    space.add_lwpolyline([(0, 0, 0, 0, 0.4), (60, 0), (60, 20), (0, 20)], close=True)
    space.add_circle((100, 0), 7)
    space.add_arc((0, 50), 5, 0, 200)
    space.add_spline([(0, 80), (10, 90), (20, 80), (10, 70)])
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def surface_3mf() -> bytes:
    from brook.core.geometry.files import write_file
    from brook.core.geometry.solids import solid
    from brook.core.study import Resolved

    part = Resolved(kind="sphere", x=0.0, y=0.0, z=0.0, diameter=1.0, around=12, patch="skin", pattern=None)
    return write_file("a.3mf", solid(part))


def mesh_file(suffix: str) -> bytes:
    import tempfile

    from brook.core.mesh.files import write_mesh
    from tests.core.meshes import box_mesh

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"a.{suffix}"
        write_mesh(path, box_mesh((3, 3, 2), bend=0.03))
        return path.read_bytes()


def read_outline(data: bytes) -> None:
    from brook.core.geometry.outline_files import read_outline

    assert np.isfinite(read_outline("a.dxf", data, "mm", 200)).all()


def read_surface(data: bytes) -> None:
    from brook.core.geometry.files import read_file

    surface = read_file("a.3mf", data)
    assert surface.count
    assert np.isfinite(surface.points).all()


def read_mesh(suffix: str) -> Callable[[bytes], None]:
    def read(data: bytes) -> None:
        from brook.core.mesh.files import read_mesh

        mesh = read_mesh(f"a.{suffix}", data)
        assert mesh.cell_count
        assert (mesh.volume > 0).all()

    return read


FORMATS: dict[str, tuple[Callable[[], bytes], Callable[[bytes], None]]] = {
    "dxf": (drawing, read_outline),
    "3mf": (surface_3mf, read_surface),
    "vtu": (lambda: mesh_file("vtu"), read_mesh("vtu")),
    "cgns": (lambda: mesh_file("cgns"), read_mesh("cgns")),
}


def changed(data: bytes, random: np.random.Generator) -> bytes:
    """The same with a few bytes, a number, or a stretch changed, or cut short."""
    at = int(random.integers(len(data)))
    way = random.choice(5, p=(0.15, 0.1, 0.1, 0.1, 0.55))
    if way == 0:
        found = bytearray(data)
        for _ in range(int(random.integers(1, 6))):
            found[int(random.integers(len(found)))] = int(random.integers(256))
        return bytes(found)
    if way == 1:
        return data[:at]
    size = int(random.integers(1, max(2, len(data) // 8)))
    if way == 2:
        return data[:at] + data[at : at + size] * int(random.integers(2, 4)) + data[at + size :]
    if way == 3:
        return data[:at] + data[at + size :]
    numbers = list(re.finditer(rb"[-+]?\d+(?:\.\d*)?(?:[eE][-+]?\d+)?", data))
    if not numbers:
        return data[:at]
    one = numbers[int(random.integers(len(numbers)))]
    return data[: one.start()] + NUMBERS[int(random.integers(len(NUMBERS)))] + data[one.end() :]


def changed_tree(data: bytes, random: np.random.Generator) -> bytes:
    """An HDF5 file with another value, length or kind of number in one of its arrays, or a node taken out or renamed."""
    import h5py

    held = io.BytesIO(data)
    with h5py.File(held, "r+") as file:
        nodes: list[str] = []
        file.visit(nodes.append)
        arrays = [n for n in nodes if isinstance(file[n], h5py.Dataset)]
        name = arrays[int(random.integers(len(arrays)))]
        way = random.choice(4, p=(0.6, 0.2, 0.1, 0.1))
        if way == 0:
            values = file[name][...]
            flat = values.reshape(-1)
            limits = (0, 1, -1, 127) if flat.dtype.kind in "iu" and flat.itemsize == 1 else (0, 1, -1, 2**31 - 1, 3, 7)
            with np.errstate(all="ignore"):
                flat[int(random.integers(len(flat)))] = random.choice(
                    limits + ((np.nan, 1e308) if flat.dtype.kind == "f" else ())
                )
            file[name][...] = values
        elif way == 1:
            values = file[name][...].reshape(-1)
            kind = random.choice([values.dtype.str, "<f4", "<i8"])
            del file[name]
            file[name] = values[: int(random.integers(len(values) + 1))].astype(kind)
        elif way == 2:
            del file[nodes[int(random.integers(len(nodes)))]]
        else:
            file.move(name, name + "x")
    return held.getvalue()


def changed_file(data: bytes, random: np.random.Generator) -> bytes:
    """The same, in an archive or a tree also within one of its parts."""
    if data[1:4] == b"HDF" and random.random() < 0.8:
        return changed_tree(data, random)
    if not zipfile.is_zipfile(io.BytesIO(data)) or random.random() < 0.2:
        return changed(data, random)
    made = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as new:
        names = old.namelist()
        which = (
            names[int(random.integers(len(names)))]
            if random.random() < 0.3
            else max(names, key=lambda n: old.getinfo(n).file_size)
        )
        for name in names:
            content = old.read(name)
            new.writestr(name, changed(content, random) if name == which else content)
    return made.getvalue()


def try_all(name: str, count: int, seed: int) -> int:
    """How many of so many changed files could still be read. Raises whatever is no refusal in one line."""
    from brook.core.geometry.files import FileError

    make, read = FORMATS[name]
    whole = make()
    read(whole)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    readable = 0
    for k in range(count):
        data = changed_file(whole, np.random.default_rng([seed, k]))
        begun, refused = time.perf_counter(), ""
        try:
            read(data)
            readable += 1
        except FileError as error:
            refused = str(error)
        except BaseException as error:
            raise AssertionError(f"changed file {seed} {k} of {name} broke its reader: {error!r}") from error
        took = time.perf_counter() - begun
        assert "\n" not in refused, f"changed file {seed} {k} of {name}: {refused!r}"
        assert len(refused) < 300, f"changed file {seed} {k} of {name}: {refused!r}"
        assert took < SLOW, f"changed file {seed} {k} of {name} took {took:.0f} s"
    return readable


@pytest.mark.slow
@pytest.mark.parametrize("name", FORMATS)
def test_changed_files_are_read_or_refused_in_a_sentence(name):
    done = subprocess.run(
        [sys.executable, "-m", "tests.core.test_fuzz", name], text=True, capture_output=True, cwd=ROOT, timeout=280
    )
    assert done.returncode == 0, f"{done.stdout}\n{done.stderr[-3000:]}"
    assert (
        0 < int(done.stdout) < TRIED
    )  # some could be read, some could not: the changes were neither too small nor too large


if __name__ == "__main__":
    others = int(os.environ.get("BROOK_FUZZ", "0"))
    print(try_all(sys.argv[1], others or TRIED, int(time.time()) if others else 1))
