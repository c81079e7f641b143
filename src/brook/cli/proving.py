"""Commands about Brook itself: verify, bench, warm, version."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from brook import __version__
from brook.cli.app import app, loaded, say


@app.command()
def version() -> None:
    """Says which Brook this is."""
    print(__version__)


@app.command()
def verify(
    names: Annotated[list[str] | None, typer.Argument(help="Cases; all when none is named.")] = None,
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the figures here too.")] = None,
) -> None:
    """Runs published cases and compares; exits with 1 if one is outside its tolerance."""
    from brook.core.formulas import nearest
    from brook.core.verification import cases, run_case

    loaded()
    known = cases()
    unknown = [n for n in names or [] if n not in known]
    if unknown:
        say(f"'{unknown[0]}' is not a case: {nearest(unknown[0], known)}")
        raise typer.Exit(1)
    everything: dict[str, Any] = {}
    good = True
    for name in names or list(known):
        say(f"{name} …")
        result = run_case(name)
        everything[name] = result.as_dict()
        print(f"{name} ({result.seconds:.1f} s)")
        for c in result.comparisons:
            good &= c.passed
            mark = "pass" if c.passed else "FAIL"
            limit = (
                f"at least {c.reference:g}" if c.at_least else f"reference {c.reference:.5g} ± {100 * c.tolerance:g} %"
            )
            print(
                f"  {mark}  {c.what}: {c.measured:.5g}, {limit}, difference {c.difference:+.2e}  [{c.source}; {c.mesh}]"
            )
    if json_file:
        json_file.write_text(json.dumps(everything, indent=2, ensure_ascii=False))
    raise typer.Exit(0 if good else 1)


@app.command()
def bench(
    names: Annotated[list[str] | None, typer.Argument(help="Figures; all when none is named.")] = None,
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the figures here too.")] = None,
) -> None:
    """Speed figures, each beside the memory bandwidth measured in the same run."""
    from brook.core.bench import BENCHES, run_benches
    from brook.core.formulas import nearest

    loaded()
    unknown = [n for n in names or [] if n not in BENCHES]
    if unknown:
        say(f"'{unknown[0]}' is not a figure: {nearest(unknown[0], BENCHES)}")
        raise typer.Exit(1)
    figures = run_benches(names or list(BENCHES), say)
    for figure in figures:
        print(figure.line())
    if json_file:
        json_file.write_text(json.dumps([f.as_dict() for f in figures], indent=2, ensure_ascii=False))


@app.command()
def warm(
    processes: Annotated[
        int, typer.Option(min=0, max=64, help="How many compile at once; as many as there are cores when 0.")
    ] = 0,
) -> None:
    """Compiles all kernels, so that no run has to wait for one; exits with 1 if one could not be compiled."""
    from brook.core.compiling.place import place
    from brook.core.compiling.warming import Progress, warm

    loaded()

    def tell(progress: Progress) -> None:
        if sys.stderr.isatty():
            print(f"\r\x1b[K{progress.words()}", end="" if progress.busy else "\n", file=sys.stderr, flush=True)

    done = warm(tell, processes or None)
    say(f"{done.there} of {done.total} kernels are compiled, in {place()}")
    for name, why in done.failed.items():
        say(f"{name} could not be compiled: {why}")
    raise typer.Exit(1 if done.failed or done.there < done.total else 0)
