"""A closed surface round the fluid of a dirty shape: what water from a wet point would touch."""

from brook.core.mesh.wrap.asked import as_asked
from brook.core.mesh.wrap.flooding import Leak
from brook.core.mesh.wrap.wrapping import Wish, Wrapped, wrap_of, wrapped

__all__ = ["Leak", "Wish", "Wrapped", "as_asked", "wrap_of", "wrapped"]
