"""Actions on what a study keeps of looking at results: own fields, plates, plots and their reference points."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

from brook.core.editing.pointers import EditRefused, entry_at, name_from
from brook.core.study import Problem

COURSES = {"values": "as it goes on", "mean": "running mean", "spectrum": "spectrum"}


def add_field(raw: dict[str, Any], name: str, value: str) -> str:
    """A field by formula."""
    name = name.strip()
    if name in raw["fields"]:
        raise EditRefused([Problem(f"/fields/{name}", f"'{name}' is there already; change it in its place")])
    raw["fields"][name] = value.strip()
    return f"/fields/{name}"


def add_plate(
    raw: dict[str, Any], quantity: str, title: str = "", camera: str = "", range: str = "", streamlines: str = "",
    arrows: str = "", mesh_lines: str = "",
) -> str:  # fmt: skip
    """Keeps a picture: `camera` is `x, y, across` in m, or of a result in space `x, y, across; axis: place` with where it is cut;
    `range` is `low, high` in SI units."""
    plates = raw["plates"]
    title = title.strip() or quantity.replace("_", " ").capitalize()
    plate: dict[str, Any] = {
        "name": name_from(title, [p["name"] for p in plates]),
        "title": title,
        "quantity": quantity,
    }
    camera, _, cut = camera.partition(";")
    if camera:
        x, y, across = numbers(camera, 3)
        plate["camera"] = {"x": x, "y": y, "across": across}
    if range:
        plate["range"] = numbers(range, 2)
    if cut:
        axis, _, at = cut.partition(":")
        plate["cut"] = {"across": axis.strip(), "at": numbers(at, 1)[0]}
    plate |= {"streamlines": bool(streamlines), "arrows": bool(arrows), "mesh_lines": bool(mesh_lines)}
    plates.append(plate)
    return f"/plates/{len(plates) - 1}"


def add_plate_in_space(raw: dict[str, Any], quantity: str, picture: str, title: str = "", range: str = "") -> str:
    """Keeps a picture in space: `picture` is JSON with its `layers`, `look`, `colours` and `less`; `range` is `low, high` in SI units."""
    try:
        told = json.loads(picture)
        parts = {name: told[name] for name in ("layers", "look", "colours")} | {"less": told.get("less", "")}
    except (ValueError, TypeError, KeyError):
        raise EditRefused([Problem("", "this is no picture in space")]) from None
    if not parts["layers"]:
        raise EditRefused([Problem("", "this picture shows nothing yet; add a cut, walls, a surface or streamlines")])
    plates = raw["plates"]
    title = title.strip() or quantity.replace("_", " ").capitalize()
    plate = {"name": name_from(title, [p["name"] for p in plates]), "title": title, "quantity": quantity} | parts
    if range:
        plate["range"] = numbers(range, 2)
    plates.append(plate)
    return f"/plates/{len(plates) - 1}"


def add_plot(
    raw: dict[str, Any], quantity: str, title: str = "", along: str = "distance", over: str = "line", kind: str = "line", **line: str
) -> str:  # fmt: skip
    """A plot of a quantity along one line of a kind, or over sections across it; see `add_line`."""
    plots = raw["plots"]
    title = title.strip() or f"{quantity.replace('_', ' ').capitalize()} {WHERE.get(kind, 'along a line')}"
    plots.append({
        "name": name_from(title, [p["name"] for p in plots]), "title": title, "quantity": quantity, "along": along, "over": over,
        "lines": [_line(kind, 1, line)],
    })  # fmt: skip
    return f"/plots/{len(plots) - 1}"


WHERE = {"rim": "round a rim", "belt": "along a patch", "middle": "through the middle"}
WHICH = {"line": "Line", "rim": "Rim", "belt": "Belt", "middle": "Middle"}
# Of each kind of line what has to be said, and what can be.
LINES = {
    "line": ({"start_x", "start_y", "end_x", "end_y"}, {"start_z", "end_z", "via"}),
    "rim": ({"patch"}, set[str]()),
    "belt": ({"patch"}, {"across", "at"}),
    "middle": ({"start", "end"}, set[str]()),
}


def add_line(raw: dict[str, Any], pointer: str, kind: str = "line", **line: str) -> str:
    """One more line in a plot: from `start_x`, `start_y` to `end_x`, `end_y`, in space with `start_z` and `end_z` too, `via` places
    as in `1 mm, 2 mm, 0 mm; 4 mm, 2 mm, 0 mm`; the `rim` of a `patch`; a `belt` of one `across` an axis `at` a place; through the
    `middle` from the patch `start` to `end`."""
    lines = entry_at(raw, pointer, "plots")["lines"]
    lines.append(_line(kind, len(lines) + 1, line))
    return f"{pointer}/lines/{len(lines) - 1}"


def _line(kind: str, number: int, said: dict[str, str]) -> dict[str, Any]:
    """Raises `TypeError` where something is missing or there is something else."""
    if kind not in LINES:
        raise EditRefused([Problem("", f"there is no kind of line '{kind}'; known are {', '.join(LINES)}")])
    needed, known = LINES[kind]
    if missing := needed - said.keys():
        raise TypeError(f"missing argument: {', '.join(sorted(missing))}")
    if strange := said.keys() - needed - known:
        raise TypeError(f"unexpected argument: {', '.join(sorted(strange))}")
    via = [_place(text) for text in said.get("via", "").split(";") if text.strip()]
    line = {"kind": kind, "title": f"{WHICH[kind]} {number}"} | {
        name: text for name, text in said.items() if name != "via"
    }
    return line | ({"via": via} if via else {})


def _place(text: str) -> dict[str, str]:
    """A place whose coordinates are separated by commas, the last left out in plane studies."""
    parts = [part.strip() for part in text.split(",")]
    if not 2 <= len(parts) <= 3:
        raise EditRefused([Problem("", "a place needs two or three coordinates, separated by commas")])
    return dict(zip("xyz", parts, strict=False))


def add_via(raw: dict[str, Any], pointer: str) -> str:
    """One more corner in a line of a plot, half way of its last piece. `pointer` is that of the line."""
    plot, _, number = pointer.partition("/lines/")
    lines = entry_at(raw, plot, "plots")["lines"]
    if not number.isdigit() or int(number) >= len(lines) or lines[int(number)].get("kind", "line") != "line":
        raise KeyError(pointer)
    line = lines[int(number)]
    via = line.setdefault("via", [])
    last = via[-1] if via else {axis: line.get(f"start_{axis}", "0 mm") for axis in "xyz"}
    end = {axis: line.get(f"end_{axis}", "0 mm") for axis in "xyz"}
    via.append(
        {axis: last[axis] if last[axis] == end[axis] else f"(({last[axis]}) + ({end[axis]})) / 2" for axis in "xyz"}
    )
    return f"{pointer}/via/{len(via) - 1}/x"


def add_course(
    raw: dict[str, Any], reading: str = "", shows: str = "values", title: str = "", written: str = ""
) -> str:
    """A plot of how a reading goes on in a run: that of a requirement, or one that is `written` out."""
    courses = raw.setdefault("courses", [])
    known = {r["name"]: r["title"] for r in raw["requirements"]}
    reading = written.strip() or reading
    if reading not in known and "." not in reading:
        raise EditRefused(
            [Problem("", f"there is no requirement '{reading}'; write what is to be read, as in inlet.pressure.mean")]
        )
    title = title.strip() or f"{known.get(reading, reading)}, {COURSES.get(shows, shows)}"
    taken = [p["name"] for p in (*raw["plots"], *courses)]
    courses.append({"name": name_from(title, taken), "title": title, "readings": [reading], "shows": shows})
    return f"/courses/{len(courses) - 1}"


def add_reading(raw: dict[str, Any], pointer: str, reading: str) -> str:
    """One more reading in a plot of how they go on; the same once more takes it out."""
    readings, reading = entry_at(raw, pointer, "courses")["readings"], reading.strip()
    if reading in readings and len(readings) > 1:
        readings.remove(reading)
    elif reading not in readings:
        readings.append(reading)
    return f"{pointer}/readings"


def add_particles(raw: dict[str, Any], patch: str = "", title: str = "") -> str:
    """Particles that come in through a patch, or without one from a ball."""
    clouds = raw.setdefault("particles", [])
    title = title.strip() or ("Grains from " + patch.replace("_", " ") if patch else "Grains from a ball")
    source = {"kind": "patch", "patch": patch} if patch else {"kind": "ball"}
    in_space = any(v["geometry"].get("kind") == "space" for v in raw["variants"])
    falls = {"gravity_z" if in_space else "gravity_y": "-9.81 m/s^2"}
    clouds.append({"name": name_from(title, [c["name"] for c in clouds]), "title": title, "source": source, **falls})
    return f"/particles/{len(clouds) - 1}"


def particle_wall(raw: dict[str, Any], pointer: str, patch: str) -> str:
    """Says what a patch does to particles, once."""
    cloud = entry_at(raw, pointer, "particles")
    walls = cloud.setdefault("walls", [])
    at = next((k for k, wall in enumerate(walls) if wall["patch"] == patch), len(walls))
    if at == len(walls):
        walls.append({"patch": patch})
    return f"{pointer}/walls/{at}/does"


def _plot_at(raw: dict[str, Any], pointer: str) -> dict[str, Any]:
    """A plot along lines, or one of readings."""
    return entry_at(raw, pointer, "courses" if pointer.startswith("/courses/") else "plots")


def second_axis(raw: dict[str, Any], pointer: str, quantity: str = "") -> str:
    """Another quantity at the right of a plot, or without one none."""
    plot = entry_at(raw, pointer, "plots")
    plot["second"] = (plot.get("second") or {}) | {"quantity": quantity} if quantity else None
    return f"{pointer}/second"


def plot_range(raw: dict[str, Any], pointer: str, axis: str, low: str = "", high: str = "", factor: str = "1") -> str:
    """Own range of a plot's `position`, `value` or `second` axis, given in a unit with `factor` units for one of SI."""
    plot = _plot_at(raw, pointer)
    if axis == "second":
        pointer, plot = f"{pointer}/second", plot["second"] or {}
    key = {"position": "position_range", "value": "value_range", "second": "range"}[axis]
    if not low.strip() and not high.strip():
        plot[key] = None
        return f"{pointer}/{key}"
    scale = numbers(factor, 1)[0]
    try:
        ends = [number / scale for number in numbers(f"{low}, {high}".replace("−", "-"), 2)]
    except (ValueError, ZeroDivisionError):
        problem = Problem(f"{pointer}/{key}", "a range needs two numbers, the smaller one first")
        raise EditRefused([problem]) from None
    plot[key] = ends
    return f"{pointer}/{key}"


def add_reference(raw: dict[str, Any], pointer: str, title: str, position: str, value: str, source: str = "") -> str:
    """Reference points for a plot, in SI units, separated by commas."""
    references = _plot_at(raw, pointer).setdefault("references", [])
    references.append({"title": title, "source": source, "position": numbers(position), "value": numbers(value)})
    return f"{pointer}/references/{len(references) - 1}"


def numbers(text: str, count: int | None = None) -> list[float]:
    """Numbers separated by commas. Raises `ValueError`."""
    found = [float(part) for part in text.split(",")]
    if count is not None and len(found) != count:
        raise ValueError(f"{count} numbers are needed, not {len(found)}")
    if not all(math.isfinite(f) for f in found):
        raise ValueError("numbers have to be finite")
    return found


ACTIONS: dict[str, Callable[..., str]] = {
    "add_field": add_field, "add_plate": add_plate, "add_plate_in_space": add_plate_in_space, "add_plot": add_plot, "add_line": add_line,
    "add_via": add_via, "second_axis": second_axis, "plot_range": plot_range, "add_reference": add_reference, "add_course": add_course, "add_reading": add_reading, "add_particles": add_particles, "particle_wall": particle_wall,
}  # fmt: skip
