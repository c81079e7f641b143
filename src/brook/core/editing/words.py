"""What a change is called in the history: a place in the engineer's words, and what was done there."""

from __future__ import annotations

import re
from typing import Any

from brook.core.editing.pointers import steps, walk
from brook.core.study import Study

LONGEST = 200
FIELDS = {"bulk": "cells in the bulk", "wall": "cells at walls"}
HIDDEN = {"pointer", "variant", "expected", "camera", "range", "factor", "position", "value_points"}
ACTIONS = {"remove": "take out", "add_point": "operating point", "set_at_point": "at an operating point", "set_boundary": "say of a patch", "limit_kind": "kind of limit", "fluid_kind": "fluid",
           "add_scalar": "carry along", "set_inflow": "hold at an inflow", "add_release": "set free in a body", "add_pool": "hold at the start",
           "add_within": "within the fluid", "set_region": "where", "set_frame": "frame that turns", "set_start": "start", "begin_with": "fill in", "say_once": "say once", "say_each": "say of each"}  # fmt: skip


def place_words(study: Study, pointer: str) -> str:
    """A place as a person says it: `Hanging: height of baffle`, `limit of Still water`."""
    raw = study.model_dump(mode="json")
    try:
        parts = steps(pointer)
    except KeyError:
        return "study"
    lead = ""
    if parts[0] == "variants" and len(parts) > 1:
        entry = _entry(raw, "/".join(["", *parts[:2]]))
        lead = f"{entry['title']}: " if entry else ""
        parts = parts[2:]
        raw = entry or {}
    if not parts:
        return lead.rstrip(": ") or "study"
    owner, rest = "", [p for p in parts if p not in ("geometry", "set_up", "named_values")]
    for k in range(len(parts), 0, -1):
        entry = _entry(raw, "".join(f"/{p}" for p in parts[:k]))
        name = _name(entry)
        if name:
            owner, rest = name, parts[k:]
            break
    words = " ".join(FIELDS.get(p, p).replace("_", " ") for p in rest if not p.isdigit())
    if owner and words:
        return f"{lead}{words} of {owner}"
    return f"{lead}{owner or words or parts[0].replace('_', ' ')}"


def _entry(raw: Any, pointer: str) -> Any:
    try:
        found = walk(raw, pointer)
    except KeyError:
        return None
    return found if isinstance(found, dict) else None


def _name(entry: Any) -> str:
    if not isinstance(entry, dict):
        return ""
    return str(entry.get("title") or entry.get("patch") or entry.get("name") or "").replace("_", " ")


def edit_words(study: Study, texts: dict[str, str]) -> str:
    """What a change of values does, from the study before it."""
    raw = study.model_dump(mode="json")
    said = [
        f"{place_words(study, pointer)}, {_short(walk(raw, pointer))} → {_short(text)}"
        for pointer, text in texts.items()
    ]
    return "; ".join(said)[:LONGEST]


def _short(text: Any) -> str:
    text = " ".join(str(text).split())
    if not text:
        return "nothing"
    if (titled := re.match(r'\{.*?"title": "([^"]*)"', text)) is not None:  # a material as the library keeps it
        text = titled[1]
    return f"“{text[:57]}…”" if len(text) > 60 else text


def act_words(study: Study, action: str, values: dict[str, str]) -> str:
    """What a named action does, from the study before it."""
    place = place_words(study, values["pointer"]) if "pointer" in values else ""
    whose = values.get("variant", "")
    if whose.isdigit() and int(whose) < len(study.variants):
        place = study.variants[int(whose)].title
    given = {k: v for k, v in values.items() if k not in HIDDEN and v}
    what = ACTIONS.get(action, action.replace("_", " "))
    told = ", ".join(_short(v) for v in given.values())
    return f"{what[0].upper()}{what[1:]}: {', '.join(t for t in (place, told) if t)}".rstrip(": ")[:LONGEST]
