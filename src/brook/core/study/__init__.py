"""The study document: the one description of a study, and what can be said about it alone."""

from brook.core.study.base import Part, Problem, Value
from brook.core.study.document import (
    FORMAT,
    VERSION,
    Brief,
    DocumentError,
    Requirement,
    RunRules,
    SetUp,
    Study,
    read_study,
    study_text,
)  # fmt: skip
from brook.core.study.geometry import Opening, PlaneGeometry, Rectangle, Sides, formulas_of, patch_names
from brook.core.study.mesh_plan import MeshPlan
from brook.core.study.resolve import Resolved, named_scope, resolve, value_at
from brook.core.study.variants import (
    Case,
    OperatingPoint,
    Variant,
    case_name,
    is_about,
    point_name,
    sized_case,
    sized_name,
    steps_coarser,
    told_size,
    variant_name,
)

__all__ = [
    "FORMAT", "VERSION", "Brief", "Case", "DocumentError", "MeshPlan", "Opening", "OperatingPoint", "Part", "PlaneGeometry",
    "Problem", "Rectangle", "Requirement", "Resolved", "RunRules", "SetUp", "Sides", "Study", "Value",
    "Variant", "case_name", "formulas_of", "is_about", "named_scope", "patch_names", "point_name", "read_study", "resolve", "sized_case", "sized_name", "steps_coarser", "study_text", "told_size", "value_at", "variant_name",
]  # fmt: skip
