"""What a report of the study says besides what was computed, and how it is printed."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import StringConstraints

from brook.core.study.base import Part, Prose

Line = Annotated[str, StringConstraints(max_length=120)]


class ReportTexts(Part):
    """One's own words at the end of each section."""

    question: Prose = ""
    answer: Prose = ""
    shapes: Prose = ""
    set_up: Prose = ""
    mesh: Prose = ""
    runs: Prose = ""
    sure: Prose = ""
    pictures: Prose = ""
    curves: Prose = ""


class ReportPlan(Part):
    """Who sends it, on what paper, how numbers are written, and one's own words."""

    office: Line = ""
    by: Line = ""
    paper: Literal["a4", "us_letter"] = "a4"
    decimal: Literal["point", "comma"] = "point"
    texts: ReportTexts = ReportTexts()
