"""Roof Line: from a photograph to a camera move of which one knows, frame by frame, whether the picture held."""

import os

# The matrices here are small: a pool of BLAS threads costs more than it gives, above all beside the engine's own.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
