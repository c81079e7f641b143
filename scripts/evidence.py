"""Writes docs/evidence.md from what `brook verify` and `brook bench` measure now."""

from __future__ import annotations

from pathlib import Path

from brook.core.verification import cases, run_case
from brook.core.verification.bench import BENCHES, run_benches

OUT = Path(__file__).parent.parent / "docs/evidence.md"


def main() -> None:
    lines = ["# Evidence", "", "Made by `make evidence`. Cavity differences are shares of the lid speed.", ""]
    for name in cases():
        comparisons, seconds = run_case(name)
        lines += [f"## {name} ({seconds:.0f} s)", "", comparisons[0].mesh, ""]
        lines += [
            "| figure | source | reference | measured | difference | tolerance | |",
            "|---|---|---|---|---|---|---|",
        ]
        for c in comparisons:
            reference = f"at least {c.reference:g}" if c.at_least else f"{c.reference:.5g}"
            tolerance = "" if c.at_least else f"{c.tolerance:g}"
            lines.append(
                f"| {c.what} | {c.source} | {reference} | {c.measured:.5g} | {c.difference:+.2e} | {tolerance} "
                f"| {'pass' if c.passed else 'FAIL'} |"
            )
        lines.append("")
    lines += ["## Speed", "", "One thread where not said otherwise; figures of a shared machine.", ""]
    lines += [f"- {figure.line()}" for figure in run_benches(list(BENCHES), print)]
    OUT.write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
