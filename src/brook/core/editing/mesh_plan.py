"""Named actions on the mesh plan: sizes at patches, zones, layers along walls."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

ZONES = ("box", "ball", "cylinder", "near")


def plan_of(raw: dict[str, Any]) -> dict[str, Any]:
    """The mesh plan of a raw document, made where there is none."""
    return raw.setdefault("mesh_plan", {})


def _set_patch_size(raw: dict[str, Any], patch: str, size: str) -> str:
    """Says another size of cells for a patch."""
    plan_of(raw).setdefault("patches", {})[patch] = size.strip()
    return f"/mesh_plan/patches/{patch}"


def _drop_patch_size(raw: dict[str, Any], patch: str) -> str:
    """Cells at a patch are as at all others again. Raises `KeyError` where there was no other size."""
    plan_of(raw).get("patches", {}).pop(patch)
    return f"/mesh_plan/patches/{patch}"


def _add_zone(raw: dict[str, Any], kind: str, size: str, patch: str = "") -> str:
    """Adds a zone of finer cells; one near a patch names it."""
    if kind not in ZONES:
        raise ValueError(f"'{kind}' is no kind of zone")
    zones = plan_of(raw).setdefault("zones", [])
    zones.append({"kind": kind, "size": size.strip(), **({"patch": patch} if kind == "near" else {})})
    return f"/mesh_plan/zones/{len(zones) - 1}"


def _set_layers(raw: dict[str, Any], wanted: str) -> str:
    """Wants layers along walls, or no more."""
    plan_of(raw)["layers"] = {} if wanted else None
    return "/mesh_plan/layers"


def _layers_along(raw: dict[str, Any], patch: str, wanted: str) -> str:
    """Names a patch that layers are to stand along, or takes it back; with none named they stand along all walls."""
    layers = plan_of(raw).get("layers")
    if layers is None:
        raise ValueError("there are no layers yet")
    named = [p for p in layers.get("patches", ()) if p != patch]
    layers["patches"] = [*named, patch] if wanted else named
    return "/mesh_plan/layers/patches"


def _add_pair(raw: dict[str, Any], patch: str, kind: str) -> str:
    """Says that a patch and the one it lies on when moved or turned are periodic."""
    if kind not in ("shift", "turn"):
        raise ValueError(f"'{kind}' is no way to find the other patch")
    pairs = plan_of(raw).setdefault("pairs", [])
    pairs.append({"kind": kind, "patch": patch})
    return f"/mesh_plan/pairs/{len(pairs) - 1}/{'x' if kind == 'shift' else 'angle'}"


ACTIONS: dict[str, Callable[..., str]] = {
    "set_patch_size": _set_patch_size, "drop_patch_size": _drop_patch_size, "add_zone": _add_zone,
    "set_layers": _set_layers, "layers_along": _layers_along, "add_pair": _add_pair,
}  # fmt: skip
