"""The skin of kept boxes brought to the shape."""

from brook.core.mesh.boxes.skin.features import Features, features_of
from brook.core.mesh.boxes.skin.fitting import LEAST, Fitted, fit, fit_skin

__all__ = ["LEAST", "Features", "Fitted", "features_of", "fit", "fit_skin"]
