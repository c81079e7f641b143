"""What is wrong with operating points: such as say nothing, name what nobody uses, or that requirements name and are not there."""

from __future__ import annotations

from brook.core.formulas import nearest
from brook.core.study import Problem, Study


def point_problems(study: Study) -> list[Problem]:
    """Of all operating points of a study, and of requirements that are to hold at one."""
    known = {*study.named_values, *(name for variant in study.variants for name in variant.named_values)}
    problems: list[Problem] = []
    for k, point in enumerate(study.points):
        if not point.named_values:
            problems.append(
                Problem(f"/points/{k}/named_values", f"say which named values hold at '{point.title}'; there are: {', '.join(sorted(known)) or 'none yet, name one first'}", "missing")
            )  # fmt: skip
        problems += [
            Problem(f"/points/{k}/named_values/{name}", f"'{name}' is no named value of the study or of a variant: {nearest(name, known)}", "missing")
            for name in point.named_values
            if name not in known
        ]  # fmt: skip
    names = [p.name for p in study.points]
    problems += [
        Problem(f"/requirements/{k}/at", f"there is no operating point '{r.at}': {nearest(r.at, names)}")
        for k, r in enumerate(study.requirements)
        if r.at and r.at not in names
    ]
    return problems
