"""Colours, type and spacing: one table for each light."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette

FONTS = Path(__file__).parents[1] / "fonts"
WORDS, VALUES = "B612", "B612 Mono"
SMALL, BASE, NEXT, GAUGE, LARGE = 10, 11, 18, 16, 30  # pt; nothing on the screen is smaller than the first
STEP = 4  # px


@dataclass(frozen=True)
class Theme:
    """The colours of one light, as ``#RRGGBB``."""

    name: str
    paper: str
    card: str
    ink: str
    faint: str
    line: str
    slate: str
    copper: str
    good: str
    near: str
    out: str
    edge: str  # of what can be typed into or pressed: at least 3:1 on paper and card
    board: str = "#3B4F63"
    pads: str = "#D9B98A"
    legend: str = "#EFE9DC"

    def verdict(self, verdict: str) -> str:
        return {"in": self.good, "near": self.near, "out": self.out, "missing": self.out}.get(verdict, self.faint)


DAYLIGHT = Theme(
    "daylight",
    "#F5F1E8",
    "#FFFCF5",
    "#20262B",
    "#5E676E",
    "#D8D0C0",
    "#2C5660",
    "#9A5022",
    "#2F7350",
    "#7D5A0C",
    "#9E2F3A",
    "#857D6C",
)
LAMP = Theme(
    "lamp", "#171C1F", "#20272B", "#ECE6DA", "#9AA5AB", "#37424A", "#7FB3BD", "#E29A62", "#76C39A", "#E0B45C", "#EE8A8F", "#6B7780"
)
THEMES = {t.name: t for t in (DAYLIGHT, LAMP)}
_current = DAYLIGHT


def current() -> Theme:
    """The theme in use."""
    return _current


def use(name: str) -> Theme:
    """Make a theme the one in use."""
    global _current
    _current = THEMES[name]
    return _current


def load_fonts() -> None:
    """Make the shipped fonts known to Qt."""
    for face in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(face))


def words(points: float = BASE, *, bold: bool = False) -> QFont:
    font = QFont(WORDS)
    font.setPointSizeF(points)
    font.setBold(bold)
    return font


def values(points: float = BASE, *, bold: bool = False) -> QFont:
    font = QFont(VALUES)
    font.setPointSizeF(points)
    font.setBold(bold)
    return font


def colour(name: str) -> QColor:
    """A colour of the theme in use, by its role."""
    return QColor(getattr(_current, name))


def palette() -> QPalette:
    """The theme in use as Qt's own roles. Plain words take their colour from here: style sheets on labels are slow."""
    t, out = _current, QPalette()
    for role, shade in (
        (QPalette.ColorRole.Window, t.paper), (QPalette.ColorRole.WindowText, t.ink), (QPalette.ColorRole.Base, t.card),
        (QPalette.ColorRole.Text, t.ink), (QPalette.ColorRole.PlaceholderText, t.faint), (QPalette.ColorRole.Button, t.paper),
        (QPalette.ColorRole.ButtonText, t.slate), (QPalette.ColorRole.Highlight, t.slate),
        (QPalette.ColorRole.HighlightedText, t.card), (QPalette.ColorRole.ToolTipBase, t.card),
        (QPalette.ColorRole.ToolTipText, t.ink),
    ):  # fmt: skip
        out.setColor(role, QColor(shade))
    return out


def style_sheet(t: Theme) -> str:
    """What buttons, lines and frames look like."""
    return f"""
    QWidget#page {{ background: {t.paper}; }}
    QFrame#card, QWidget#card {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; }}
    QFrame#hazard {{ background: {t.card}; border: 2px solid {t.copper}; border-radius: 6px; }}
    QFrame#stuck {{ background: {t.card}; border: 2px solid {t.out}; border-radius: 6px; }}
    QPushButton {{ font-family: '{WORDS}'; background: {t.slate}; color: {t.card}; border: 2px solid {t.slate}; border-radius: 6px;
      padding: 8px 12px; font-size: {BASE + 1}pt; }}
    QPushButton:disabled {{ background: {t.line}; color: {t.faint}; border-color: {t.line}; }}
    QPushButton#plain {{ background: {t.paper}; color: {t.slate}; border: 1px solid {t.edge}; padding: 9px 13px; }}
    QPushButton#plain:focus {{ border: 3px solid {t.ink}; padding: 7px 11px; }}
    QPushButton#quiet {{ background: {t.card}; color: {t.slate}; border: 1px solid {t.edge}; padding: 5px 10px; font-size: {BASE - 0.5}pt; }}
    QPushButton#quiet:hover {{ border: 1px solid {t.slate}; }}
    QPushButton#quiet:focus {{ border: 3px solid {t.ink}; padding: 3px 8px; }}
    QLineEdit {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 6px;
      padding: 7px 11px; placeholder-text-color: {t.faint}; font-family: '{VALUES}'; font-size: {BASE + 3}pt; selection-background-color: {t.slate}; }}
    QLineEdit:focus {{ border: 2px solid {t.slate}; padding: 6px 10px; }}
    QScrollArea {{ border: none; }}
    QScrollBar:vertical {{ background: {t.paper}; width: 12px; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 6px; min-height: 28px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
    QSplitter::handle {{ background: {t.paper}; }}
    QListView {{ background: {t.card}; border: 1px solid {t.line}; font-family: '{VALUES}'; padding: 4px; }}
    QListView::item:selected {{ background: {t.slate}; color: {t.card}; }}
    QTableView {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; }}
    QHeaderView {{ background: {t.paper}; border: none; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.faint}; border: none; border-bottom: 1px solid {t.line};
      padding: 6px 10px 6px 4px; font-family: '{WORDS}'; font-size: {BASE - 1}pt; font-weight: bold; }}
    QProgressBar {{ background: {t.line}; border: none; border-radius: 3px; max-height: 6px; }}
    QProgressBar::chunk {{ background: {t.slate}; border-radius: 3px; }}
    """
