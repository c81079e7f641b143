"""Whether a flow is steady, or how it is followed through time."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import Formula, Part, Value

Duration = Annotated[Formula, Value("time", "positive")]
Moment = Annotated[Formula, Value("time", "not_negative")]
Factor = Annotated[Formula, Value("number", "positive")]


class Steady(Part):
    """What a flow comes to when nothing changes any more."""

    kind: Literal["steady"] = "steady"


class InTime(Part):
    """A flow followed for a `duration`, in steps at a `courant` number of at most so much and no longer than `step`, or
    all of the length `step`. Every step is repeated until residuals are under `residual`, at most `repeats` times.

    Fields are kept every `keep_every`; `averages` are taken from `average_from` on. A requirement reads the end, which needs
    no choice of a window and is what the fields show, or the mean, the largest or the smallest value since `average_from`.
    """

    kind: Literal["in_time"] = "in_time"
    duration: Duration = "60 s"
    steps: Literal["courant", "fixed"] = "courant"
    courant: Factor = "1"
    step: Duration = "1 s"
    order: Literal["second", "first"] = "second"
    repeats: Annotated[int, Field(ge=2, le=200)] = 30
    residual: Factor = "1e-4"
    keep_every: Duration = "10 s"
    average_from: Moment = "0 s"
    averages: bool = True
    reads: Literal["end", "mean", "largest", "smallest"] = "end"


Timing = Annotated[Steady | InTime, Field(discriminator="kind")]
