"""Named actions: each changes the document's JSON in place and returns the pointer it is about."""

from __future__ import annotations

import copy
import re
from collections.abc import Callable
from typing import Any

from brook.core.checks import declared_patches, made_patches
from brook.core.editing import begins, heat, looking, mesh_plan, scalars, space, sweeps, turbulence, within
from brook.core.editing.materials import fluid_said
from brook.core.editing.pointers import EditRefused, entry_at, holder_of, name_from, steps, walk
from brook.core.formulas import FormulaError, Reading, evaluate, parse
from brook.core.study import PlaneGeometry, Problem, Study, named_scope, resolve
from brook.core.study.names import rename
from brook.core.study.patterns import is_pattern, matching, said_alike
from brook.core.study.space import SpaceGeometry
from brook.core.units import Quantity


def _index(text: str) -> int:
    """A place in a list, counted from its start. Raises `ValueError`."""
    if not text.isdigit():
        raise ValueError(f"'{text}' is not a place in a list")
    return int(text)


def _add_variant(raw: dict[str, Any], source: str = "", title: str = "", kind: str = "plane") -> str:
    names = [v["name"] for v in raw["variants"]]
    if source and source not in names:
        raise ValueError(f"no variant '{source}'")
    if source:
        original = raw["variants"][names.index(source)]
        fresh = copy.deepcopy(original)
        fresh["title"] = title.strip() or f"{original['title']} (copy)"[:120]
    elif kind == "space":
        fresh = {"title": title.strip() or "New variant", "geometry": {"kind": "space"}}
    else:
        rectangle = {"name": "domain", "action": "add", "left": "0 mm", "bottom": "0 mm", "width": "200 mm",
                     "height": "50 mm", "patches": {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "lid"}}  # fmt: skip
        fresh = {"title": title.strip() or "New variant", "geometry": {"outer": rectangle}}
    fresh["name"] = name_from(fresh["title"], names)
    raw["variants"].append(fresh)
    return f"/variants/{len(raw['variants']) - 1}"


def _remove(raw: dict[str, Any], pointer: str, expected: str = "") -> str:
    """Takes one entry out of a list or one named value or place out of its table.

    `expected` is the name of the entry: when another one has moved to its place, nothing is done.
    """
    holder, last = holder_of(raw, pointer)
    if isinstance(holder, list):
        entry = holder[_index(last)]
        if expected and expected not in (entry.get("name"), entry.get("patch"), entry.get("title")):
            raise ValueError(f"'{expected}' is not there any more")
        holder.remove(entry)
    elif steps(pointer)[-2:-1] and steps(pointer)[-2] in ("named_values", "tables", "places", "fields"):
        holder.pop(last)
    else:
        raise ValueError("this cannot be taken out")
    return pointer


def _move_variant(raw: dict[str, Any], name: str, by: str) -> str:
    """Moves a variant up (negative) or down in the list."""
    variants = raw["variants"]
    at = [v["name"] for v in variants].index(name)
    to = min(len(variants) - 1, max(0, at + int(by)))
    variants.insert(to, variants.pop(at))
    return f"/variants/{to}"


def _length(metres: float) -> str:
    """A round length in mm, to three digits."""
    return f"{float(f'{1000 * metres:.3g}'):g} mm"


def _fresh_shape(kind: str, box: tuple[float, float, float, float], share: float) -> dict[str, Any]:
    """A new shape of a kind in the box (left, bottom, width, height) in m, a share along it; without its name."""
    left, bottom, width, height = box
    x, y, size = left + share * width, bottom + 0.5 * height, 0.25 * min(width, height)
    if kind == "rectangle":
        return {"left": _length(x), "bottom": _length(bottom), "width": _length(0.02 * width), "height": _length(size)}
    middle = {"centre_x": _length(x), "centre_y": _length(y)}
    if kind == "circle":
        return {**middle, "diameter": _length(size)}
    if kind == "arc":
        return {
            **middle,
            "radius": _length(size),
            "thickness": _length(0.15 * size),
            "start": "0 deg",
            "end": "120 deg",
        }
    if kind == "polygon":
        at = [(x - size / 2, y - size / 2), (x + size / 2, y - size / 2), (x, y + size / 2)]
        return {"corners": [{"x": _length(a), "y": _length(b)} for a, b in at]}
    raise ValueError(f"'{kind}' is not a kind of shape")


