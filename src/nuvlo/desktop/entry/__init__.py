"""What a desktop wants of an application to show it in its menu: entry, icon and AppStream data (freedesktop.org specifications)."""

from __future__ import annotations

import shutil
import sys
from functools import partial
from importlib.resources import files
from pathlib import Path

from nuvlo import __version__
from nuvlo.files.whole import write_whole
from nuvlo.problems import NuvloError, Problem

NAME = "org.nuvlo.Nuvlo"
PLACES = {
    f"{NAME}.desktop": "applications", f"{NAME}.svg": "icons/hicolor/scalable/apps", f"{NAME}.metainfo.xml": "metainfo",
}  # file → its folder below the user's data
RESERVED = set(" \t\n\"'\\><~|&;$*?#()`")  # an argument of Exec that holds one is quoted (Desktop Entry Specification, The Exec key)


def data_home() -> Path:
    """The folder of the user's data, ``$XDG_DATA_HOME``."""
    from platformdirs import user_data_path

    return user_data_path()


def command() -> Path:
    """The ``nuvlo`` that is running now, by its whole path. Raises :class:`NuvloError` where none can be started again."""
    beside = Path(sys.executable).with_name("nuvlo")
    found = beside if beside.exists() else shutil.which("nuvlo")
    if not found:
        raise NuvloError(Problem("there is no 'nuvlo' that a menu could start.", "Install Nuvlo first, by pip or make."))
    return Path(found)


def install(home: Path) -> list[Path]:
    """Write the three files below ``home``; their paths. Raises :class:`NuvloError` where a folder takes none."""
    started = command()
    words = {"@COMMAND@": _quoted(str(started)), "@TRY@": _escaped(str(started)), "@VERSION@": __version__}
    out = []
    for name, folder in PLACES.items():
        text = (files(__name__) / name).read_text(encoding="utf-8")
        for mark, word in words.items():
            text = text.replace(mark, word)
        target = home / folder / name
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            write_whole(target, partial(_put, text))
        except OSError as bad:
            raise NuvloError(Problem(f"{target.parent} takes no file: {bad.strerror}.", "Set XDG_DATA_HOME to a folder of yours.")) from bad
        out.append(target)
    return out


def remove(home: Path) -> list[Path]:
    """Take them away again; those that were there."""
    found = [home / folder / name for name, folder in PLACES.items() if (home / folder / name).exists()]
    for path in found:
        path.unlink()
    return found


def _put(text: str, there: Path) -> None:
    there.write_text(text, encoding="utf-8")


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\")


def _quoted(path: str) -> str:
    """An argument of ``Exec``: quoted where it must be, then escaped as all strings of an entry."""
    if "\n" in path:
        raise NuvloError(Problem("Nuvlo lies in a folder whose name has a line break.", "Move it."))
    doubled = path.replace("%", "%%")
    if RESERVED.isdisjoint(doubled):
        return doubled
    inner = "".join(f"\\{c}" if c in '"`$\\' else c for c in doubled)
    return _escaped(f'"{inner}"')
