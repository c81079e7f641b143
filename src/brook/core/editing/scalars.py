"""Actions on what a flow carries."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.study.scalars import KINDS

Raw = dict[str, Any]


def _add_scalar(raw: Raw, kind: str) -> str:
    """Has the flow carry one more scalar, under a name that nothing has yet."""
    made = {k.model_fields["kind"].default: k for k in KINDS}
    if kind not in made:
        raise ValueError(f"'{kind}' is no kind of scalar")
    scalars = raw["set_up"]["scalars"]
    first, taken, number = made[kind].model_fields["name"].default, {s["name"] for s in scalars}, 1
    while (name := first if number == 1 else f"{first}_{number}") in taken:
        number += 1
    title = made[kind].model_fields["title"].default
    scalars.append({"kind": kind, "name": name, "title": title if number == 1 else f"{title} {number}"})
    return f"/set_up/scalars/{len(scalars) - 1}"


def _tracer(raw: Raw, scalar: str) -> tuple[int, Raw]:
    for k, said in enumerate(raw["set_up"]["scalars"]):
        if said["name"] == scalar and said["kind"] == "tracer":
            return k, said
    raise ValueError(f"there is no dissolved substance {scalar}")


def _set_inflow(raw: Raw, scalar: str, patch: str) -> str:
    """Says that what flows in through a patch holds some of a substance."""
    k, said = _tracer(raw, scalar)
    at = next((n for n, inflow in enumerate(said["inflows"]) if inflow["patch"] == patch), len(said["inflows"]))
    if at == len(said["inflows"]):
        said["inflows"].append({"patch": patch})
    return f"/set_up/scalars/{k}/inflows/{at}/concentration"


def _add_release(raw: Raw, scalar: str, body: str) -> str:
    """Says that some of a substance is set free in a body."""
    k, said = _tracer(raw, scalar)
    said["releases"].append({"body": body})
    return f"/set_up/scalars/{k}/releases/{len(said['releases']) - 1}/rate"


def _add_pool(raw: Raw, scalar: str) -> str:
    """Says that a piece of the fluid holds more, or less, of a substance at the start."""
    k, said = _tracer(raw, scalar)
    said.setdefault("begins", []).append({})
    return f"/set_up/scalars/{k}/begins/{len(said['begins']) - 1}/concentration"


ACTIONS: dict[str, Callable[..., str]] = {
    "add_scalar": _add_scalar,
    "set_inflow": _set_inflow,
    "add_release": _add_release,
    "add_pool": _add_pool,
}
