"""Words on the window, in the colours of their roles."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPalette
from PyQt6.QtWidgets import QLabel, QWidget

from nuvlo.desktop import theme


def label(
    text: str = "", points: float = theme.BASE, role: str = "ink", *, bold: bool = False, mono: bool = False
) -> QLabel:
    """A wrapping label in a role's colour."""
    out = QLabel(text)
    out.setWordWrap(True)
    out.setTextFormat(Qt.TextFormat.PlainText)
    out.setFont((theme.values if mono else theme.words)(points, bold=bold))
    tint(out, role)
    return out


def tint(widget: QWidget, role: str) -> None:
    """Give a widget's words the colour of a role."""
    palette = widget.palette()
    palette.setColor(QPalette.ColorRole.WindowText, theme.colour(role))
    widget.setPalette(palette)
