"""The study document, version 1, and its reading and writing as JSON."""

from __future__ import annotations

import json
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from brook.core.formulas import FormulaError, evaluate, parse
from brook.core.study.base import BodyName, Formula, Name, Part, Problem, Prose, Title, Value
from brook.core.study.boundaries import Boundary
from brook.core.study.curves import CoursePlot, CurvePlot
from brook.core.study.frame import TurningFrame
from brook.core.study.heat import Heat, LibrarySolid, OwnSolid
from brook.core.study.mesh_plan import MeshPlan
from brook.core.study.particles import Particles
from brook.core.study.places import Place
from brook.core.study.report import ReportPlan
from brook.core.study.scalars import Scalar
from brook.core.study.spots import Axis, Placed
from brook.core.study.start import FromLast, Start
from brook.core.study.sweeps import Sweep, swept_case, told_swept
from brook.core.study.tables import ValueTable
from brook.core.study.timing import Steady, Timing
from brook.core.study.turbulence import Turbulence
from brook.core.study.variants import (
    OperatingPoint,
    Variant,
    case_of,
    sized_case,
    told_size,
    variant_name,
)
from brook.core.study.views import Plate
from brook.core.study.within import Within
from brook.core.units import show

FORMAT: Literal["brook-study"] = "brook-study"
VERSION: Literal[1] = 1
MAX_BYTES = 2_000_000
MOST_CASES = 240


class DocumentError(ValueError):
    """A text that is not a study document; `problems` says where and what."""

    def __init__(self, problems: list[Problem]):
        super().__init__("; ".join(str(p) for p in problems))
        self.problems = problems


class Brief(Part):
    question: Prose = ""
    notes: Prose = ""


class AtMost(Part):
    kind: Literal["at_most"] = "at_most"
    value: Formula


class AtLeast(Part):
    kind: Literal["at_least"] = "at_least"
    value: Formula


class Between(Part):
    kind: Literal["between"] = "between"
    low: Formula
    high: Formula


class Smallest(Part):
    kind: Literal["smallest"] = "smallest"


class Largest(Part):
    kind: Literal["largest"] = "largest"


Limit = Annotated[AtMost | AtLeast | Between | Smallest | Largest, Field(discriminator="kind")]


class Requirement(Part):
    """A reading (`tray.speed.share_below(0.5 mm/s)`) and what it has to be; in a flow in time, what of its `course` has to
    (empty: what `timing.reads` says). What is `expected`, by hand, from a paper or a test, stands beside it with `expected_from` where. It has to hold
    `at` one operating point, or at all of them."""

    name: Name
    title: Title
    reading: Formula
    limit: Limit
    unit: Annotated[str, Field(max_length=20)] = ""
    course: Literal["", "end", "mean", "largest", "smallest", "fluctuation", "frequency"] = ""
    expected: Annotated[str, Field(max_length=500)] = ""
    expected_from: Annotated[str, Field(max_length=200)] = ""
    at: Annotated[str, Field(max_length=80)] = ""

    @property
    def shown_in(self) -> str | None:
        """The unit to show it in, None for whichever is sensible."""
        return self.unit or ("Hz" if self.course == "frequency" else None)


class LibraryFluid(Part):
    """A substance of the library by its name, at an absolute `pressure`; `humidity` is the relative one of humid air."""

    kind: Literal["library"] = "library"
    substance: Annotated[str, Field(max_length=40)] = "water"
    temperature: Annotated[Formula, Value("temperature", "positive")] = "20 degC"
    pressure: Annotated[Formula, Value("pressure", "positive")] = "101325 Pa"
    humidity: Annotated[Formula, Value("number", "not_negative")] = "50 %"


class PowerLaw(Part):
    """`viscosity` is that at a shear `rate`; it changes with the power `index` - 1 of the rate."""

    kind: Literal["power"] = "power"
    index: Annotated[Formula, Value("number", "positive")] = "0.7"
    rate: Annotated[Formula, Value("rate", "positive")] = "1 s^-1"


