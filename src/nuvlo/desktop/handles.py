"""Which method of the window carries out a command that is the window's own, by the command's name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from nuvlo.desktop.frame import Frame
from nuvlo.desktop.looking import Looking
from nuvlo.desktop.toolbox import Toolbox


class Handled(Frame, Protocol):
    """A window, as its own commands see it."""

    tools: Toolbox
    looking: Looking
    large: bool

    def set_large(self, large: bool) -> None: ...

    def to_shelf(self) -> None: ...

    def turn_over(self) -> None: ...


HANDLES: Mapping[str, Callable[[Handled, Any], None]] = {
    "alike": lambda w, given: w.tools.alike(),
    "backup": lambda w, given: w.tools.back_up(given.text),
    "bonds": lambda w, given: w.tools.bonds(),
    "both": lambda w, given: w.tools.both(),
    "cabinet": lambda w, given: w.tools.cabinet(given.text),
    "calendar": lambda w, given: w.tools.calendar(given.text),
    "column": lambda w, given: w.tools.column(given),
    "compare": lambda w, given: w.tools.compare(given.text),
    "daylight": lambda w, given: w.set_theme("daylight"),
    "help": lambda w, given: w.tools.help(),
    "import": lambda w, given: w.tools.import_list(given.text),
    "interface": lambda w, given: w.tools.pedalboard(given.text),
    "lamp": lambda w, given: w.set_theme("lamp"),
    "large": lambda w, given: w.set_large(not w.large),
    "line": lambda w, given: w.tools.mend_line(given),
    "manual": lambda w, given: w.tools.manual(given.text),
    "net": lambda w, given: w.looking.net_lit(given.text.lower()),
    "picture": lambda w, given: w.looking.picture_beneath(given.text),
    "open": lambda w, given: w.tools.open_sheet(folder=False),
    "folder": lambda w, given: w.tools.open_sheet(folder=True),
    "power": lambda w, given: w.tools.power(),
    "rack": lambda w, given: w.tools.rack(given.text),
    "recipe": lambda w, given: w.tools.recipe(given.text),
    "restore": lambda w, given: w.tools.restore(given.text),
    "rotate": lambda w, given: w.looking.rotate(given.text.lower()),
    "shelf": lambda w, given: w.to_shelf(),
    "side": lambda w, given: w.turn_over(),
    "take": lambda w, given: w.tools.take(given.text),
    "what": lambda w, given: w.tools.what(),
    "why": lambda w, given: w.tools.why(given.text),
    "zoom": lambda w, given: w.looking.zoom(given.text.lower()),
}  # fmt: skip
