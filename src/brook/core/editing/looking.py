"""Actions on what a study keeps of looking at results: own fields, plates, plots and their reference points."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

from brook.core.editing.pointers import EditRefused, entry_at, name_from
from brook.core.study import Problem


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
    """Keeps a picture in space: `picture` is JSON with its `layers`, `look` and `colours`; `range` is `low, high` in SI units."""
    try:
        told = json.loads(picture)
        parts = {name: told[name] for name in ("layers", "look", "colours")}
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
    raw: dict[str, Any], quantity: str, title: str = "", along: str = "distance", over: str = "line", **ends: str
) -> str:
    """A plot of a quantity along one line, from `start_x`, `start_y` to `end_x`, `end_y`, in space with `start_z` and `end_z` too;
    `over` the line itself or sections across it."""
    plots = raw["plots"]
    title = title.strip() or f"{quantity.replace('_', ' ').capitalize()} along a line"
    plots.append({
        "name": name_from(title, [p["name"] for p in plots]), "title": title, "quantity": quantity, "along": along, "over": over,
        "lines": [_line("Line 1", ends)],
    })  # fmt: skip
    return f"/plots/{len(plots) - 1}"


def add_line(raw: dict[str, Any], pointer: str, **ends: str) -> str:
    """One more line in a plot."""
    lines = entry_at(raw, pointer, "plots")["lines"]
    lines.append(_line(f"Line {len(lines) + 1}", ends))
    return f"{pointer}/lines/{len(lines) - 1}"


def _line(title: str, ends: dict[str, str]) -> dict[str, str]:
    """Raises `TypeError` where an end is missing or there is something else."""
    needed, known = {"start_x", "start_y", "end_x", "end_y"}, {"start_z", "end_z"}
    if missing := needed - ends.keys():
        raise TypeError(f"missing argument: {', '.join(sorted(missing))}")
    if strange := ends.keys() - needed - known:
        raise TypeError(f"unexpected argument: {', '.join(sorted(strange))}")
    return {"title": title, **ends}


def plot_range(raw: dict[str, Any], pointer: str, axis: str, low: str = "", high: str = "", factor: str = "1") -> str:
    """Own range of a plot's `position` or `value` axis, given in a unit with `factor` units for one of SI."""
    plot = entry_at(raw, pointer, "plots")
    key = {"position": "position_range", "value": "value_range"}[axis]
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
    references = entry_at(raw, pointer, "plots").setdefault("references", [])
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
    "plot_range": plot_range, "add_reference": add_reference,
}  # fmt: skip
