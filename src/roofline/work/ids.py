"""Ids and names that are free."""

from __future__ import annotations

import re


def fresh_id(prefix: str, taken: list[str]) -> str:
    """`prefix`, or the first of prefix2, prefix3 … that is free."""
    base = re.sub(r"[^a-z0-9]+", "-", prefix.lower()).strip("-")[:40] or "item"
    n, ident = 1, base
    while ident in taken:
        n += 1
        ident = f"{base}{n}"
    return ident


def fresh_name(name: str, taken: set[str]) -> str:
    """`name`, or with the next number that is free: Post, Post 2, Post 3."""
    if name not in taken:
        return name
    stem = re.sub(r"\s+\d+$", "", name)
    n = 2
    while f"{stem} {n}" in taken:
        n += 1
    return f"{stem} {n}"
