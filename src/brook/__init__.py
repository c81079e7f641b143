"""Brook: a CFD engineer's whole job, from brief to comparison."""

import os

# Runs share the machine's cores among themselves; BLAS threads of their own would only compete.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