class Carreau(Part):
    """`viscosity` is that at rest; it falls towards `thin_viscosity` at rates over one over `time`."""

    kind: Literal["carreau"] = "carreau"
    index: Annotated[Formula, Value("number", "positive")] = "0.4"
    time: Annotated[Formula, Value("time", "positive")] = "1 s"
    thin_viscosity: Annotated[Formula, Value("dynamic_viscosity", "not_negative")] = "0 Pa s"


class HerschelBulkley(Part):
    """A power law that moves only beyond a yield stress, smoothed over a `time`."""

    kind: Literal["yielding"] = "yielding"
    index: Annotated[Formula, Value("number", "positive")] = "1"
    rate: Annotated[Formula, Value("rate", "positive")] = "1 s^-1"
    yield_stress: Annotated[Formula, Value("pressure", "not_negative")] = "1 Pa"
    time: Annotated[Formula, Value("time", "positive")] = "100 s"


ShearLaw = Annotated[PowerLaw | Carreau | HerschelBulkley, Field(discriminator="kind")]


class OwnFluid(Part):
    kind: Literal["own"] = "own"
    title: Title = "Own fluid"
    density: Annotated[Formula, Value("density", "positive", True)] = "1000 kg/m^3"
    viscosity: Annotated[Formula, Value("dynamic_viscosity", "positive", True)] = "1 mPa s"
    heat_capacity: Annotated[Formula, Value("heat_capacity", "positive", True)] = "4.18 kJ/(kg K)"
    conductivity: Annotated[Formula, Value("conductivity", "positive", True)] = "0.6 W/(m K)"
    expansion: Annotated[Formula, Value("expansion")] = "2.1e-4 K^-1"
    law: ShearLaw | None = None


class Gas(Part):
    """An ideal gas. `temperature` is that of its density where no temperatures are computed or none counts for it;
    `pressure` is absolute, and rises with the temperature in a closed body."""

    kind: Literal["gas"] = "gas"
    title: Title = "Gas of our own"
    molar_mass: Annotated[Formula, Value("molar_mass", "positive")] = "28.96 g/mol"
    pressure: Annotated[Formula, Value("pressure", "positive")] = "101325 Pa"
    temperature: Annotated[Formula, Value("temperature", "positive")] = "20 degC"
    viscosity: Annotated[Formula, Value("dynamic_viscosity", "positive", True)] = "18.2e-6 Pa s"
    heat_capacity: Annotated[Formula, Value("heat_capacity", "positive", True)] = "1006 J/(kg K)"
    conductivity: Annotated[Formula, Value("conductivity", "positive", True)] = "0.0259 W/(m K)"


Fluid = Annotated[LibraryFluid | OwnFluid | Gas, Field(discriminator="kind")]
Material = Annotated[LibraryFluid | OwnFluid | Gas | LibrarySolid | OwnSolid, Field(discriminator="kind")]


class Reference(Placed):
    """What coefficients are made with; without a speed it is the mean speed of the inflow, without a density the mean one, without an area the one
    that a patch shows `along` the stream, without a length how long it is along it, without a
    temperature the mixed one of what flows in. Lift is `up`, moments are about the place."""

    speed: Annotated[str, Field(max_length=500)] = ""
    pressure: Annotated[Formula, Value("pressure")] = "0 Pa"
    density: Annotated[str, Field(max_length=500)] = ""
    area: Annotated[str, Field(max_length=500)] = ""
    length: Annotated[str, Field(max_length=500)] = ""
    temperature: Annotated[str, Field(max_length=500)] = ""
    along: Axis = "x"
    up: Axis = "y"


class SetUp(Part):
    fluid: Fluid = LibraryFluid()
    boundaries: Annotated[tuple[Boundary, ...], Field(max_length=60)] = ()
    timing: Timing = Steady()
    turbulence: Turbulence | None = None
    heat: Heat | None = None
    scalars: Annotated[tuple[Scalar, ...], Field(max_length=20)] = ()
    frame: TurningFrame | None = None
    start: Start = FromLast()
    within: Annotated[tuple[Within, ...], Field(max_length=60)] = ()
    materials: Annotated[dict[BodyName, Material], Field(max_length=200)] = {}
    convection: Literal["limited", "third", "central", "upwind"] = "limited"
    reference: Reference = Reference()


