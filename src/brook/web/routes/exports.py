"""Files out: the document, readings, histories, forces and fields."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, Response

from brook.core.results.exports import FORMATS, Column, Curve, Sheet
from brook.core.solve.history import lifted
from brook.core.stages.readings import dimension_of_reading
from brook.runs import readout, sheets
from brook.web.pages import RowHere, StateHere, StudioHere, variant_of
from brook.web.routes.readout import ask, shown_of, source_of
from brook.web.routes.run import monitor_units
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def download(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}


def media_type(suffix: str, draws: bool = True) -> str:
    """The media type of a kind of file; 404 for one that is not known, or draws what has no curves."""
    if suffix not in FORMATS or (FORMATS[suffix].draws and not draws):
        known = ", ".join(f.suffix for f in FORMATS.values() if draws or not f.draws)
        raise HTTPException(404, f"there is no file of kind '{suffix}'; known are {known}")
    return FORMATS[suffix].media_type


def written(studio: Studio, suffix: str, tables: list[Sheet]) -> bytes:
    """The bytes of a file; figures are drawn at the result reader."""
    if FORMATS[suffix].draws:
        return ask(studio, sheets.write, suffix, tables)
    return FORMATS[suffix].write(tables)


@router.get("/studies/{slug}/document.json")
def document(row: RowHere) -> Response:
    headers = download(f"{row.slug}.json")
    return Response(row.document, media_type="application/json", headers=headers)


def readings_sheet(state: StudyState) -> Sheet:
    """One line for each variant and requirement, values in SI units and as shown."""
    rows: list[list[str | float | None]] = []
    for v in state.variants:
        for r in v.readings:
            dimension, judged = dimension_of_reading(r.requirement, v.prepared), r.judgement
            rows.append([
                v.variant.title, r.requirement.title, r.requirement.reading, r.course or None, r.value,
                dimension.unit() if dimension else "", r.shown, judged.words if judged else "",
                judged.verdict if judged else "", None if judged is None else judged.margin,
                "yes" if r.fresh else "no", r.half, r.sure_words, r.on,
            ])  # fmt: skip
    titles = ("variant", "requirement", "reading", "reads", "value_si", "unit_si", "shown", "limit", "verdict", "margin",
              "up_to_date", "band_si", "how_sure", "read_on")  # fmt: skip
    return Sheet("Readings", tuple(Column(t, "", [row[k] for row in rows]) for k, t in enumerate(titles)))


@router.get("/studies/{slug}/readings.{suffix}")
def readings(studio: StudioHere, state: StateHere, suffix: str) -> Response:
    kind = media_type(suffix, draws=False)
    content = written(studio, suffix, [readings_sheet(state)])
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-readings.{suffix}"))


def run_folder(studio: Studio, variant: VariantState | None) -> Path:
    if variant is None or variant.run.key is None:
        raise HTTPException(404, "this variant has not run yet")
    folder = studio.store.files.folder("run", variant.run.key)
    if not folder.is_dir():
        raise HTTPException(404, "this result is no longer kept; bring the variant up to date")
    return folder


def history_sheet(history: dict, title: str) -> Sheet:
    """Residuals and monitors (SI units) by iteration, or by step and time; drawn are the residuals."""
    iterations = list(range(1, len(history["seconds"]) + 1))
    times, residuals = history.get("time") or [], history["residuals"]
    columns = [Column("step" if times else "iteration", "", iterations)]
    columns += [Column("time", "s", times)] if times else []
    columns += [Column(f"{name}_residual", "", values) for name, values in residuals.items()]
    columns.append(Column("seconds", "", history["seconds"]))
    columns += [Column(name, "", values) for name, values in history["monitors"].items()]
    along: list[float] = times or [float(k) for k in iterations]
    curves = [Curve(name, *_there(along, values)) for name, values in residuals.items()]
    title_x = "time [s]" if times else "iteration"
    return Sheet(f"Residuals, {title}", tuple(columns), "", tuple(curves), title_x, "residual", logarithmic=True)


def _there(places: list[float], values: list[float | None]) -> tuple[list[float], list[float]]:
    """Without what was not there yet."""
    found = [(place, v) for place, v in zip(places, values, strict=False) if v is not None]
    return [place for place, _ in found], [v for _, v in found]


def monitor_sheets(history: dict, monitors: list[dict]) -> list[Sheet]:
    """One sheet for each monitor, in the unit it is shown in, to be drawn under the residuals."""
    found = []
    for monitor in monitors:
        values = [
            None if v is None else v * monitor["factor"] + monitor["shift"]
            for v in history["monitors"].get(monitor["name"], ())
        ]
        places = history.get("time") or range(1, len(values) + 1)
        at = [place for place, v in zip(places, values, strict=False) if v is not None]
        curve = Curve(monitor["title"], at, [v for v in values if v is not None])
        title = f"{monitor['title']} / {monitor['unit']}" if monitor["unit"] else monitor["title"]
        found.append(
            Sheet(
                monitor["title"],
                (),
                "",
                (curve,),
                "time [s]" if history.get("time") else "iteration",
                title,
                y_range=_late_range(curve.y),
            )
        )
    return found


def _late_range(values: Sequence[float]) -> tuple[float, float] | None:
    """What the second half of a history spans, with room: the start would flatten the end."""
    late = values[len(values) // 2 :]
    if not late:
        return None
    low, high = min(late), max(late)
    room = max(0.3 * (high - low), 0.02 * max(abs(low), abs(high)), 1e-300)
    return low - room, high + room


@router.get("/studies/{slug}/variants/{name}/histories.{suffix}")
def histories(studio: StudioHere, state: StateHere, name: str, suffix: str) -> Response:
    """Residuals and monitors: a table, or drawn one under the other."""
    kind, variant = media_type(suffix), variant_of(state, name)
    history = lifted(json.loads((run_folder(studio, variant) / "history.json").read_text()))
    assert variant is not None
    tables = [history_sheet(history, variant.variant.title)]
    if FORMATS[suffix].draws:
        tables += monitor_sheets(history, monitor_units(state, variant))
    content = written(studio, suffix, tables)
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-{name}-histories.{suffix}"))


@router.get("/studies/{slug}/forces.{suffix}")
def forces(studio: StudioHere, state: StateHere, suffix: str, variants: str = "") -> Response:
    kind = media_type(suffix, draws=False)
    content = ask(studio, sheets.export_forces, suffix, shown_of(studio, state, variants))
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-forces.{suffix}"))


def ledger_sheet(variant: VariantState) -> Sheet:
    """Volume, mass and heat out through each patch, its mean pressure, and the imbalance."""
    summary = variant.run.summary or {"flows": {}, "mean_pressures": {}, "imbalance": 0.0}
    flows, masses, heats = summary["flows"], summary.get("mass_flows", {}), summary.get("heat", {})
    names = list(dict.fromkeys([*flows, *heats]))
    columns = [
        Column("patch", "", [*names, "net mass over inflow" if masses else "net volume over inflow"]),
        Column("volume out", "m^3/s", [*map(flows.get, names), None if masses else summary["imbalance"]]),
    ]
    if masses:
        columns.append(Column("mass out", "kg/s", [*map(masses.get, names), summary["imbalance"]]))
    if heats:
        columns.append(Column("heat out", "W", list(map(heats.get, names))))
    columns.append(Column("mean pressure", "Pa", list(map(summary["mean_pressures"].get, names))))
    return Sheet(f"Ledger, {variant.variant.title}", tuple(columns))


@router.get("/studies/{slug}/ledger.{suffix}")
def ledger(studio: StudioHere, state: StateHere, suffix: str) -> Response:
    kind = media_type(suffix, draws=False)
    tables = [ledger_sheet(v) for v in state.variants if v.run.summary is not None]
    if not tables:
        raise HTTPException(404, "no variant has a result yet")
    content = written(studio, suffix, tables)
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-ledger.{suffix}"))


@router.get("/studies/{slug}/variants/{name}/patches.vtu")
def patches(studio: StudioHere, state: StateHere, name: str) -> Response:
    content = ask(studio, readout.patches_vtu, source_of(studio, state, name))
    return Response(content, media_type="application/xml", headers=download(f"{state.row.slug}-{name}-patches.vtu"))


@router.get("/studies/{slug}/variants/{name}/fields.vtu")
def fields(studio: StudioHere, state: StateHere, name: str) -> FileResponse:
    folder = run_folder(studio, variant_of(state, name))
    headers = download(f"{state.row.slug}-{name}.vtu")
    return FileResponse(folder / "fields.vtu", media_type="application/xml", headers=headers)
