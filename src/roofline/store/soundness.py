"""Whether a data folder's files still are what they were: each is named by the SHA-256 of its content."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from roofline.errors import Damaged

if TYPE_CHECKING:
    from roofline.store.store import Store


def whose(store: Store, name: str) -> str:
    """Which photos and plates of which shots show a file, in words; empty where none does as it stands."""
    found = []
    for listed in store.shots():
        shot = store.load(listed.id)
        photos = [p.name for p in shot.photos if p.file == name]
        plates = [p.name for p in shot.plates if p.file != name and name in p.model_dump_json()]
        own = [p.name for p in shot.plates if p.file == name and p.name not in photos]
        found += [f"“{n}” of {shot.name}" for n in dict.fromkeys([*photos, *own, *plates])]
    return ", ".join(found)


def damaged(store: Store) -> Iterator[str]:
    """A sentence for every file of the folder that is not what it was; all of them are read."""
    for path in sorted(store.blobs.folder.glob("??/*")):
        if path.name.startswith(".part-"):
            continue
        try:
            store.blobs.read(path.name)
        except Damaged as error:
            yield str(error)
