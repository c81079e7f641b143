"""The list of kernels to have ready, `core/compiling/needs.json`, made anew: `python scripts/kernels.py`.

Does in one process, from an empty folder of compiled code, what a user's first hour does: the demo studies in the order of
the shelf, their pages, shapes with their meshes, large meshes. Whatever is compiled on the way is on the list, for the
first work that asked for it.
"""

from __future__ import annotations

import hashlib
import os
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from importlib import import_module
from pathlib import Path

HOME = Path(tempfile.mkdtemp(prefix="brook-kernels-"))
os.environ["BROOK_KERNELS"] = str(HOME / "empty")
MODELS = ("sst", "realizable", "rng")
MODULES = (
    "brook.core.bench",
    "brook.runs.task",
    "brook.runs.space_readout",
    "brook.runs.flights",
    "brook.demo.spray_header",
)
ITERATIONS = 45  # of each run; mixing and all else has begun by then


def work() -> list[tuple[str, Callable[[], object]]]:
    """What is done, under the words that pages say while it is compiled."""
    from brook import demo
    from brook.core.bench.flows import warm_large
    from brook.core.bench.shapes import warm_shapes
    from brook.demo import spray_header

    tray, *others = demo.studies()
    return [
        ("the first study", partial(bring, tray)),
        ("the spray header's files", spray_header.files),
        *((f"the study {study.title}", partial(bring, study)) for study in others),
        ("shapes and their meshes", warm_shapes),
        ("shapes and their meshes", header),
        ("large meshes", warm_large),
        ("large meshes", warm_large_heat),
        *(("turbulent flows", partial(warm_turbulent, "0.1 m", model)) for model in MODELS),
        *(("large meshes", partial(warm_turbulent, "2.2 mm", model)) for model in MODELS),
    ]


def bring(study, variants=None) -> None:  # type: ignore[no-untyped-def]
    """Every variant of a study, or some, as a worker brings it up to date, runs ended early, and its pages."""
    from brook.core.study import study_text
    from brook.runs import Request
    from brook.runs.task import bring_up_to_date

    for k, variant in enumerate(study.variants if variants is None else variants):
        looks, running, kept = [0], [False], {}

        def emit(event: dict, running=running, kept=kept) -> None:
            running[0] |= event["type"] == "stage" and event["stage"] == "run"
            if event["type"] == "result" and event["stage"] in ("mesh", "run"):
                kept[event["stage"]] = event

        def wish(looks=looks, running=running) -> str:
            looks[0] += running[0]
            return "stop" if looks[0] > ITERATIONS else "go on"

        begun = time.perf_counter()
        request = Request(k, study_text(study), variant.name, str(HOME / "results"), shapes=str(HOME / "shapes"))
        ended = bring_up_to_date(request, emit, wish)
        look_at(study, variant.name, kept)
        print(f"  {variant.name}: {ended['state']}, {time.perf_counter() - begun:.1f} s", file=sys.stderr)


def look_at(study, variant: str, kept: dict) -> None:  # type: ignore[no-untyped-def]
    """What the pages Results and Compare ask of a result."""
    from brook.core.study import study_text
    from brook.core.study.particles import Particles
    from brook.runs import Source, flights, readout, space_readout

    source = Source(
        str(HOME / "results"), kept["run"]["summary"]["mesh_key"], kept["run"]["key"], study_text(study), variant
    )
    readout.field_values(source, "speed")
    readout.difference_values(source, source, "speed")
    if readout.loaded(source).fields.mesh.is_plane:
        readout.streamlines(source, "default", "", [], 8)
    else:
        low, high = space_readout.box(source)
        middle = tuple(0.5 * (a + b) for a, b in zip(low, high, strict=True))
        space_readout.cut_array(source, 0, middle[0], "speed")
        space_readout.lines_in_space(source, "", [middle], 1)
        space_readout.above(source, "speed", "1 mm/s")
    flows = kept["run"]["summary"]["flows"]
    inlet = min(flows, key=lambda patch: flows[patch], default="")
    if inlet and flows[inlet] < 0:
        flights.flights(
            source, Particles(name="grains", title="Grains", source={"patch": inlet}, number=40, does="bounces")
        )


def header() -> None:
    """The spray header of the demo: its files, shapes and meshes, and the runs that it asks for."""
    from brook.core.geometry.files import read_file
    from brook.core.study.space import SpaceGeometry
    from brook.demo import spray_header

    (HOME / "shapes").mkdir(exist_ok=True)
    contents = {}
    for name, (file, data) in spray_header.files().items():
        content = hashlib.sha256(data).hexdigest()[:20]
        contents[name] = (file, content)
        (HOME / "shapes" / content).write_bytes(data)
        read_file(file, data)
    study = spray_header.study(contents)
    chosen = [v for v in study.variants if isinstance(v.geometry, SpaceGeometry) and v.geometry.bodies]
    bring(study, chosen)


def warm_large_heat() -> None:
    """Heat in a mesh over the size from which loops are shared among threads."""
    from brook.core.stages.batch import run_to_folder
    from brook.core.verification import convection

    study = convection.study(1e4, 150)
    few = study.model_copy(update={"run_rules": study.run_rules.model_copy(update={"iterations": 3})})
    run_to_folder(few, few.variants[0].name, HOME / "heat", lambda text: None)


def warm_turbulent(size: str, model: str) -> None:
    """A turbulent channel with heat, of cells of a size, by a model."""
    from brook.core.stages.batch import run_to_folder
    from brook.core.study.document import study_from
    from brook.core.verification import turbulent_channel

    raw = turbulent_channel.study_of(6875.0, 0.71, model).model_dump(mode="json")
    raw["mesh_plan"] |= {"bulk": size, "wall": size}
    raw["set_up"]["turbulence"]["rough"] = [{"patch": "wall", "height": "1 mm"}]
    raw["run_rules"]["iterations"] = 12
    study = study_from(raw)
    run_to_folder(study, study.variants[0].name, HOME / f"turbulent-{model}-{size[0]}", lambda text: None)


def main() -> None:
    from brook.core.compiling.needs import write
    from brook.core.compiling.recording import recording

    for module in MODULES:  # loaded before the clock of the first kernel goes
        import_module(module)

    begun = time.perf_counter()
    with recording() as recorder:
        for purpose, do in work():
            recorder.purpose = purpose
            do()
            print(f"{purpose}: {len(recorder.found)} kernels, {time.perf_counter() - begun:.0f} s", file=sys.stderr)
    needs = recorder.needs()
    write(needs)
    print(f"{len(needs)} kernels, {sum(n.seconds for n in needs):.0f} s of compiling")


if __name__ == "__main__":
    main()
