"""Brook: a CFD engineer's whole job, from brief to comparison."""

__version__ = "0.1.0"
