"""`library.json` and `substances.json` of `core/materials` made anew from CoolProp: `python scripts/fluids.py`."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from brook.core.materials.catalogue import SUBSTANCES
from brook.core.materials.library import (
    ATMOSPHERE,
    CELSIUS,
    KEPT,
    MORE,
    RANGES,
    State,
    ask,
    ask_range,
    ask_table,
    moisture_of,
)

WARMEST, COLDEST = 150, -80  # °C between which whole degrees are kept
NEARER = (-10, 100)  # of what is not water or air


def degrees_of(name: str, ends: tuple[float, float], between: tuple[int, int]) -> dict[str, tuple[float, ...]]:
    """What is kept of whole degrees of a substance."""
    low, high = ends
    return {str(n): ask(name, n + CELSIUS) for n in range(between[0], between[1] + 1) if low <= n + CELSIUS <= high}


def half_humid(temperature: float) -> tuple[float, ...]:
    """Of air at 50 %."""
    moisture = moisture_of(temperature, ATMOSPHERE, 0.5)
    return ask(State("humid_air", ATMOSPHERE, moisture).called, temperature)[:4]


def write(path: Path, kept: dict[str, Any]) -> None:
    """A line for each row."""
    text = json.dumps(kept, separators=(",", ":")).replace("],", "],\n").replace("},", "},\n")
    path.write_text(text + "\n")


def main() -> None:
    """Both files."""
    first = {name: degrees_of(name, ends, (COLDEST, WARMEST)) for name, ends in RANGES.items()}
    write(KEPT, {"degrees": first, "table": {name: ask_table(name) for name in RANGES}})
    MORE.unlink(missing_ok=True)
    more = {}
    for name in SUBSTANCES:
        if name in RANGES or name == "humid_air":
            continue
        ends = ask_range(State(name))
        more[name] = {"range": ends, "degrees": degrees_of(name, ends, NEARER), "table": ask_table(name)}
    more["humid_air"] = {"half": {str(n): half_humid(n + CELSIUS) for n in range(NEARER[0], 91)}}
    write(MORE, more)


if __name__ == "__main__":
    main()
