"""What the document can say of scalars that a flow carries: one file a kind.

What a kind *does* in the equations stands in `brook.core.solve.scalars`, under the same name.
"""

from typing import Annotated

from pydantic import Field

from brook.core.study.scalars.age import Age
from brook.core.study.scalars.tracer import Tracer

KINDS = (Tracer, Age)
Scalar = Annotated[Tracer | Age, Field(discriminator="kind")]

__all__ = ["KINDS", "Age", "Scalar", "Tracer"]
