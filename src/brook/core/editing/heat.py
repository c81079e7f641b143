"""Actions on time, heat and liquids in the set-up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.editing.materials import material_said

Raw = dict[str, Any]


def _set_timing(raw: Raw, kind: str) -> str:
    """`steady` or `in_time`; what was said of time before comes back when it is undone only."""
    if raw["set_up"]["timing"]["kind"] != kind:
        raw["set_up"]["timing"] = {"kind": kind}
    return "/set_up/timing"


def _set_law(raw: Raw, kind: str) -> str:
    """Says how the viscosity of a fluid of one's own depends on shear; `newtonian` takes it back."""
    fluid = raw["set_up"]["fluid"]
    if fluid["kind"] != "own":
        raise ValueError("water and air do not depend on shear; choose a fluid of your own")
    fluid["law"] = None if kind == "newtonian" else {"kind": kind}
    return "/set_up/fluid/law"


def _set_heat(raw: Raw, on: str) -> str:
    """Begins to compute temperatures, or leaves it."""
    raw["set_up"]["heat"] = {} if on == "yes" else None
    return "/set_up/heat"


def _heat_of(raw: Raw) -> Raw:
    heat = raw["set_up"]["heat"]
    if heat is None:
        raise ValueError("temperatures are not computed here; say first that they are")
    found: Raw = heat
    return found


def _set_heat_patch(raw: Raw, patch: str, kind: str) -> str:
    """Says of a patch what heat does there; `none` takes it back."""
    patches = _heat_of(raw)["patches"]
    at = next((k for k, p in enumerate(patches) if p["patch"] == patch), len(patches))
    patches[at : at + 1] = [] if kind == "none" else [{"kind": kind, "patch": patch}]
    return f"/set_up/heat/patches/{at}"


def _add_source(raw: Raw, body: str) -> str:
    sources = _heat_of(raw)["sources"]
    sources.append({"body": body})
    return f"/set_up/heat/sources/{len(sources) - 1}/power"


def _add_begin(raw: Raw, body: str) -> str:
    """Says that a body begins at a temperature of its own; once."""
    begins = _heat_of(raw).setdefault("begins", [])
    at = next((k for k, b in enumerate(begins) if b["body"] == body), len(begins))
    begins[at : at + 1] = begins[at : at + 1] or [{"body": body}]
    return f"/set_up/heat/begins/{at}/temperature"


def _add_contact(raw: Raw, patch: str) -> str:
    contacts = _heat_of(raw)["contacts"]
    contacts.append({"patch": patch.strip()})
    return f"/set_up/heat/contacts/{len(contacts) - 1}/resistance"


def _set_material(raw: Raw, body: str, kind: str) -> str:
    """Says what a body is made of: a solid or a fluid of the library, one of one's own, or (`as_set_up`) the set-up's fluid."""
    materials = raw["set_up"]["materials"]
    if kind == "as_set_up":
        materials.pop(body, None)
    else:
        materials[body] = material_said(kind, f"/set_up/materials/{body}")
    return f"/set_up/materials/{body}"


ACTIONS: dict[str, Callable[..., str]] = {
    "set_timing": _set_timing,
    "set_law": _set_law,
    "set_heat": _set_heat,
    "set_heat_patch": _set_heat_patch,
    "add_source": _add_source,
    "add_begin": _add_begin,
    "add_contact": _add_contact,
    "set_material": _set_material,
}
