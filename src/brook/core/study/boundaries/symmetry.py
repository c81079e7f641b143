from typing import ClassVar, Literal

from brook.core.study.base import Part, PatchNames


class Symmetry(Part):
    """A plane behind which everything is mirrored."""

    words: ClassVar[str] = "is a plane of symmetry"
    role: ClassVar[str] = "symmetry"
    kind: Literal["symmetry"] = "symmetry"
    patch: PatchNames
