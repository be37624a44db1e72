"""What replaces a whole says what it was made from: for a test, what is there now."""

from __future__ import annotations

import re


def now(client, url: str) -> str:
    """An address of a shot's API with the shot's revision of now."""
    shot = re.sub(r"(/api/shots/[^/?]+).*", r"\1", url)
    return f"{url}{'&' if '?' in url else '?'}revision={client.get(shot).get_json()['revision']}"
