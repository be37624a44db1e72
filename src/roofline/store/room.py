"""Whether an error says that the disk is full, and the sentence for it."""

from __future__ import annotations

import errno
import sqlite3

FULL = "The disk that holds the data folder is full; nothing was changed. Make room on it and try again."


def is_full(error: BaseException) -> bool:
    """Whether the disk, or what its user may have of it, is used up."""
    if isinstance(error, OSError):
        return error.errno in (errno.ENOSPC, errno.EDQUOT)
    return isinstance(error, sqlite3.OperationalError) and "full" in str(error)
