"""Shot packages: a folder or ZIP with `shot.json` and the files it names."""

from __future__ import annotations

import json
import lzma
import os
import re
import struct
import zipfile
import zlib
from collections.abc import Callable, Mapping
from pathlib import Path, PurePosixPath
from typing import Any

from pydantic import ValidationError

from roofline.core.massing.kinds import Imported
from roofline.core.massing.solids import faces_of
from roofline.errors import PackageError
from roofline.model.plates import with_step_files
from roofline.model.shot import Shot

MAX_FILE = 2_000_000_000  # bytes of one file of a package
MAX_ALL = 20_000_000_000  # of all its files
SUSPECT, RATIO = 20_000_000, 100  # a larger file that shrinks by more than this is no picture
#: what a damaged ZIP raises, whatever part of it is
ZIP_ERRORS = (
    zipfile.BadZipFile,
    OSError,
    EOFError,
    RuntimeError,
    NotImplementedError,
    ValueError,
    OverflowError,
    KeyError,
    zlib.error,
    lzma.LZMAError,
    struct.error,
)
Read = Callable[[str], bytes]


LARGEST = 1e15  # of numbers: nothing here is measured by larger ones
SMALLEST = 1e-30
DIGITS = 18


SURROGATE = re.compile(rb"\\u[dD][89a-fA-F]|\xed[\xa0-\xbf]")


def strict_json(text: str | bytes, name: str) -> Any:
    """Parse JSON, refusing NaN, infinity (RFC 8259 has neither), and numbers by which nothing can be meant."""

    def refuse(word: str) -> None:
        raise PackageError(f"{name} contains {word}, which is not a number JSON knows.")

    def real(word: str) -> float:
        value = float(word)
        if abs(value) > LARGEST:
            raise PackageError(f"{name} contains {word[:24]}, which is too large to be meant.")
        return value if abs(value) > SMALLEST else 0.0

    def whole(word: str) -> int:
        if len(word) > DIGITS:
            raise PackageError(f"{name} contains a number of {len(word)} digits, which is too large to be meant.")
        return int(word)

    try:
        found = json.loads(text, parse_constant=refuse, parse_float=real, parse_int=whole)
        if SURROGATE.search(text.encode("utf-8", "surrogatepass") if isinstance(text, str) else text):
            json.dumps(found, ensure_ascii=False).encode()  # a pair is one character, and fits; half a pair is none
        return found
    except UnicodeEncodeError:
        raise PackageError(f"{name} contains an incomplete Unicode character.") from None
    except RecursionError:
        raise PackageError(f"{name} is nested too deep.") from None
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        where = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise PackageError(f"{name} is not valid JSON{where}.") from None


def sentence(error: ValidationError) -> str:
    """The first complaint of a validation as a sentence."""
    first = error.errors()[0]
    where = ".".join(str(p) for p in first["loc"])
    what = first["msg"].removeprefix("Value error, ")
    more = len(error.errors()) - 1
    return (f"{where}: " if where else "") + what + (f" (and {more} more)" if more else "") + "."


def safe_name(name: str) -> PurePosixPath:
    """A file name inside a package; raises PackageError for one that leads out of it."""
    path = PurePosixPath(name)
    if (
        not name
        or "\\" in name
        or "\0" in name
        or path.is_absolute()
        or ".." in path.parts
        or re.match(r"^[A-Za-z]:", name)
    ):
        raise PackageError(f"The package names the file '{name}', which lies outside of it.")
    return path


class Package:
    """A shot package opened for reading. ``shot`` is validated; every file it names is there."""

    def __init__(self, shot: Shot, read: Callable[[str], bytes], origin: str):
        self.shot = shot
        self._read = read
        self.origin = origin

    def read(self, name: str) -> bytes:
        safe_name(name)
        return self._read(name)


def files_of(shot: Shot) -> list[str]:
    """All files a shot names, each once."""
    names = [p.file for p in shot.photos]
    for plate in shot.plates:
        names += [f for f in (plate.file, plate.matte) if f]
        names += plate.step_files()
    names += [s.file for s in shot.solids if isinstance(s, Imported)]
    return list(dict.fromkeys(names))


