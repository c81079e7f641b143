"""Actions on turbulence."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.study.turbulence import INCOMING_KINDS, KINDS

Raw = dict[str, Any]


def _set_turbulence(raw: Raw, kind: str) -> str:
    """Has the flow computed by a model of turbulence; `laminar` leaves it."""
    before = raw["set_up"]["turbulence"]
    if kind == "laminar":
        raw["set_up"]["turbulence"] = None
    elif kind not in {k.model_fields["kind"].default for k in KINDS}:
        raise ValueError(f"'{kind}' is no model of turbulence")
    elif before is None or before["kind"] != kind:
        raw["set_up"]["turbulence"] = {**(before or {}), "kind": kind}
    return "/set_up/turbulence"


def _of(raw: Raw) -> Raw:
    found: Raw | None = raw["set_up"]["turbulence"]
    if found is None:
        raise ValueError("the flow is laminar here; say first that it is turbulent")
    return found


def _set_incoming(raw: Raw, pointer: str, kind: str) -> str:
    """Says in another way how turbulent what comes in is, everywhere or through a patch."""
    if kind not in {k.model_fields["kind"].default for k in INCOMING_KINDS}:
        raise ValueError(f"'{kind}' is no way to say how turbulent something is")
    said = _of(raw)
    place = said
    if pointer != "/set_up/turbulence":
        number = pointer.rsplit("/", 1)[1]
        if not number.isdigit() or int(number) >= len(said["inflows"]):
            raise ValueError("nothing is said of the turbulence of that inflow any more")
        place = said["inflows"][int(number)]
    before = place["incoming"]
    if before["kind"] != kind:
        place["incoming"] = {"kind": kind}
        if "intensity" in before and kind != "duct":
            place["incoming"]["intensity"] = before["intensity"]
    return f"{pointer}/incoming"


def _set_inflow_turbulence(raw: Raw, patch: str) -> str:
    """Says of a patch for itself how turbulent what comes in is."""
    inflows = _of(raw)["inflows"]
    at = next((k for k, i in enumerate(inflows) if i["patch"] == patch), len(inflows))
    if at == len(inflows):
        inflows.append({"patch": patch})
    return f"/set_up/turbulence/inflows/{at}"


def _set_rough(raw: Raw, patch: str) -> str:
    """Says that a wall is rough."""
    rough = _of(raw)["rough"]
    at = next((k for k, r in enumerate(rough) if r["patch"] == patch), len(rough))
    if at == len(rough):
        rough.append({"patch": patch})
    return f"/set_up/turbulence/rough/{at}/height"


def _set_regime(raw: Raw, body: str, regime: str) -> str:
    """Says of the fluid of one body that its flow is laminar, or turbulent as that of the others."""
    if regime not in ("laminar", "turbulent"):
        raise ValueError(f"a flow is laminar or turbulent, not '{regime}'")
    said = _of(raw)
    others = [name for name in said["still"] if name != body]
    said["still"] = [*others, body] if regime == "laminar" else others
    return "/set_up/turbulence/still"


ACTIONS: dict[str, Callable[..., str]] = {
    "set_turbulence": _set_turbulence,
    "set_incoming": _set_incoming,
    "set_inflow_turbulence": _set_inflow_turbulence,
    "set_rough": _set_rough,
    "set_regime": _set_regime,
}
