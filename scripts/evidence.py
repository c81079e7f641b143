"""Writes what `brook verify` measures now: docs/evidence.md, and the figures and curves of the page Evidence.

Cases named on the command line replace theirs in what there is; without names everything is made anew, speed too.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from brook.core.bench import BENCHES, run_benches
from brook.core.verification import cases, run_case

ROOT = Path(__file__).parent.parent
OUT, FIGURES = ROOT / "docs/evidence.md", ROOT / "src/brook/evidence.json"


def main(names: list[str]) -> None:
    known: dict[str, Any] = json.loads(FIGURES.read_text()) if FIGURES.exists() else {"cases": {}, "speed": []}
    for name in names or list(cases()):
        print(name, flush=True)
        known["cases"][name] = json.loads(json.dumps(run_case(name).as_dict(), default=float))
        _write(known)
    if not names:
        known["speed"] = [figure.line() for figure in run_benches(list(BENCHES), print)]
    _write(known)


def _write(known: dict[str, Any]) -> None:
    known["cases"] = {name: known["cases"][name] for name in cases() if name in known["cases"]}
    FIGURES.write_text(json.dumps(known, ensure_ascii=False, separators=(",", ":")) + "\n")
    lines = ["# Evidence", "", "Made by `make evidence`. Cavity differences are shares of the lid speed.", ""]
    for name, case in known["cases"].items():
        lines += [f"## {name} ({case['seconds']:.0f} s)", "", case["comparisons"][0]["mesh"], ""]
        lines += [
            "| figure | source | reference | measured | difference | tolerance | |",
            "|---|---|---|---|---|---|---|",
        ]
        for c in case["comparisons"]:
            reference = f"at least {c['reference']:g}" if c["at_least"] else f"{c['reference']:.5g}"
            tolerance = "" if c["at_least"] else f"{c['tolerance']:g}"
            lines.append(
                f"| {c['what']} | {c['source']} | {reference} | {c['measured']:.5g} | {c['difference']:+.2e} | {tolerance} "
                f"| {'pass' if c['passed'] else 'FAIL'} |"
            )
        lines.append("")
    lines += ["## Speed", "", "Figures of a shared machine, two threads.", ""]
    lines += [f"- {line}" for line in known["speed"]]
    OUT.write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
