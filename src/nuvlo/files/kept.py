"""Arrays that take long to make, kept on the disk under what they were made of: a cache that may be deleted at any time.

What is kept holds nothing of a workshop. Whatever is wrong with a file of it, or with the folder, the arrays are made anew.
"""

from __future__ import annotations

import hashlib
import zipfile
import zlib
from collections.abc import Callable, Iterable
from functools import cache
from pathlib import Path

import numpy as np

import nuvlo
from nuvlo.arrays import Array
from nuvlo.files.whole import MOST_BYTES, write_whole

MOST = 24  # files that are kept: those used last
OWN = ("measurement", "markings", "circuit", "kit", "catalogue", "model", "electrics", "diagnosis", "craft", "mistakes")  # packages that such arrays are made by


def kept(folder: Path | None, made_of: Iterable[object], make: Callable[[], Array]) -> Array:
    """The array that ``make`` makes, from ``folder`` where it was made of the same before; without a folder always anew."""
    if folder is None:
        return make()
    sums = hashlib.sha256(_own().encode())
    for one in made_of:
        sums.update(one if isinstance(one, bytes) else repr(one).encode())
        sums.update(b"\0")
    place = folder / f"{sums.hexdigest()[:40]}.npz"
    try:
        with np.load(place) as archive:
            found: Array = archive["array"]
        place.touch()
        return found
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error, MemoryError):
        pass
    out = make()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_whole(place, lambda there: _save(there, out))
        for old in sorted(folder.glob("*.npz"), key=lambda p: -p.stat().st_mtime)[MOST:]:
            old.unlink(missing_ok=True)
    except OSError:
        pass  # a full disk or a folder that is read only: then it is made anew the next time
    return out


def _save(there: Path, out: Array) -> None:
    with there.open("wb") as file:
        np.savez_compressed(file, array=out)


def content_of(folder: Path) -> bytes:
    """A sum of all files of a kit's folder with their names."""
    sums = hashlib.sha256()
    for file in sorted(p for p in folder.rglob("*") if p.is_file() and p.stat().st_size <= MOST_BYTES):
        sums.update(f"{file.relative_to(folder)}\0".encode())
        sums.update(file.read_bytes())
    return sums.digest()


@cache
def _own() -> str:
    """A sum of this program, as far as such arrays hang on it."""
    sums = hashlib.sha256(nuvlo.__version__.encode() if hasattr(nuvlo, "__version__") else b"")
    root = Path(nuvlo.__file__).parent
    for name in OWN:
        for file in sorted(p for p in (root / name).rglob("*") if p.is_file() and p.suffix in (".py", ".so", ".lib", ".csv", ".toml")):
            sums.update(file.read_bytes())
    return sums.hexdigest()
