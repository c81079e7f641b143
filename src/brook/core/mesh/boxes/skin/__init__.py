"""The skin of kept boxes brought to the shape."""

from brook.core.mesh.boxes.skin.features import Features, features_of
from brook.core.mesh.boxes.skin.fitting import Fitted, fit, fit_skin
from brook.core.mesh.boxes.skin.within import LEAST

__all__ = ["LEAST", "Features", "Fitted", "features_of", "fit", "fit_skin"]
