"""Changes of a study document: one value at a pointer, or one named action. Each gives a new document.

A change that would leave a value that cannot stand (a wrong unit, a baffle outside the tray) is
refused with the reason; what is merely missing afterwards is allowed and said by the checks.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from brook.core.checks import check
from brook.core.study import DocumentError, Problem, Study
from brook.core.study.document import study_from


class EditRefused(ValueError):
    """A change that cannot stand; `problems` say why, the first one first."""

    def __init__(self, problems: list[Problem]):
        super().__init__(problems[0].message)
        self.problems = problems


def value_of(study: Study, pointer: str) -> Any:
    """What stands at a JSON pointer. Raises `KeyError`."""
    return _walk(study.model_dump(mode="json"), pointer)


def set_value(study: Study, pointer: str, text: str) -> Study:
    """The study with another text at a pointer. Raises `EditRefused`, or `KeyError` for an unknown place."""
    raw = study.model_dump(mode="json")
    *parents, last = _steps(pointer)
    holder = _walk(raw, "".join(f"/{p}" for p in parents))
    if not isinstance(holder, dict) or last not in holder or isinstance(holder[last], dict | list):
        raise KeyError(pointer)
    holder[last] = text.strip()
    return accept(study, raw, pointer)


def act(study: Study, action: str, **values: str) -> Study:
    """The study after a named action. Raises `EditRefused`, or `KeyError` for an unknown action or place."""
    raw = study.model_dump(mode="json")
    try:
        pointer = ACTIONS[action](raw, **values)
    except (IndexError, TypeError, ValueError) as error:
        raise KeyError(f"{action} does not fit: {error}") from error
    return accept(study, raw, pointer)


def accept(before: Study, raw: dict[str, Any], pointer: str) -> Study:
    """The study of changed JSON, unless the change brings something wrong with it."""
    try:
        after = study_from(raw)
    except DocumentError as error:
        raise EditRefused(error.problems) from error
    known = {(p.path, p.message) for p in check(before)}
    fresh = [p for p in check(after) if p.kind == "wrong" and (p.path, p.message) not in known]
    # what was wrong before may be worded otherwise now; only refuse where something got worse
    was_wrong = {p.path for p in check(before) if p.kind == "wrong"}
    fresh = [p for p in fresh if p.path not in was_wrong or p.path == pointer]
    if fresh:
        fresh.sort(key=lambda p: p.path != pointer)
        raise EditRefused(fresh)
    return after


def _steps(pointer: str) -> list[str]:
    if not pointer.startswith("/"):
        raise KeyError(pointer)
    return [s.replace("~1", "/").replace("~0", "~") for s in pointer[1:].split("/")]


def _walk(raw: Any, pointer: str) -> Any:
    at = raw
    for step in _steps(pointer) if pointer else []:
        try:
            at = at[int(step)] if isinstance(at, list) else at[step]
        except (KeyError, IndexError, ValueError, TypeError):
            raise KeyError(pointer) from None
    return at


def name_from(title: str, taken: list[str]) -> str:
    """A name made from a title, not one of those taken."""
    base = re.sub(r"[^a-z0-9]+", "_", title.lower()).strip("_")[:30] or "unnamed"
    base = base if base[0].isalpha() else f"v_{base}"
    name, count = base, 2
    while name in taken:
        name, count = f"{base}_{count}", count + 1
    return name


# -- actions: each changes the JSON in place and returns the pointer it is about ----------------


def _add_variant(raw: dict[str, Any], source: str = "", title: str = "") -> str:
    names = [v["name"] for v in raw["variants"]]
    if source and source not in names:
        raise ValueError(f"no variant '{source}'")
    if source:
        import copy

        original = raw["variants"][names.index(source)]
        fresh = copy.deepcopy(original)
        fresh["title"] = title.strip() or f"{original['title']} (copy)"[:120]
    else:
        rectangle = {"name": "domain", "action": "add", "left": "0 mm", "bottom": "0 mm", "width": "200 mm",
                     "height": "50 mm", "patches": {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "lid"}}  # fmt: skip
        fresh = {"title": title.strip() or "New variant", "geometry": {"outer": rectangle}}
    fresh["name"] = name_from(fresh["title"], names)
    raw["variants"].append(fresh)
    return f"/variants/{len(raw['variants']) - 1}"


def _remove(raw: dict[str, Any], pointer: str) -> str:
    """Takes one entry out of a list or one named value or place out of its table."""
    *parents, last = _steps(pointer)
    holder = _walk(raw, "".join(f"/{p}" for p in parents))
    if isinstance(holder, list):
        holder.pop(int(last))
    elif parents and parents[-1] in ("named_values", "places"):
        holder.pop(last)
    else:
        raise ValueError("this cannot be taken out")
    return pointer


def _add_rectangle(raw: dict[str, Any], variant: str) -> str:
    geometry = raw["variants"][int(variant)]["geometry"]
    outer, names = geometry["outer"], [s["name"] for s in geometry["shapes"]]
    width, height = f"0.02 * ({outer['width']})", f"0.25 * ({outer['height']})"
    name = name_from("baffle", names)
    geometry["shapes"].append({
        "kind": "rectangle", "name": name, "action": "take", "left": f"{outer['left']} + 0.5 * ({outer['width']})",
        "bottom": outer["bottom"], "width": width, "height": height,
        "patches": {side: "baffle" for side in ("left", "right", "bottom", "top")},
    })  # fmt: skip
    return f"/variants/{variant}/geometry/shapes/{len(names)}"


def _add_opening(raw: dict[str, Any], variant: str) -> str:
    geometry = raw["variants"][int(variant)]["geometry"]
    outer, count = geometry["outer"], len(geometry["openings"])
    taken = [o["patch"] for o in geometry["openings"]]
    geometry["openings"].append({
        "patch": name_from("opening", taken), "side": "right", "start": outer["bottom"],
        "end": f"{outer['bottom']} + 0.25 * ({outer['height']})",
    })  # fmt: skip
    return f"/variants/{variant}/geometry/openings/{count}"


def _add_named_value(raw: dict[str, Any], name: str, value: str, variant: str = "") -> str:
    holder = raw["variants"][int(variant)] if variant else raw
    path = f"/variants/{variant}" if variant else ""
    name = name.strip()
    if name in holder["named_values"]:
        raise EditRefused(
            [Problem(f"{path}/named_values/{name}", f"'{name}' is there already; change it in its place")]
        )
    holder["named_values"][name] = value.strip()
    return f"{path}/named_values/{name}"


def _add_place(raw: dict[str, Any], name: str) -> str:
    name = name.strip()
    if name in raw["places"]:
        raise EditRefused([Problem(f"/places/{name}", f"'{name}' is there already; choose another name")])
    raw["places"][name] = {"left": "0 mm", "right": "10 mm", "bottom": "0 mm", "top": "10 mm"}
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
    requirement = _walk(raw, pointer.rsplit("/", 1)[0])
    old = requirement["limit"]
    value = old.get("value") or old.get("high") or f"1 {requirement['unit']}".strip()
    requirement["limit"] = _limit(kind, value)
    return f"{pointer}/value"


def _set_boundary(raw: dict[str, Any], patch: str, kind: str) -> str:
    """Says of a patch that it is of a kind; what is said of it already goes. `wall` says nothing."""
    boundaries = raw["set_up"]["boundaries"]
    at = next((k for k, b in enumerate(boundaries) if b["patch"] == patch), len(boundaries))
    if kind == "wall":
        del boundaries[at : at + 1]
    else:
        boundaries[at : at + 1] = [{"kind": kind, "patch": patch}]
    return f"/set_up/boundaries/{at}"


def _rename_patch(raw: dict[str, Any], patch: str, to: str) -> str:
    """Gives a patch another name everywhere: in all variants, in the set-up and in readings."""
    to = to.strip()

    def renamed(name: str) -> str:
        return to if name == patch else name

    for variant in raw["variants"]:
        geometry = variant["geometry"]
        for shape in (geometry["outer"], *geometry["shapes"]):
            shape["patches"] = {side: renamed(name) for side, name in shape["patches"].items()}
        for opening in geometry["openings"]:
            opening["patch"] = renamed(opening["patch"])
    for boundary in raw["set_up"]["boundaries"]:
        boundary["patch"] = renamed(boundary["patch"])
    for requirement in raw["requirements"]:
        requirement["reading"] = re.sub(rf"\b{re.escape(patch)}(?=\.)", to, requirement["reading"])
    return "/set_up/boundaries"


def _fluid_kind(raw: dict[str, Any], kind: str) -> str:
    """`water` and `air` come from the library; `own` begins with the values of water."""
    fluid = raw["set_up"]["fluid"]
    if kind == "own":
        raw["set_up"]["fluid"] = {"kind": "own"}
    else:
        temperature = fluid.get("temperature", "20 degC")
        raw["set_up"]["fluid"] = {"kind": "library", "substance": kind, "temperature": temperature}
    return "/set_up/fluid"


ACTIONS: dict[str, Callable[..., str]] = {
    "add_variant": _add_variant,
    "remove": _remove,
    "add_rectangle": _add_rectangle,
    "add_opening": _add_opening,
    "add_named_value": _add_named_value,
    "add_place": _add_place,
    "add_requirement": _add_requirement,
    "limit_kind": _limit_kind,
    "set_boundary": _set_boundary,
    "rename_patch": _rename_patch,
    "fluid_kind": _fluid_kind,
}
