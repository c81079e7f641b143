"""Named actions on the mesh plan: sizes at patches, zones, layers along walls."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.editing.pointers import EditRefused
from brook.core.study import Problem

LEAST_FOLLOWING, MOST_FOLLOWING = 8, 50_000_000  # cells
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


def _layers_along(raw: dict[str, Any], patch: str, wanted: str, group: str = "") -> str:
    """Names a patch that layers, or those of a group, are to stand along, or takes it back; with none named they stand along all
    walls. A patch has one kind of layers: others have it no more."""
    layers = _layers_of(raw)
    groups = layers.setdefault("groups", [])
    if group and int(group) >= len(groups):
        raise ValueError("there is no such group of layers")
    if wanted and (group or patch not in layers.get("patches", ())):
        _taken_out(layers, patch)
    mine = groups[int(group)] if group else layers
    named = [p for p in mine.get("patches", ()) if p != patch]
    mine["patches"] = [*named, patch] if wanted else named
    layers["groups"] = [g for g in groups if g.get("patches")]  # one that stood along the patch alone is gone
    return "/mesh_plan/layers"


def _add_layers(raw: dict[str, Any], patch: str) -> str:
    """Other layers along a patch than along the others: as these are, until something else is said of them."""
    layers = _layers_of(raw)
    _taken_out(layers, patch)
    same = {k: v for k, v in layers.items() if k not in ("patches", "sides", "groups")}
    layers["groups"] = [*(g for g in layers.get("groups", ()) if g.get("patches")), {**same, "patches": [patch]}]
    return f"/mesh_plan/layers/groups/{len(layers['groups']) - 1}/number"


def _layers_of(raw: dict[str, Any]) -> dict[str, Any]:
    layers = plan_of(raw).get("layers")
    if layers is None:
        raise ValueError("there are no layers yet")
    found: dict[str, Any] = layers
    return found


def _taken_out(layers: dict[str, Any], patch: str) -> None:
    """No layers name the patch any more. Raises `EditRefused` where only those named
    first stood along it: with none named they would stand along all walls."""
    if list(layers.get("patches", ())) == [patch]:
        message = f"the first layers stand along {patch} alone; name another patch for these first"
        raise EditRefused([Problem("/mesh_plan/layers/patches", message)])
    layers["patches"] = [p for p in layers.get("patches", ()) if p != patch]
    for group in layers.get("groups", []):
        group["patches"] = [p for p in group.get("patches", ()) if p != patch]


def _add_pair(raw: dict[str, Any], patch: str, kind: str) -> str:
    """Says that a patch and the one it lies on when moved or turned are periodic."""
    if kind not in ("shift", "turn"):
        raise ValueError(f"'{kind}' is no way to find the other patch")
    pairs = plan_of(raw).setdefault("pairs", [])
    pairs.append({"kind": kind, "patch": patch})
    return f"/mesh_plan/pairs/{len(pairs) - 1}/{'x' if kind == 'shift' else 'angle'}"


def _follow_run(
    raw: dict[str, Any], variant: str, run: str, cells: str, quantity: str = "velocity", where: str = "everywhere",
    reaches: str = "",
) -> str:  # fmt: skip
    """Lets the boxes of a variant follow one of its runs, by the key of its result, instead of any before."""
    count = cells.replace("\u202f", "").replace(" ", "")
    if not (count.isdecimal() and MOST_FOLLOWING >= int(count[:12]) >= LEAST_FOLLOWING):
        message = "write about how many cells there are to be, 8 to 50 million, as 20 000"
        raise EditRefused([Problem("/mesh_plan/follows", message)])
    plan = plan_of(raw)
    others = [f for f in plan.get("follows", ()) if f["variant"] != variant]
    before: dict[str, Any] = next((f for f in plan.get("follows", ()) if f["variant"] == variant), {})
    said = {"variant": variant, "run": run, "quantity": quantity, "cells": int(count)}
    if where != "everywhere":
        if where not in ("zones", "outside"):
            message = f"boxes change everywhere, in zones or outside of them, not '{where}'"
            raise EditRefused([Problem("/mesh_plan/follows", message)])
        said["where"] = where
    if reaches:
        said["reaches"] = reaches
    bulk = {"bulk": before.get("bulk", plan.get("bulk", "10 mm"))}  # sizes count from the first on
    plan["follows"] = [*others, {**({"least": before["least"]} if "least" in before else {}), **bulk, **said}]
    return f"/mesh_plan/follows/{len(others)}/cells"


ACTIONS: dict[str, Callable[..., str]] = {
    "set_patch_size": _set_patch_size, "drop_patch_size": _drop_patch_size, "add_zone": _add_zone,
    "set_layers": _set_layers, "layers_along": _layers_along, "add_layers": _add_layers, "follow_run": _follow_run, "add_pair": _add_pair,
}  # fmt: skip