def with_files(shot: Shot, renamed: Mapping[str, str]) -> Shot:
    """The shot with other names for all the files of `files_of`."""
    shot = shot.model_copy(deep=True)
    for photo in shot.photos:
        photo.file = renamed[photo.file]
    for solid in shot.solids:
        if isinstance(solid, Imported):
            solid.file = renamed[solid.file]
    for plate in shot.plates:
        plate.file = renamed[plate.file] if plate.file else None
        plate.matte = renamed[plate.matte] if plate.matte else None
    shot.plates = [with_step_files(p, renamed) if p.step_files() else p for p in shot.plates]
    return shot


def _in_folder(root: Path) -> Read:
    """Reads files of a package that is a folder."""

    def read(name: str) -> bytes:
        full = (root / name).resolve()
        if not full.is_relative_to(root):
            raise PackageError(f"The package names the file '{name}', which lies outside of it.")
        if not full.is_file():
            raise PackageError(f"The package names the file '{name}', which is missing.")
        return full.read_bytes()

    return read


def _unpackable(archive: zipfile.ZipFile) -> None:
    """Raise PackageError for what would unpack to more than can be worked on, or to far more than it holds."""
    for info in archive.infolist():
        if info.file_size > MAX_FILE or (
            info.file_size > SUSPECT and info.file_size > RATIO * max(1, info.compress_size)
        ):
            raise PackageError(
                f"The file '{info.filename[:80]}' in the package unpacks to {info.file_size / 1e6:.0f} MB "
                f"from {info.compress_size / 1e6:.2f} MB, which is too much."
            )
    total = sum(info.file_size for info in archive.infolist())
    if total > MAX_ALL:
        raise PackageError(f"The package unpacks to {total / 1e9:.1f} GB; up to {MAX_ALL / 1e9:.0f} GB can be brought.")


def _in_archive(path: Path) -> tuple[Read, set[str]]:
    """Reads files of a package that is a ZIP, and their names; a single top folder is looked into."""
    try:
        archive = zipfile.ZipFile(path)
    except ZIP_ERRORS:
        raise PackageError(f"{path.name} is a damaged ZIP file.") from None
    for info in archive.infolist():
        safe_name(info.filename.rstrip("/") or "?")
    _unpackable(archive)
    inside = set(archive.namelist())
    prefix = ""
    if "shot.json" not in inside:
        tops = {n.split("/")[0] for n in inside}
        if len(tops) == 1 and f"{next(iter(tops))}/shot.json" in inside:
            prefix = f"{next(iter(tops))}/"

    def read(name: str) -> bytes:
        if prefix + name not in inside:
            raise PackageError(f"The package names the file '{name}', which is missing.")
        info = archive.getinfo(prefix + name)
        if info.flag_bits & 1:
            raise PackageError(f"The file '{name}' in the package is encrypted; packages are read without a password.")
        try:
            with archive.open(info) as file:
                return file.read(info.file_size)
        except NotImplementedError:
            raise PackageError(f"The file '{name}' in the package is packed in a way that is not read here.") from None
        except ZIP_ERRORS:
            raise PackageError(f"The file '{name}' in the package is damaged.") from None

    return read, {n.removeprefix(prefix) for n in inside if n.startswith(prefix)}


def _described(text: bytes) -> Shot:
    """The shot that a `shot.json` describes."""
    data = strict_json(text, "shot.json")
    if not isinstance(data, dict) or data.get("format") != "roof-line-shot":
        raise PackageError('shot.json does not say "format": "roof-line-shot".')
    if data.get("version") != 1:
        raise PackageError(f"shot.json has version {data.get('version')}; version 1 can be read.")
    try:
        return Shot.model_validate(data)
    except ValidationError as error:
        raise PackageError("shot.json: " + sentence(error)) from None


