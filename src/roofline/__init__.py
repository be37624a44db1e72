"""Roof Line: from a photograph to a camera move of which one knows, frame by frame, whether the picture held."""

import os

# The matrices here are small: a pool of BLAS threads costs more than it gives, above all beside the engine's own.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

# Left alone, the engine's threads wait for one another by spinning for milliseconds. Beside any other work, such as the
# browser's own drawing, the one that is waited for then stands in line behind the one that waits: a frame that takes
# 2 ms took 10 to 25. So they spin for some microseconds, and then sleep.
os.environ.setdefault("GOMP_SPINCOUNT", "1000")

__version__ = "0.1.0"

# every kind of solid is known before a shot, which holds any of them, is described
from roofline.core.massing import kinds as _kinds  # noqa: E402, F401
