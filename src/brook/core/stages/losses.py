"""What a mesh may lose of a shape: its verdict by what the plan allows now."""

from __future__ import annotations

from typing import Any

from brook.core.units import round_text

MOST_SAID = 4


def losses_over(told: dict[str, Any], limit: float | None) -> list[str]:
    """In words, which patches of a shape are lost beyond a share, of the summary of a mesh."""
    if limit is None:
        return []
    patches = (told.get("account") or {"patches": []})["patches"]
    gone = [w["words"] for w in _walls(told) if w["words"] and 1 - w["meshed"] / max(w["drawn"], 1e-300) > limit]
    return [p["words"] or f"The mesh lost something of {p['patch']}" for p in patches if p["lost"] > limit] + gone


def _walls(told: dict[str, Any]) -> list[dict[str, Any]]:
    return (told.get("account") or {}).get("walls", [])


def with_losses(told: dict[str, Any], limit: float | None) -> dict[str, Any]:
    """The summary of a mesh with what it lost beyond a share in its verdict: of patches it will not do, of volumes, which flat sides of
    what is bent take too, with care. Meshes of which no account was made stay as they are."""
    if limit is None or not told.get("account"):
        return told
    kept = told["account"]
    over = losses_over(told, limit)
    bodies = [b["words"] for b in kept["bodies"] if b["words"] and abs(b["meshed"] / b["drawn"] - 1.0) > limit]
    bodies += [w["words"] for w in _walls(told) if w["words"]]
    if over:
        patches = [
            f"{round_text(100 * p['lost'], 2)}\u00a0% of {p['patch']}" for p in kept["patches"] if p["lost"] > limit
        ]
        more = f" and {len(patches) - MOST_SAID} patches more" if len(patches) > MOST_SAID else ""
        lost = [f"it lost {', '.join(patches[:MOST_SAID])}{more}"] if patches else []
        words = "; ".join([*lost, *bodies])
        besides = told["sentence"].removeprefix("This mesh will do.")  # what else is wrong with it stays said
        for begin in ("This mesh will do with care:", "This mesh will not do:"):
            besides = besides.replace(begin, "Besides,")
        sentence = f"This mesh will not do: {words}. {besides.strip()}".strip()
        return told | {"verdict": "bad", "sentence": sentence, "over": over}
    if bodies:
        words = "; ".join(bodies)
        said = (
            f"This mesh will do with care: {words}."
            if told["verdict"] == "good"
            else f"{told['sentence']} {words[:1].upper()}{words[1:]}."
        )
        return told | {"verdict": "poor" if told["verdict"] == "good" else told["verdict"], "sentence": said}
    return told
