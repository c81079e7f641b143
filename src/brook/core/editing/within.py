"""Actions on what stands or acts within the fluid."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.editing.pointers import EditRefused, walk
from brook.core.study import Problem
from brook.core.study.regions import REGIONS
from brook.core.study.start import STARTS
from brook.core.study.within import KINDS

Raw = dict[str, Any]


def _add_within(raw: Raw, kind: str) -> str:
    """Says that something more stands or acts within the fluid, everywhere at first."""
    if kind not in {k.model_fields["kind"].default for k in KINDS}:
        raise ValueError(f"'{kind}' is nothing that stands or acts within the fluid")
    said: Raw = {"kind": kind}
    if kind in ("heating", "exchanger") and raw["set_up"]["heat"] is None:
        raise EditRefused([Problem("/set_up/within", "temperatures are not computed here; say first that they are")])
    if kind == "release":
        known = [s["name"] for s in raw["set_up"]["scalars"] if s["kind"] == "tracer"]
        if not known:
            raise EditRefused(
                [Problem("/set_up/within", "the flow carries no dissolved substance yet; say first that it does")]
            )
        said["substance"] = known[0]
    raw["set_up"]["within"].append(said)
    return f"/set_up/within/{len(raw['set_up']['within']) - 1}"


def _set_region(raw: Raw, pointer: str, kind: str, body: str = "") -> str:
    """Says in what piece of the fluid: `everywhere`, in a `body`, or a shape, which stays where another was."""
    if kind not in {k.model_fields["kind"].default for k in REGIONS}:
        raise ValueError(f"'{kind}' is no piece of the fluid")
    said = walk(raw, pointer)
    before = said.get("where", {})
    if kind == "body" and not body:
        raise ValueError("say which body")
    place = {name: before[name] for name in ("x", "y", "z", "diameter") if name in before}
    if kind in ("everywhere", "body"):
        place = {"body": body} if kind == "body" else {}
    elif kind == "box":
        place.pop("diameter", None)
    said["where"] = {"kind": kind, **place}
    return f"{pointer}/where"


def _set_frame(raw: Raw, turns: str) -> str:
    """Looks at the flow from a frame that turns, or stands."""
    raw["set_up"]["frame"] = {} if turns == "yes" else None
    return "/set_up/frame"


def _set_start(raw: Raw, kind: str) -> str:
    """Says what a flow begins from; `variant:NAME` where that variant ended."""
    if kind.startswith("variant:"):
        raw["set_up"]["start"] = {"kind": "variant", "variant": kind.removeprefix("variant:")}
        return "/set_up/start"
    if kind not in {k.model_fields["kind"].default for k in STARTS}:
        raise ValueError(f"'{kind}' is nothing that a flow begins from")
    raw["set_up"]["start"] = {"kind": kind}
    return "/set_up/start"


ACTIONS: dict[str, Callable[..., str]] = {
    "add_within": _add_within,
    "set_region": _set_region,
    "set_frame": _set_frame,
    "set_start": _set_start,
}