class RunRules(Part):
    """When a run may stop: residuals under their limit and every monitor standing still."""

    residual: Annotated[Formula, Value("number", "positive")] = "1e-5"
    monitor_change: Annotated[Formula, Value("number", "positive")] = "0.1 %"
    monitor_window: Annotated[int, Field(ge=5, le=1000)] = 40
    iterations: Annotated[int, Field(ge=1, le=100_000)] = 3000


class Study(Part):
    """Everything a study is. Shared statements first, then one geometry for each variant."""

    format: Literal["brook-study"] = FORMAT
    version: Literal[1] = VERSION
    title: Title
    brief: Brief = Brief()
    named_values: dict[Name, Formula] = {}
    tables: Annotated[dict[Name, ValueTable], Field(max_length=100)] = {}
    places: dict[Name, Place] = {}
    requirements: Annotated[tuple[Requirement, ...], Field(max_length=40)] = ()
    variants: Annotated[tuple[Variant, ...], Field(max_length=60)] = ()
    points: Annotated[tuple[OperatingPoint, ...], Field(max_length=12)] = ()
    sweeps: Annotated[tuple[Sweep, ...], Field(max_length=20)] = ()
    mesh_plan: MeshPlan = MeshPlan()
    set_up: SetUp = SetUp()
    run_rules: RunRules = RunRules()
    fields: dict[Name, Formula] = {}
    plates: Annotated[tuple[Plate, ...], Field(max_length=40)] = ()
    plots: Annotated[tuple[CurvePlot, ...], Field(max_length=40)] = ()
    courses: Annotated[tuple[CoursePlot, ...], Field(max_length=40)] = ()
    particles: Annotated[tuple[Particles, ...], Field(max_length=20)] = ()
    report: ReportPlan = ReportPlan()

    @model_validator(mode="after")
    def _names_once(self) -> Self:
        named: tuple[tuple[str, tuple[Any, ...]], ...] = (
            ("variant", self.variants),
            ("operating point", self.points),
            ("sweep", self.sweeps),
            ("requirement", self.requirements),
            ("plate", self.plates),
            ("plot", (*self.plots, *self.courses)),
            ("cloud of particles", self.particles),
        )
        for what, parts in named:
            names = [p.name for p in parts]
            twice = sorted({n for n in names if names.count(n) > 1})
            if twice:
                raise ValueError(f"two of the {what}s are called '{twice[0]}'; give each a name of its own")
        return self

    @model_validator(mode="after")
    def _not_too_many(self) -> Self:
        if (count := len(self.variants) * len(self.points)) > MOST_CASES:
            raise ValueError(
                f"{len(self.variants)} variants at {len(self.points)} operating points are {count} cases; at most {MOST_CASES} are computed: take some out"
            )
        return self

    @cached_property
    def canonical(self) -> str:
        """The document as compact JSON, made once: the key of whatever is worked out from it."""
        return self.model_dump_json()

    @cached_property
    def raw(self) -> dict[str, Any]:
        """The document as what JSON knows, made once; nobody may change it."""
        return self.model_dump(mode="json")

    @cached_property
    def cases(self) -> tuple[Variant, ...]:
        """What is computed: each variant at each operating point, or the variants where there is none."""
        if not self.points:
            return self.variants
        return tuple(case_of(variant, point) for variant in self.variants for point in self.points)

    def variant(self, name: str) -> Variant:
        """The variant or the case of that name, of a sweep and on coarser or finer cells where it says so. Raises `KeyError`."""
        for variant in (*self.variants, *self.cases):
            if variant.name == name:
                return variant
        base, coarser = told_size(name)
        if coarser:
            return sized_case(self.variant(base), coarser)
        swept = told_swept(name)
        if swept is None:
            raise KeyError(name)
        base, called, shares = swept
        sweep = next((s for s in self.sweeps if s.name == called and len(s.values) == len(shares)), None)
        if sweep is None:
            raise KeyError(name)
        case = swept_case(self.variant(base), sweep, shares, "")
        return case.model_copy(update={"title": f"{self.variant(base).title}, {self._words_of(case, sweep)}"})

    def _words_of(self, case: Variant, sweep: Sweep) -> str:
        """What the values of a case of a sweep are, in words."""
        from brook.core.study.resolve import named_scope

        scope, told = named_scope(self, case), []
        for value in sweep.values:
            try:
                found = evaluate(parse(value.name), scope)
                told.append(f"{value.name.replace('_', ' ')} {show(float(found.value), found.dimension)}")
            except FormulaError:
                told.append(f"{value.name} of no value")
        return ", ".join(told)

    def index_of(self, variant: Variant) -> int:
        """The place of a variant, or of the one that a case is of. Raises `ValueError`."""
        return [v.name for v in self.variants].index(variant_name(variant))