def _plane_of(variant: dict[str, Any]) -> dict[str, Any]:
    if variant["geometry"].get("kind", "plane") != "plane":
        raise ValueError("this variant is a shape in space")
    return variant["geometry"]


# how far along the domain one new shape after the other stands
SPREAD = (0.5, 0.3, 0.7, 0.2, 0.8, 0.4, 0.6)
NEW_NAMES = {"rectangle": "baffle", "circle": "bar", "arc": "vane", "polygon": "wedge"}


def _add_shape(raw: dict[str, Any], variant: str, kind: str) -> str:
    whole = raw["variants"][_index(variant)]
    geometry = _plane_of(whole)
    names = [s["name"] for s in geometry["shapes"]]
    study = Study.model_validate(raw)
    problems: list[Problem] = []
    drawn = study.variants[_index(variant)].geometry
    assert isinstance(drawn, PlaneGeometry)
    outer = resolve(
        drawn.outer, named_scope(study, study.variants[_index(variant)]),
        f"/variants/{variant}/geometry/outer", problems,
    )  # fmt: skip
    if problems:
        raise EditRefused(problems)
    shape = _fresh_shape(kind, (outer.left, outer.bottom, outer.width, outer.height), SPREAD[len(names) % len(SPREAD)])
    name = name_from(NEW_NAMES[kind], names)
    if kind == "rectangle":
        shape["patches"] = dict.fromkeys(("left", "right", "bottom", "top"), name)
    elif kind == "polygon":
        shape["corners"] = [{**corner, "patch": name} for corner in shape["corners"]]
    else:
        shape["patch"] = name
    geometry["shapes"].append({"kind": kind, "name": name, "action": "take", **shape})
    return f"/variants/{variant}/geometry/shapes/{len(names)}"


def _add_corner(raw: dict[str, Any], pointer: str) -> str:
    """Puts a corner in the middle of the side that begins at the corner of the pointer; the same on a path of points."""
    holder, last = holder_of(raw, pointer)
    at = _index(last)
    one, other = holder[at], holder[(at + 1) % len(holder)]
    middle = {axis: f"0.5 * ({one[axis]} + {other[axis]})" for axis in ("x", "y", "z") if axis in one}
    for axis, text in middle.items():
        try:
            middle[axis] = _length(float(evaluate(parse(text), _no_names).value))
        except FormulaError:
            continue  # made of named values: the formula stays
    holder.insert(at + 1, {**middle, **{key: one[key] for key in ("patch",) if key in one}})
    return f"{pointer.rsplit('/', 1)[0]}/{at + 1}/x"


def _no_names(reading: Reading) -> Quantity:
    raise FormulaError("a name", reading.position)


def _add_opening(raw: dict[str, Any], variant: str) -> str:
    geometry = _plane_of(raw["variants"][_index(variant)])
    outer, count = geometry["outer"], len(geometry["openings"])
    taken = [o["patch"] for o in geometry["openings"]]
    geometry["openings"].append({
        "patch": name_from("opening", taken), "side": "right", "start": outer["bottom"],
        "end": f"{outer['bottom']} + 0.25 * ({outer['height']})",
    })  # fmt: skip
    return f"/variants/{variant}/geometry/openings/{count}"


def _add_named_value(raw: dict[str, Any], name: str, value: str, variant: str = "") -> str:
    holder = raw["variants"][_index(variant)] if variant else raw
    path = f"/variants/{variant}" if variant else ""
    name = name.strip()
    if name in holder["named_values"]:
        raise EditRefused(
            [Problem(f"{path}/named_values/{name}", f"'{name}' is there already; change it in its place")]
        )
    holder["named_values"][name] = value.strip()
    return f"{path}/named_values/{name}"


def _add_point(raw: dict[str, Any], title: str, name: str = "", value: str = "") -> str:
    """An operating point: the values of the last one to begin with, or one named value."""
    points = raw.setdefault("points", [])
    title = title.strip() or "Operating point"
    values = dict(points[-1]["named_values"]) if points else {}
    if name.strip():
        values[name.strip()] = value.strip()
    points.append({"name": name_from(title, [p["name"] for p in points]), "title": title, "named_values": values})
    return f"/points/{len(points) - 1}"


