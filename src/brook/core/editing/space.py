"""Named actions on shapes in space. Places come in m, as a canvas knows them, and are written in mm."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from brook.core.editing.pointers import holder_of, name_from, steps, walk
from brook.core.study.ordered import ORDERED
from brook.core.study.space import TUNNEL_PATCHES

ENDS = {"start": "start", "end": "end", "side": "side"}
FRESH: dict[str, dict[str, Any]] = {
    "box": {}, "cylinder": {}, "cone": {}, "sphere": {}, "torus": {}, "wing": {},
    "pipe": {"path": [{"x": "0 mm", "y": "0 mm", "z": "0 mm"}, {"x": "200 mm", "y": "0 mm", "z": "0 mm", "radius": "80 mm"},
                      {"x": "200 mm", "y": "200 mm", "z": "0 mm"}]},
    "extruded": {}, "revolved": {},
    "sheet": {"columns": [{"to": "200 mm", "cells": 40}], "rows": [{"to": "50 mm", "cells": 20}]},
    "collar": {},
    "tube": {"path": [{"x": "0 mm", "y": "0 mm", "z": "0 mm"}, {"x": "200 mm", "y": "0 mm", "z": "0 mm", "radius": "80 mm"},
                      {"x": "200 mm", "y": "200 mm", "z": "0 mm"}]},
}  # fmt: skip
TURNED = [("20 mm", "0 mm"), ("50 mm", "0 mm"), ("50 mm", "100 mm"), ("20 mm", "100 mm")]
DRAWN = [("0 mm", "0 mm"), ("100 mm", "0 mm"), ("100 mm", "50 mm"), ("0 mm", "50 mm")]


def length_text(metres: float) -> str:
    """A place in mm, to a thousandth."""
    return f"{round(1000 * metres, 3) + 0.0:.10g} mm"


def geometry_of(raw: dict[str, Any], variant: str) -> dict[str, Any]:
    """The space geometry of a variant by its place in the list. Raises `ValueError` for another kind."""
    if not variant.isdigit():
        raise ValueError(f"'{variant}' is not a place in a list")
    geometry = raw["variants"][int(variant)]["geometry"]
    if geometry.get("kind") != "space":
        raise ValueError("this variant is a plane drawing")
    for key in ("parts", "steps", "closings", "bodies"):
        geometry.setdefault(key, [])
    return geometry


def _parsed(text: str) -> Any:
    """What a JSON text holds. Raises `ValueError`."""
    try:
        return json.loads(text)
    except RecursionError:
        raise ValueError("this JSON is nested too deeply") from None


def _part(raw: dict[str, Any], pointer: str) -> dict[str, Any]:
    """The part or shape at a pointer. Raises `KeyError`, or `ValueError` for anything else."""
    part = walk(raw, pointer)
    if not isinstance(part, dict) or "kind" not in part or "/geometry/" not in pointer:
        raise ValueError("this is no part of a shape")
    return part


def _path(variant: str, *rest: Any) -> str:
    return "".join(f"/{p}" for p in ("variants", variant, "geometry", *rest))


def _place(x: str, y: str, z: str) -> dict[str, str]:
    """Coordinates as they stand in the document: numbers are m, as a canvas knows them; all else is what was typed."""
    place = {}
    for axis, text in (("x", x), ("y", y), ("z", z)):
        try:
            place[axis] = length_text(float(text))
        except (ValueError, OverflowError):
            place[axis] = text.strip()
    return place


def _add_solid(raw: dict[str, Any], variant: str, kind: str) -> str:
    geometry = geometry_of(raw, variant)
    name = name_from(kind, [p["name"] for p in geometry["parts"]])
    part: dict[str, Any] = {"kind": kind, "name": name, **FRESH[kind]}
    if kind in ORDERED:
        geometry["parts"].append(part)
        return _path(variant, "parts", len(geometry["parts"]) - 1)
    if kind == "box":
        part["patches"] = {side: f"{name}_{side}" for side in ("west", "east", "south", "north", "floor", "lid")}
    elif kind in ("sphere", "torus"):
        part["patch"] = name
    elif kind in ("extruded", "revolved"):
        corners = DRAWN if kind == "extruded" else TURNED
        part["profile"] = [{"x": x, "y": y, "patch": f"{name}_side"} for x, y in corners]
        part |= {"start": f"{name}_start", "end": f"{name}_end"}
    else:
        part["patches"] = {end: f"{name}_{end}" for end in ENDS}
    geometry["parts"].append(part)
    return _path(variant, "parts", len(geometry["parts"]) - 1)


def _add_stretch(raw: dict[str, Any], pointer: str) -> str:
    """Adds columns or rows to a sheet behind those at the pointer, half of their extent and cells."""
    holder, last = holder_of(raw, pointer)
    if not last.isdigit() or steps(pointer)[-2] not in ("columns", "rows"):
        raise ValueError("this is no stretch of a sheet")
    at = int(last)
    stretch = holder[at]
    part = walk(raw, "".join(f"/{s}" for s in steps(pointer)[:-2]))
    begin = holder[at - 1]["to"] if at else part.get("x" if steps(pointer)[-2] == "columns" else "y", "0 mm")
    holder.insert(at, {**stretch, "to": f"0.5 * ({begin} + {stretch['to']})"})
    return f"{pointer}/to"


def _add_hollow(raw: dict[str, Any], pointer: str) -> str:
    """Leaves the first columns and rows of a sheet empty."""
    part = _part(raw, pointer)
    if part["kind"] != "sheet":
        raise ValueError("only a sheet has hollows")
    hollow = {"from_column": 1, "to_column": 1, "from_row": 1, "to_row": 1, "patch": f"{part['name']}_hollow"}
    part.setdefault("hollows", []).append(hollow)
    return f"{pointer}/hollows/{len(part['hollows']) - 1}/patch"


def _bend_edge(raw: dict[str, Any], pointer: str, side: str) -> str:
    """Gives a sheet a floor or ceiling of points, at first where it is anyway."""
    part = _part(raw, pointer)
    if part["kind"] != "sheet" or side not in ("floor", "ceiling"):
        raise ValueError("only the floor and the ceiling of a sheet can be bent")
    level = part.get("y", "0 mm") if side == "floor" else part["rows"][-1]["to"]
    ends = [part.get("x", "0 mm"), part["columns"][-1]["to"]]
    part[side] = [{"x": x, "y": level} for x in ends]
    return f"{pointer}/{side}/0/y"


def _pattern(raw: dict[str, Any], pointer: str, kind: str) -> str:
    """Repeats a solid along a line or round an axis, or no more."""
    part = _part(raw, pointer)
    part["pattern"] = None if not kind else {"kind": kind, **({"x": "100 mm"} if kind == "line" else {})}
    return pointer


def _take_file(raw: dict[str, Any], variant: str, file: str, content: str, unit: str = "", colours: str = "{}") -> str:
    """Adds the triangles of a file that is in the store; `colours` (JSON) are those that it gives to its patches."""
    geometry = geometry_of(raw, variant)
    name = name_from(file.rsplit(".", 1)[0], [p["name"] for p in geometry["parts"]])
    geometry["parts"].append({"kind": "file", "name": name, "file": file, "content": content, "unit": unit})
    given = _parsed(colours)
    if given:
        geometry["colours"] = {**given, **(geometry.get("colours") or {})}
    return _path(variant, "parts", len(geometry["parts"]) - 1)


def _swap_file(raw: dict[str, Any], pointer: str, file: str, content: str, unit: str, names: str = "{}") -> str:
    """Puts another file in the place of one; `names` says which of its patches are to have other names."""
    part = _part(raw, pointer)
    if part.get("kind") != "file":
        raise ValueError("this part is no file")
    part |= {"file": file, "content": content, "unit": unit, "names": _parsed(names)}
    return pointer


def _add_step(raw: dict[str, Any], variant: str, step: str) -> str:
    geometry = geometry_of(raw, variant)
    geometry["steps"].append(_parsed(step))
    return _path(variant, "steps", len(geometry["steps"]) - 1)


def _add_steps(raw: dict[str, Any], variant: str, steps: str) -> str:
    """Adds several steps at once."""
    for step in _parsed(steps):
        _add_step(raw, variant, json.dumps(step))
    return _path(variant, "steps")


def _close_opening(
    raw: dict[str, Any], variant: str, patch: str, beside: str, x: str, y: str, z: str, inner: str = ""
) -> str:
    """Names an opening, which is then closed by a patch; `inner` is the spot (JSON) of the inner rim of a ring."""
    geometry = geometry_of(raw, variant)
    closing: dict[str, Any] = {"patch": patch.strip(), "at": {"patch": beside, **_place(x, y, z)}}
    if inner:
        closing["inner"] = _parsed(inner)
    geometry["closings"].append(closing)
    return _path(variant, "closings", len(geometry["closings"]) - 1, "patch")


def _set_body(raw: dict[str, Any], variant: str, name: str, x: str, y: str, z: str, holds: str = "fluid") -> str:
    """Says where a body is by a point in it; one that has the name already gets the point."""
    geometry = geometry_of(raw, variant)
    known = [b["name"] for b in geometry["bodies"]]
    if name in known:
        geometry["bodies"][known.index(name)] |= _place(x, y, z)
        return _path(variant, "bodies", known.index(name))
    geometry["bodies"].append({"name": name.strip(), "holds": holds, **_place(x, y, z)})
    return _path(variant, "bodies", len(known), "name")


def _set_tunnel(raw: dict[str, Any], variant: str, form: str) -> str:
    """Puts a tunnel around, of another form, or none."""
    geometry = geometry_of(raw, variant)
    geometry["tunnel"] = {**(geometry.get("tunnel") or {}), "form": form} if form else None
    return _path(variant, "tunnel")


def rename_in(geometry: dict[str, Any], patch: str, to: str, known: tuple[str, ...] | None) -> None:
    """Another name for a patch: where the document names it, or by a step when only the file does.

    `known` are the patches that the shape has, None when nobody knows yet.
    """
    geometry["sheets"] = [to if name == patch else name for name in geometry.get("sheets") or ()]
    colours = geometry.get("colours") or {}
    if patch in colours:
        colours[to] = colours.pop(patch)
    declared = False

    def put(holder: dict[str, Any], key: str) -> None:
        nonlocal declared
        if holder.get(key) == patch:
            holder[key] = to
            declared = True

    for part in geometry.get("parts", ()):
        for key in ("patch", "start", "end", "back", "front"):
            put(part, key)
        for hollow in part.get("hollows", ()):
            put(hollow, "patch")
        for holder in (part.get("patches"), part.get("names")):
            for key in holder or ():
                put(holder, key)
        for point in part.get("profile", ()):
            put(point, "patch")
    tunnel = geometry.get("tunnel") or {}
    for side in TUNNEL_PATCHES[tunnel.get("form", "box")] if tunnel else ():
        if (tunnel.get("names") or {}).get(side, side) == patch:
            tunnel["names"] = {**(tunnel.get("names") or {}), side: to}
            declared = True
    for step in geometry.get("steps", ()):
        put(step, "to")
    for closing in geometry.get("closings", ()):
        put(closing, "patch")
    if not declared and (known is None or patch in known):
        geometry.setdefault("steps", []).append({"kind": "rename", "patch": patch, "to": to})
    spots = [c[k] for c in geometry.get("closings", ()) for k in ("at", "inner") if c.get(k)]
    if declared:
        spots += [s["at"] for s in geometry.get("steps", ()) if s.get("at")]
        for step in geometry.get("steps", ()):
            if step.get("patch") == patch and step["kind"] != "rename":
                step["patch"] = to
    for spot in spots:
        if spot.get("patch") == patch:
            spot["patch"] = to


def _set_colour(raw: dict[str, Any], variant: str, patch: str, colour: str) -> str:
    """Gives a patch another colour, or the palette's own when none is said."""
    geometry = geometry_of(raw, variant)
    colours = geometry.setdefault("colours", {})
    colours.pop(patch, None)
    if colour:
        colours[patch] = colour.lower()
    return _path(variant, "colours")