def study_text(study: Study) -> str:
    """The document as JSON, readable by a person."""
    return json.dumps(study.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"


def read_study(text: str | bytes) -> Study:
    """The study of a JSON text. Raises `DocumentError` that says what is wrong and where."""
    if len(text) > MAX_BYTES:
        raise DocumentError([Problem("", f"a document may have {MAX_BYTES // 1_000_000} MB, this one is larger")])
    try:
        raw = json.loads(text.decode("utf-8-sig") if isinstance(text, bytes) else text)
    except UnicodeDecodeError:
        raise DocumentError([Problem("", "this is not text in UTF-8, so it is not a study document")]) from None
    except json.JSONDecodeError as error:
        message = f"this is not valid JSON: line {error.lineno}, column {error.colno}: {error.msg}"
        raise DocumentError([Problem("", message)]) from None
    except ValueError:  # a whole number of thousands of digits
        raise DocumentError([Problem("", "this JSON holds a number with too many digits; mend that")]) from None
    except RecursionError:
        raise DocumentError([Problem("", "this JSON is nested too deeply to be a study")]) from None
    return study_from(raw)


def study_from(raw: Any) -> Study:
    """The study of parsed JSON. Raises `DocumentError`."""
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise DocumentError([Problem("/format", f'this is not a Brook study; one begins with "format": "{FORMAT}"')])
    if raw.get("version") != VERSION:
        message = f"this document has version {raw.get('version')!r}; this Brook reads version {VERSION}"
        raise DocumentError([Problem("/version", message)])
    try:
        return Study.model_validate(raw)
    except ValidationError as error:
        raise DocumentError([_problem(e, raw) for e in error.errors(include_url=False)]) from None


# What fields with a pattern of their own have to be; all others are names.
PATTERNS = {
    "digits": "a section: write four digits, for example 2412", "file": "a file name: leave out slashes",
    "colour": "a colour: write it as #7a5195",
    "content": "a file of the store; bring the file in again",
}  # fmt: skip


def _problem(error: Any, raw: Any) -> Problem:
    steps = _document_steps(list(error["loc"]), raw)
    path = "".join(f"/{s}" for s in steps)
    kind = error["type"]
    if kind == "missing":
        return Problem(path, "this is missing")
    if kind == "extra_forbidden":
        return Problem(path, f"'{steps[-1]}' is not a field of a study here; take it out or mend its spelling")
    if kind == "string_pattern_mismatch":
        field = "colour" if "colours" in steps else str(steps[-1])
        wanted = PATTERNS.get(field, "a name: use small letters, digits and _, a letter first")
        return Problem(path, f"'{error['input']}' is not {wanted}")
    if kind in ("union_tag_invalid", "union_tag_not_found"):
        tag = error["ctx"].get("tag", "nothing")
        known = f"; known are {error['ctx']['expected_tags']}" if "expected_tags" in error["ctx"] else ""
        return Problem(path, f"'{tag}' is not known here{known}")
    if kind == "string_too_short":
        return Problem(path, "nothing is written here")
    message = error["msg"].removeprefix("Value error, ")
    return Problem(path, message[0].lower() + message[1:])


def _document_steps(location: list[Any], raw: Any) -> list[Any]:
    """Where an error is in the document: pydantic also names the alternative it chose, which is no step there."""
    steps, at, fresh = [], raw, True
    for k, step in enumerate(location):
        last = k == len(location) - 1
        if isinstance(at, dict) and not last and ((fresh and step == at.get("kind")) or step not in at):
            fresh = False
            continue
        steps.append(step)
        fresh = True
        try:
            at = at[step]
        except (KeyError, IndexError, TypeError):
            at = None
    return steps