def _set_at_point(raw: dict[str, Any], pointer: str, name: str, value: str) -> str:
    """What a named value is at an operating point."""
    entry_at(raw, pointer, "points")["named_values"][name.strip()] = value.strip()
    return f"{pointer}/named_values/{name.strip()}"


def _set_table(
    raw: dict[str, Any], name: str, along: str, unit: str, points: str, was: str = "", between: str = "lines"
) -> str:
    """Makes a table of the study, or changes the one that it `was`: lines of a place and its value."""
    name, rows = name.strip(), []
    if name in raw.get("tables", {}) and name != was:
        raise EditRefused([Problem(f"/tables/{name}", f"'{name}' is there already; change it in its place")])
    for number, line in enumerate(points.splitlines(), 1):
        words = line.replace(",", " ").replace(";", " ").split()
        if not words:
            continue
        try:
            place, value = (float(word) for word in words)
        except ValueError:
            message = f"line {number} of the points is no place and value: write for example 12.5 8"
            raise EditRefused([Problem(f"/tables/{name}/points", message)]) from None
        rows.append([place, value])
    raw.setdefault("tables", {})[name] = {
        "along": along.strip(),
        "unit": unit.strip(),
        "between": between,
        "points": rows,
    }
    return f"/tables/{name}/points"


def _set_place_deep(raw: dict[str, Any], name: str, how: str) -> str:
    """A box goes all the way through along z, or from a place to another."""
    raw["places"][name]["deep"] = {"back": "0 mm", "front": "10 mm"} if how == "between" else None
    return f"/places/{name}/deep"


NEW_PLACES: dict[str, dict[str, str]] = {
    "box": {"left": "0 mm", "right": "10 mm", "bottom": "0 mm", "top": "10 mm"},
    "point": {"kind": "point", "x": "0 mm", "y": "0 mm", "z": "0 mm"},
    "line": {"kind": "line", "start_x": "0 mm", "start_y": "0 mm", "end_x": "10 mm", "end_y": "0 mm"},
}


def _add_place(raw: dict[str, Any], name: str, kind: str = "box", **where: str) -> str:
    """A box, a point or a line to read in, somewhere or where it is said."""
    name = name.strip()
    if kind not in NEW_PLACES:
        raise EditRefused(
            [Problem(f"/places/{name}", f"there is no kind of place '{kind}'; known are {', '.join(NEW_PLACES)}")]
        )
    if name in raw["places"]:
        raise EditRefused([Problem(f"/places/{name}", f"'{name}' is there already; choose another name")])
    raw["places"][name] = NEW_PLACES[kind] | where
    return f"/places/{name}"


def _add_requirement(raw: dict[str, Any], title: str, reading: str, limit: str = "smallest", value: str = "") -> str:
    names = [r["name"] for r in raw["requirements"]]
    raw["requirements"].append({
        "name": name_from(title, names), "title": title.strip() or "Requirement", "reading": reading.strip(),
        "limit": _limit(limit, value),
    })  # fmt: skip
    return f"/requirements/{len(names)}/reading"


def _limit(kind: str, value: str) -> dict[str, str]:
    if kind in ("smallest", "largest"):
        return {"kind": kind}
    if kind == "between":
        low, _, high = value.partition(" to ")
        return {"kind": kind, "low": low.strip(), "high": high.strip() or low.strip()}
    return {"kind": kind, "value": value.strip()}


def _limit_kind(raw: dict[str, Any], pointer: str, kind: str) -> str:
    """Changes the kind of a limit and keeps the number it had."""
    requirement = walk(raw, pointer.rsplit("/", 1)[0])
    old = requirement["limit"]
    value = old.get("value") or old.get("high") or f"1 {requirement['unit']}".strip()
    requirement["limit"] = _limit(kind, value)
    return f"{pointer}/value"


def _set_boundary(raw: dict[str, Any], patch: str, kind: str) -> str:
    """Says of a patch, or of all that a pattern is of, that it is of a kind; what is said of it already goes. `wall` says nothing but
    where a pattern would say something else."""
    boundaries = raw["set_up"]["boundaries"]
    at = next((k for k, b in enumerate(boundaries) if b["patch"] == patch), len(boundaries))
    covered = any(is_pattern(b["patch"]) and patch in matching(b["patch"], [patch]) for b in boundaries)
    if kind == "wall" and (is_pattern(patch) or not covered):
        del boundaries[at : at + 1]
    else:
        boundaries[at : at + 1] = [{"kind": kind, "patch": patch}]
    return f"/set_up/boundaries/{at}"


