"""`core/materials/library.json` made anew from CoolProp: `python scripts/fluids.py`."""

from __future__ import annotations

import json

from brook.core.materials.library import CELSIUS, KEPT, RANGES, ask, ask_table

WARMEST = 150  # °C for which whole degrees are kept


def main() -> None:
    degrees = {
        substance: {str(n): ask(substance, n + CELSIUS) for n in range(-80, WARMEST + 1) if low <= n + CELSIUS <= high}
        for substance, (low, high) in RANGES.items()
    }
    kept = {"degrees": degrees, "table": {substance: ask_table(substance) for substance in RANGES}}
    KEPT.write_text(json.dumps(kept, separators=(",", ":")).replace("],", "],\n").replace("},", "},\n") + "\n")


if __name__ == "__main__":
    main()