def _set_sheet(raw: dict[str, Any], variant: str, patch: str, wanted: str = "yes") -> str:
    """Says of a patch that it is a sheet with a body on both sides, or no more."""
    geometry = geometry_of(raw, variant)
    others = [name for name in geometry.get("sheets") or () if name != patch]
    geometry["sheets"] = [*others, patch] if wanted else others
    return _path(variant, "sheets")


def _set_wrap(raw: dict[str, Any], variant: str, side: str, x: str = "", y: str = "", z: str = "") -> str:
    """Wraps the shape from inside or around, or no more. A wet point comes in m; without one it is the first body's."""
    geometry = geometry_of(raw, variant)
    if not side:
        geometry["wrap"] = None
        return _path(variant, "wrap")
    bodies = geometry["bodies"]
    at = _place(x, y, z) if x else {axis: bodies[0][axis] for axis in "xyz"} if bodies else {}
    geometry["wrap"] = {**(geometry.get("wrap") or {}), "side": side, **at}
    return _path(variant, "wrap")


def _set_wrap_size(raw: dict[str, Any], variant: str, patch: str, size: str) -> str:
    """Says another size of triangles of the wrap at a patch, or with none that it is as everywhere again."""
    wrap = geometry_of(raw, variant).get("wrap")
    if wrap is None:
        raise ValueError("there is no wrap yet")
    sizes = {**(wrap.get("patches") or {})}
    sizes.pop(patch, None)
    wrap["patches"] = {**sizes, patch: size.strip()} if size.strip() else sizes
    return _path(variant, "wrap", "patches", *([patch] if size.strip() else []))


def _take_outline(raw: dict[str, Any], pointer: str, points: str) -> str:
    """Replaces the corners of a polygon, or the profile of a solid, by points (JSON) in m; all sides keep one patch."""
    shape = _part(raw, pointer)
    key = "profile" if "profile" in shape else "corners"
    patch = shape[key][0]["patch"]
    shape[key] = [{"x": length_text(x), "y": length_text(y), "patch": patch} for x, y in _parsed(points)]
    return f"{pointer}/{key}"


ACTIONS: dict[str, Callable[..., str]] = {
    "add_solid": _add_solid, "add_stretch": _add_stretch, "add_hollow": _add_hollow, "bend_edge": _bend_edge, "repeat_solid": _pattern, "take_file": _take_file, "swap_file": _swap_file,
    "add_step": _add_step, "add_steps": _add_steps, "close_opening": _close_opening, "set_body": _set_body,
    "set_tunnel": _set_tunnel, "set_sheet": _set_sheet, "set_wrap": _set_wrap, "set_wrap_size": _set_wrap_size, "take_outline": _take_outline, "set_colour": _set_colour,
}  # fmt: skip
