"""Keeping freed memory at hand.

A frame's arrays are made and dropped many times a second. By default the C library gives arrays of that size back to
the system each time, and every new page costs a fault, about a third of a verdict pass. `keep_freed_memory` raises
glibc's thresholds (mallopt(3)); elsewhere it does nothing.
"""

from __future__ import annotations

import ctypes
import ctypes.util

M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3


def keep_freed_memory() -> bool:
    """Raise the thresholds of this process; False where the C library has no mallopt."""
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (AttributeError, OSError, TypeError):
        return False
    return bool(mallopt(M_MMAP_THRESHOLD, 32 << 20) and mallopt(M_TRIM_THRESHOLD, 1 << 30))
