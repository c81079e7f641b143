"""Files out: the document, readings, histories and fields."""

from __future__ import annotations

import csv
from io import StringIO
from pathlib import Path

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, Response

from brook.core.pipeline import dimension_of_reading
from brook.web.pages import StateHere, StudioHere, variant_of
from brook.web.state import StudyState, VariantState

router = APIRouter()


def _download(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}


@router.get("/studies/{slug}/document.json")
def document(state: StateHere) -> Response:
    headers = _download(f"{state.row.slug}.json")
    return Response(state.row.document, media_type="application/json", headers=headers)


def readings_table(state: StudyState) -> str:
    """One line for each variant and requirement, values in SI units and as shown."""
    text = StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(
        [
            "variant",
            "requirement",
            "reading",
            "value_si",
            "unit_si",
            "shown",
            "limit",
            "verdict",
            "margin",
            "up_to_date",
        ]
    )
    for v in state.variants:
        for r in v.readings:
            dimension = dimension_of_reading(r.requirement, v.prepared)
            judged = r.judgement
            writer.writerow([
                v.variant.title, r.requirement.title, r.requirement.reading, "" if r.value is None else repr(r.value),
                dimension.unit() if dimension else "", r.shown, judged.words if judged else "",
                judged.verdict if judged else "", "" if judged is None or judged.margin is None else f"{judged.margin:.6g}",
                "yes" if r.fresh else "no",
            ])  # fmt: skip
    return text.getvalue()


@router.get("/studies/{slug}/readings.csv")
def readings(state: StateHere) -> Response:
    headers = _download(f"{state.row.slug}-readings.csv")
    return Response(readings_table(state), media_type="text/csv; charset=utf-8", headers=headers)


def _run_folder(studio: StudioHere, variant: VariantState | None) -> Path:
    if variant is None or variant.run.key is None:
        raise HTTPException(404, "this variant has not run yet")
    folder = studio.store.files.folder("run", variant.run.key)
    if not folder.is_dir():
        raise HTTPException(404, "this result is no longer kept; bring the variant up to date")
    return folder


@router.get("/studies/{slug}/variants/{name}/histories.csv")
def histories(studio: StudioHere, state: StateHere, name: str) -> FileResponse:
    folder = _run_folder(studio, variant_of(state, name))
    headers = _download(f"{state.row.slug}-{name}-histories.csv")
    return FileResponse(folder / "histories.csv", media_type="text/csv", headers=headers)


@router.get("/studies/{slug}/variants/{name}/fields.vtu")
def fields(studio: StudioHere, state: StateHere, name: str) -> FileResponse:
    folder = _run_folder(studio, variant_of(state, name))
    headers = _download(f"{state.row.slug}-{name}.vtu")
    return FileResponse(folder / "fields.vtu", media_type="application/xml", headers=headers)