def open_package(path: Path) -> Package:
    """Open a folder or ZIP.

    Raises PackageError with one sentence for whatever is missing or wrong.
    """
    inside: set[str] | None = None
    if path.is_dir():
        root = path.resolve()
        read = _in_folder(root)
    elif zipfile.is_zipfile(path):
        read, inside = _in_archive(path)
    elif path.exists():
        raise PackageError(f"{path.name} is neither a folder nor a ZIP file: a shot package is wanted.")
    else:
        raise PackageError(f"There is no package at {path}.")
    try:
        text = read("shot.json")
    except PackageError as error:
        if "is missing" not in str(error):
            raise
        raise PackageError(f"{path.name or path} has no shot.json, so it is not a shot package.") from None
    package = Package(_described(text), read, str(path))
    for name in files_of(package.shot):
        safe_name(name)
        if inside is None:
            full = (root / name).resolve()
            if not full.is_relative_to(root):
                raise PackageError(f"The package names the file '{name}', which lies outside of it.")
            if not full.is_file():
                raise PackageError(f"The package names the file '{name}', which is missing.")
        elif name not in inside:
            raise PackageError(f"The package names the file '{name}', which is missing.")
    return package


def slug(name: str, taken: set[str], suffix: str) -> str:
    """A readable file name not yet taken."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:48] or "picture"
    candidate, n = base + suffix, 2
    while candidate in taken:
        candidate, n = f"{base}-{n}{suffix}", n + 1
    taken.add(candidate)
    return candidate


def document(shot: Shot) -> dict[str, Any]:
    """`shot.json` of a shot; solids carry their vertices and faces besides their own measures, for other readers."""
    data = shot.model_dump(mode="json")
    for entry, key in zip(data["move"]["keys"], shot.move.keys, strict=True):
        entry["focal_px"] = key.focal(shot.home_px)
        del entry["zoom"]
    for entry, solid in zip(data["solids"], shot.solids, strict=True):
        if entry["kind"] not in ("mesh", "imported"):
            faces = faces_of(solid)
            entry["vertices"] = [[round(float(v), 9) for v in p] for p in faces.vertices]
            entry["faces"] = [{"name": n, "loop": loop} for n, loop in zip(faces.names, faces.loops, strict=True)]
    return data


def write_package(shot: Shot, read: Callable[[str], bytes], out: Path) -> None:
    """Write a package as a ZIP (``out`` ends in .zip) or a folder; files get readable names. Never overwrites."""
    if out.exists():
        raise PackageError(f"{out} is there already; nothing was overwritten.")
    taken: set[str] = set()
    renamed: dict[str, str] = {}
    for photo in shot.photos:
        renamed.setdefault(photo.file, "photos/" + slug(photo.name, taken, Path(photo.file).suffix))
    for plate in shot.plates:
        if plate.file:
            renamed.setdefault(plate.file, "plates/" + slug(plate.name, taken, Path(plate.file).suffix))
        for file in plate.step_files():
            renamed.setdefault(file, "plates/" + slug(plate.name + " step", taken, Path(file).suffix))
        if plate.matte:
            renamed.setdefault(plate.matte, "plates/" + slug(plate.name + " matte", taken, Path(plate.matte).suffix))
    for solid in shot.solids:
        if isinstance(solid, Imported):
            renamed.setdefault(solid.file, "meshes/" + slug(solid.name, taken, Path(solid.file).suffix))
    text = json.dumps(document(with_files(shot, renamed)), indent=1, ensure_ascii=False, allow_nan=False)
    if out.suffix.lower() == ".zip":
        part = out.with_name(out.name + ".part")
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(zipfile.ZipInfo("shot.json"), text, zipfile.ZIP_DEFLATED)
            for old, new in renamed.items():
                archive.writestr(zipfile.ZipInfo(new), read(old), zipfile.ZIP_STORED)
        os.replace(part, out)
        return
    out.mkdir(parents=True)
    (out / "shot.json").write_text(text, encoding="utf-8")
    for old, new in renamed.items():
        (out / new).parent.mkdir(exist_ok=True)
        (out / new).write_bytes(read(old))
