"""What a mesh may lose of a shape: its verdict by what the plan allows now."""

from __future__ import annotations

from typing import Any

from brook.core.units import round_text

MOST_SAID = 4


def losses_over(told: dict[str, Any], limit: float | None) -> list[str]:
    """In words, what of a shape is lost beyond a share, of the summary of a mesh."""
    if limit is None:
        return []
    kept = told.get("account") or {"patches": [], "bodies": []}
    words = [p["words"] or f"The mesh lost something of {p['patch']}" for p in kept["patches"] if p["lost"] > limit]
    return words + [
        b["words"] or f"{b['body']} has another volume than drawn"
        for b in kept["bodies"] if abs(b["meshed"] / b["drawn"] - 1.0) > limit
    ]  # fmt: skip


def with_losses(told: dict[str, Any], limit: float | None) -> dict[str, Any]:
    """The summary of a mesh with what it lost beyond a share in its verdict; meshes of which no account was made stay as they are."""
    over = losses_over(told, limit)
    if limit is None or not over:
        return told
    kept = told["account"]
    patches = [f"{round_text(100 * p['lost'], 2)}\u00a0% of {p['patch']}" for p in kept["patches"] if p["lost"] > limit]
    bodies = [b["words"] for b in kept["bodies"] if abs(b["meshed"] / b["drawn"] - 1.0) > limit]
    more = f" and {len(patches) - MOST_SAID} patches more" if len(patches) > MOST_SAID else ""
    lost = [f"it lost {', '.join(patches[:MOST_SAID])}{more}"] if patches else []
    return told | {"verdict": "bad", "sentence": f"This mesh will not do: {'; '.join([*lost, *bodies])}.", "over": over}
