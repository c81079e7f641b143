"""Particles that fly through a flow after its run, one way: what they do is not felt by the flow."""

from brook.core.results.particles.cloud import Cloud, rosin_rammler
from brook.core.results.particles.flight import Flight, Flying, Wall, fly

__all__ = ["Cloud", "Flight", "Flying", "Wall", "fly", "rosin_rammler"]