def _say_once(raw: dict[str, Any], pattern: str) -> str:
    """One statement of a pattern in the place of most that say the same of its patches; of the others it is said what they are."""
    boundaries, study = raw["set_up"]["boundaries"], Study.model_validate(raw)
    known = {*declared_patches(study), *(b["patch"] for b in boundaries if not is_pattern(b["patch"]))}
    alike = dict(said_alike(study.set_up.boundaries, known)).get(pattern, [])
    mine = [k for k, b in enumerate(boundaries) if b["patch"] in alike]
    if len(mine) < 2:
        raise ValueError(f"not the same is said of most patches {pattern}")
    said = {b["patch"] for b in boundaries}
    still = [{"kind": "wall", "patch": p} for p in matching(pattern, known) if p not in said]
    boundaries[mine[0]] = {**boundaries[mine[0]], "patch": pattern}
    raw["set_up"]["boundaries"] = [b for k, b in enumerate(boundaries) if k not in mine[1:]] + still
    return f"/set_up/boundaries/{mine[0]}"


def _say_each(raw: dict[str, Any], pointer: str) -> str:
    """A statement of each patch in the place of one of a pattern."""
    boundaries, at = raw["set_up"]["boundaries"], _index(pointer.rsplit("/", 1)[1])
    said = boundaries[at]
    study = Study.model_validate(raw)
    known = declared_patches(study)
    named = {b["patch"] for b in boundaries}
    each_of = [{**said, "patch": p} for p in matching(said["patch"], known) if p not in named]
    if not is_pattern(said["patch"]) or not each_of:
        raise ValueError("this is said of one patch already")
    boundaries[at : at + 1] = each_of
    return pointer


def _rename_patch(raw: dict[str, Any], patch: str, to: str) -> str:
    """Gives a patch another name everywhere: in all variants, in the set-up and in readings."""
    to = to.strip()

    def renamed(name: str) -> str:
        return to if name == patch else name

    study = Study.model_validate(raw)
    for k, variant in enumerate(study.variants):
        if isinstance(variant.geometry, SpaceGeometry):
            space.rename_in(raw["variants"][k]["geometry"], patch, to, made_patches(study, variant))
        else:
            rename(raw, variant.geometry, "patch", renamed, f"/variants/{k}/geometry")
    rename(raw, study.set_up, "patch", renamed, "/set_up")
    rename(raw, study.mesh_plan, "patch", renamed, "/mesh_plan")
    for requirement in raw["requirements"]:
        requirement["reading"] = re.sub(rf"\b{re.escape(patch)}(?=\.)", to, requirement["reading"])
    return "/set_up/boundaries"


def _fluid_kind(raw: dict[str, Any], kind: str) -> str:
    """A name of the library; `own` begins with the values of water, `gas` with those of air."""
    raw["set_up"]["fluid"] = fluid_said(kind, raw["set_up"]["fluid"], "/set_up/fluid/substance")
    return "/set_up/fluid"


ACTIONS: dict[str, Callable[..., str]] = {
    "add_variant": _add_variant,
    "move_variant": _move_variant,
    "remove": _remove,
    "add_shape": _add_shape,
    "add_corner": _add_corner,
    "add_opening": _add_opening,
    "add_named_value": _add_named_value,
    "add_point": _add_point,
    "set_at_point": _set_at_point,
    "set_table": _set_table,
    "add_place": _add_place,
    "set_place_deep": _set_place_deep,
    "add_requirement": _add_requirement,
    "limit_kind": _limit_kind,
    "set_boundary": _set_boundary,
    "say_once": _say_once,
    "say_each": _say_each,
    "rename_patch": _rename_patch,
    "fluid_kind": _fluid_kind,
    **heat.ACTIONS,
    **scalars.ACTIONS,
    **within.ACTIONS,
    **begins.ACTIONS,
    **turbulence.ACTIONS,
    **looking.ACTIONS,
    **space.ACTIONS,
    **mesh_plan.ACTIONS,
    **sweeps.ACTIONS,
}
