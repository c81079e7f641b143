"""What is said of a mesh on the command line."""

from __future__ import annotations

from typing import Any

from brook.core.mesh.quality import LIMITS, WORDS
from brook.core.units import DIMENSIONS, counted, round_text, show

LENGTH, AREA, VOLUME = (DIMENSIONS[name] for name in ("length", "area", "volume"))


def mesh_report(told: dict[str, Any], bodies: tuple[str, ...], areas: dict[str, dict[str, Any]]) -> str:
    """The summary of a mesh as lines: the verdict, measures, layers, and what was kept of the shape."""
    lines = [f"{counted(told['cells'])} cells in {', '.join(bodies)}. {told['sentence']}"]
    for name, value in told["worst"].items():
        words, unit = WORDS[name]
        percent = told["percentiles"][name]
        shares = f", half under {percent[0]:.3g}{unit}, 99 % under {percent[2]:.3g}{unit}" if percent else ""
        lines.append(f"{words} at most {value:.3g}{unit}{shares}; mind {LIMITS[name][0]:g}{unit}")
    lines.append(f"sides of cells from {show(told['smallest'], LENGTH)} to {show(told['largest'], LENGTH)}")
    lines += [f"layers along {patch}: {round_text(100 * share, 3)} %" for patch, share in told["coverage"].items()]
    lines += [f"{p['patch']} and {p['other']}: {p['words']}" for p in told["pairs"]]
    kept = told["account"] or {"patches": [], "bodies": []}
    for body in kept["bodies"]:
        share = round_text(100 * body["meshed"] / body["drawn"], 4)
        lines.append(f"{body['body']}: {show(body['drawn'], VOLUME)} drawn, {share} % of it meshed")
    drawn = {}
    for patch in kept["patches"]:
        lost = f", {round_text(100 * patch['lost'], 2)} % lost" if patch["lost"] else ""
        drawn[patch["patch"]] = (
            f"; {show(patch['drawn'], AREA)} drawn, {round_text(100 * patch['share'], 4)} % of it meshed{lost}"
        )
    lines += [f"{n}: {counted(a['sides'])} sides, {show(a['area'], AREA)}{drawn.pop(n, '')}" for n, a in areas.items()]
    lines += [f"{name}{words}" for name, words in drawn.items()]
    for wall in kept.get("walls", []):
        both = f"{show(wall['drawn'], AREA)} drawn, {show(wall['meshed'], AREA)} meshed"
        lines.append(f"{wall['one']} touches {wall['other']}: {both}")
    said = [part["words"] for part in (*kept["patches"], *kept["bodies"], *kept.get("walls", [])) if part["words"]]
    lines += [f"{words}." for words in said if words not in told["sentence"]]
    lines += [f"{patch['shut']}." for patch in kept["patches"] if patch.get("shut")]
    for patch in kept["patches"]:
        for place in patch["places"] if patch["words"] else ():
            x, y, z = (f"{1000 * v:.4g}" for v in place["at"])
            lines.append(f"  lost of {patch['patch']} at {x}, {y}, {z} mm: {show(place['away'], LENGTH)} from the mesh")
    return "\n".join(lines)
