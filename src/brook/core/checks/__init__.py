"""Everything that would keep a study from running, each thing at its place: a list of checkers over one context."""

from brook.core.checks.patches import declared_patches, made_patches
from brook.core.checks.preparing import Prepared, check, prepare

__all__ = ["Prepared", "check", "declared_patches", "made_patches", "prepare"]
