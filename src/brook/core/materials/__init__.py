"""What fills the bodies."""

from brook.core.materials.fluid import ConstantFluid, fluid_of

__all__ = ["ConstantFluid", "fluid_of"]
