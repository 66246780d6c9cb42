"""The Next lane at the left and the Readings lane at the right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QPushButton, QScrollArea, QVBoxLayout, QWidget

from nuvlo.craft.high_voltage import STAY_OUT
from nuvlo.desktop import theme
from nuvlo.desktop.compared import ComparedGauge
from nuvlo.desktop.focus import MainButton
from nuvlo.desktop.gauge import Gauge
from nuvlo.desktop.keypad import Keypad
from nuvlo.desktop.labels import label
from nuvlo.desktop.pile import Pile, Row, gap, words
from nuvlo.diagnosis.probes import TOUCH
from nuvlo.stages.suspects import Suspect, Suspicion
from nuvlo.stages.task import Finding, Wants

FOLLOWING = 5
OFFER_PX = 232  # of words on what may be picked: a lane has no more room
DANGER = 0.1  # share of a suspect from which what it destroys is said
MOST_GAUGES, HANDFUL = 24, 8


@dataclass(frozen=True)
class NextStep:
    """What the Next lane shows: the ``finding`` in hand and the titles ``following`` it, or the words ``closed`` and ``closing`` where nothing is
    left. ``advice`` is the model's; ``offers`` are what may be picked: its words, and the line that picks it. ``note`` stands quietly at
    the foot. Where a reading is the ``stop`` of the stage, the suspects of ``suspicion`` follow what is to be read next. An ``instrument`` may be
    connected; ``by_eye``, looks are the builder's own."""

    finding: Finding | None
    following: Sequence[str] = ()
    advice: str = ""
    instrument: bool = True
    closed: str = ""
    closing: str = ""
    offers: Sequence[tuple[str, str]] = ()
    note: str = ""
    stop: Finding | None = None
    suspicion: Suspicion | None = None
    by_eye: bool = True


class HazardShape(QWidget):
    """A copper triangle with a stroke: something here can hurt."""

    def sizeHint(self) -> QSize:
        return QSize(34, 32)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(self.sizeHint())

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(theme.colour("copper"), 2.6))
        p.drawPolygon(QPolygonF([QPointF(17, 3), QPointF(31, 28), QPointF(3, 28)]))
        p.drawLine(QPointF(17, 12), QPointF(17, 19))
        p.drawPoint(QPointF(17, 24))


class Offer(QPushButton):
    """What may be picked, by a ``line`` of the bench line."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("plain")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.line = ""


class SuspectRow(QWidget):
    """A suspect: its letter as it stands on the board, how likely it is as a bar and in figures, and what it is."""

    def __init__(self, body: float) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self.bar, self.words = ShareBar(max(1.0, body / theme.NEXT)), label("", body)
        column.addWidget(self.bar)
        column.addWidget(self.words)

    def show_suspect(self, letter: str, share: float, said: str) -> None:
        self.bar.show_share(letter, share)
        self.words.setText(said)


class ShareBar(QWidget):
    """A letter, its share of one as a bar, and the per cent."""

    def __init__(self, scale: float) -> None:
        super().__init__()
        self.letter, self.share, self.scale = "", 0.0, scale
        self.setFixedHeight(int(22 * scale))

    def show_share(self, letter: str, share: float) -> None:
        if (letter, share) != (self.letter, self.share):
            self.letter, self.share = letter, share
            self.setAccessibleName(f"{letter}, {share:.0%}")
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        s = self.scale
        p.scale(s, s)
        start, room = 28.0, self.width() / s - 80.0
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LAMP.copper))
        p.drawEllipse(QRectF(0, 1, 20, 20))
        p.setBrush(theme.colour("line"))
        p.drawRoundedRect(QRectF(start, 7, room, 8), 4, 4)
        p.setBrush(theme.colour("copper"))
        p.drawRoundedRect(QRectF(start, 7, max(6.0, room * self.share), 8), 4, 4)
        p.setPen(QColor(theme.LAMP.paper))
        p.setFont(theme.words(10.5, bold=True))
        p.drawText(QRectF(0, 1, 20, 20), Qt.AlignmentFlag.AlignCenter, self.letter)
        p.setPen(theme.colour("ink"))
        p.setFont(theme.values(theme.SMALL, bold=True))
        p.drawText(QRectF(start + room, 0, 52, 22), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{100 * self.share:.0f}\u202f%")


def _fill_suspect(row: SuspectRow, s: Suspect, said: str) -> None:
    row.show_suspect(s.letter, s.share, said)


def _to_follow(step: NextStep) -> list[Row]:
    """What comes after, and a note."""
    rows: list[Row] = []
    if step.following and not step.suspicion:
        rows += [gap(), words("Then", 10, "faint", bold=True)]
        rows += [words(title, 11, "faint") for title in step.following[:FOLLOWING]]
        if len(step.following) > FOLLOWING:
            rows.append(words(f"and {len(step.following) - FOLLOWING} more in this stage", 10, "faint"))
    if step.note:
        rows.append(words(step.note, 10.5, "faint"))
    return rows


def _stopped(f: Finding) -> str:
    """Why there is no going on, in a line."""
    return f"Stop. {f.words}" if f.words else "Stop."


class NextLane(QScrollArea):
    """What to do now in large type, what follows, what waits."""

    asked = pyqtSignal(str)  # a verb of the bench line
    line = pyqtSignal(str)  # a whole line of it
    key = pyqtSignal(str)  # what a key of the keypad adds to it; empty takes the last away
    enter = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMinimumWidth(240)
        self.large = False
        self.button: QPushButton | None = None
        self.confirm: QPushButton | None = None
        self.keypad: Keypad | None = None
        self.offers: list[Offer] = []
        self._pile = Pile((16, 4, 12, 12), 10)
        self.setWidget(self._pile)

    def show_task(self, step: NextStep) -> None:
        """Show what is to be done next."""
        self.button = self.confirm = self.keypad = None
        self.offers = []
        size = theme.LARGE if self.large else theme.NEXT
        body = 28 if self.large else 12
        f = step.finding
        if f is None:
            rows = [words(step.closed, size, bold=True), words(step.closing, body)]
        elif f.task.hazard is not None:
            rows = [Row("hazard", lambda: self._hazard(f, size, body), kept=False)]
        else:
            rows = [*self._doing(step, f, size, body), *self._picked(step, f)]
            rows += self._suspects(step.suspicion, body) if step.suspicion else []
        if not self.large:
            rows += _to_follow(step)
        self._pile.show_rows(rows)

    def _doing(self, step: NextStep, f: Finding, size: float, body: float) -> list[Row]:
        """What is to be done, with what the model advises, and how it is said to be done."""
        rows = [words(f.task.title, size, bold=True)]
        if f.task.detail and not (self.large and f.stuck):
            rows.append(words(f.task.detail, body))
        if step.advice and step.suspicion is None:
            rows.append(words(step.advice, body + 2, "copper", bold=True))
        elif step.advice and not self.large:
            rows.append(words(step.advice, theme.BASE, "faint"))
        if f.waits:
            rows.append(words(f.words, body, "near", bold=True))
        elif f.stuck:
            rows.append(Row("stuck", lambda: self._stuck(f, body), kept=False))
        else:
            rows += self._act(f, step.instrument, step.by_eye, body)
        elsewhere = step.stop if step.suspicion and step.stop and step.stop.task.id != f.task.id else None
        return [words(_stopped(elsewhere), theme.BASE, "out", bold=True), *rows] if elsewhere and not self.large else rows

    def _picked(self, step: NextStep, f: Finding) -> list[Row]:
        """What may be picked; in large print only what a look showed."""
        offers = step.offers
        if self.large:
            offers = offers[: 1 + len(f.task.parts)] if f.task.wants is Wants.LOOK else ()
        return [self._offer(text, line) for text, line in offers]

    def _suspects(self, found: Suspicion, body: float) -> list[Row]:
        """Three to five of them, likeliest first; the rest folded into a number."""
        rows, small = ([gap()] if not self.large else []), (body if self.large else theme.BASE)
        if found.verdict:
            rows.append(words(found.verdict, body + 1, "near", bold=True))
        shown = found.suspects[:1] if self.large else found.suspects
        if shown:
            rows.append(words("Likeliest" if self.large else "Suspects, likeliest first", body if self.large else 10, "faint", bold=True))
        for s in shown:
            said, others = f"{s.words[0][0].upper()}{s.words[0][1:]}", len(s.words) - 1
            said += f", or {others} more that read{'s' if others == 1 else ''} the same" if others else ""
            rows.append(Row(("suspect", small), lambda: SuspectRow(small), partial(_fill_suspect, s=s, said=said)))
            if s.hurts and s.share > DANGER:
                rows.append(words(s.hurts, body, "out", bold=True))
        more = f"and {found.more} less likely" if found.more > 0 else ""
        apart = [f"good unit {found.good:.0%}".replace("%", "\u202f%"), f"no single mistake {found.unexplained:.0%}".replace("%", "\u202f%")]
        if not self.large:
            rows.append(words("; ".join(w for w in (more, *apart) if w), 10, "faint"))
        return rows

    def _act(self, f: Finding, instrument: bool, by_eye: bool, body: float) -> list[Row]:
        reading = f.task.wants in (Wants.READING, Wants.MEASURE)
        if f.task.wants is Wants.LOOK and by_eye:
            return []  # what it showed is picked
        text = {
            Wants.TICK: "It is there", Wants.STEP: "Done", Wants.CHOOSE: "Keep the first", Wants.TURN: "Turned",
            Wants.SWEEP: "Sweep", Wants.EXPORT: "Write it", Wants.LOOK: "Look", Wants.READING: "Read the meter", Wants.MEASURE: "Read the meter",
        }.get(f.task.wants, "Go on")  # fmt: skip
        if f.task.quantity == TOUCH:
            text = "Touch"
        if f.task.wants is Wants.CHOOSE and "what is printed" in f.task.detail:
            text = "Keep what is printed"
        if f.task.wants is Wants.SWEEP and not instrument:
            text = "No audio interface is connected. Measure the gain from jack to jack and type it, as in: gain 41.5"
            return [words(text, body, "slate")]
        if reading and not instrument:
            say = words(f"Type what the meter shows, such as {f.task.example}, then Enter.", body, "slate")
            return [say, Row(("keypad", f.task.unit), lambda: self._keypad_of(f.task.unit), self._has_keypad)]
        return [Row(("act", body), lambda: self._act_button(body), lambda b: self._has_button(b, text if self.large else f"{text}   (Space)"))]

    def _act_button(self, body: float) -> QPushButton:
        out = MainButton()
        out.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys with the bench line
        out.setStyleSheet(f"font-size: {body}pt;")
        out.clicked.connect(lambda: self.asked.emit("next"))
        return out

    def _has_button(self, button: QPushButton, text: str) -> None:
        self.button = button
        button.setText(text)

    def _keypad_of(self, unit: str) -> Keypad:
        out = Keypad(unit)
        out.pressed.connect(self.key)
        out.back.connect(lambda: self.key.emit(""))
        out.entered.connect(self.enter)
        return out

    def _has_keypad(self, keypad: Keypad) -> None:
        self.keypad = keypad

    def _offer(self, text: str, line: str) -> Row:
        def make() -> Offer:
            out = Offer()
            out.clicked.connect(lambda: self.line.emit(out.line))
            return out

        def fill(offer: Offer) -> None:
            offer.line = line
            offer.setText(offer.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, OFFER_PX))
            offer.setToolTip(text)
            self.offers.append(offer)

        return Row("offer", make, fill)

    def _stuck(self, f: Finding, body: float) -> QWidget:
        card = QFrame()
        card.setObjectName("stuck")
        column = QVBoxLayout(card)
        column.addWidget(label("Stop here", body + 2, "out", bold=True))
        column.addWidget(label(f.words, body))
        ref = f.task.parts[0].lower() if f.task.parts else "r1"
        if f.task.unplugged:
            ways = STAY_OUT
        elif f.task.wants is Wants.MEASURE:
            ways = f"Put the right part in and type '{ref} swapped', or measure again if it was a slip, or 'accept' with a reason."
        elif f.task.wants is Wants.SWEEP:
            ways = "Find the part that does it and mark it, as in 'c2 swapped', then 'sweep' again; or 'accept' with a reason."
        else:
            ways = "Switch off and look for the cause. Then type 'read' to measure again, or 'accept' with a reason."
        column.addWidget(label(ways, body - 1, "faint"))
        return card

    def _hazard(self, f: Finding, size: float, body: float) -> QWidget:
        hazard = f.task.hazard
        assert hazard is not None
        card = QFrame()
        card.setObjectName("hazard")
        column = QVBoxLayout(card)
        column.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(HazardShape())
        head.addWidget(label("Caution", size, "copper", bold=True), 1)
        column.addLayout(head)
        column.addWidget(label(hazard.danger, body + 2, bold=True))
        column.addWidget(label(hazard.do, body))
        self.confirm = MainButton("I have done this")
        self.confirm.clicked.connect(lambda: self.asked.emit("confirm"))
        column.addWidget(self.confirm)
        column.addWidget(label("or type 'confirm' and Enter. Space does not pass a caution.", 10, "faint"))
        return card


class ReadingsLane(QScrollArea):
    """Gauges of the stage in hand, the present one marked and in view. ``picked`` with the step of one."""

    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMinimumWidth(250)
        self.large = False
        self.gauges: list[Gauge] = []
        self._layout: object = None

    def show_findings(self, heading: str, found: Sequence[Finding], now: Finding | None, note: str) -> bool:
        """Gauges for ``found``; only the present or last-read one in large mode. Whether there is any."""
        present = now.task.id if now else None
        shown = list(found)
        if self.large:
            taken = [f for f in found if f.reading is not None]
            shown = [f for f in found if f.task.id == present] or taken[-1:]
        above = below = 0
        if len(shown) > MOST_GAUGES:  # each costs time: those near the present one, moved on by the handful
            at = next((k for k, f in enumerate(shown) if f.task.id == present), 0)
            above = min(max(0, (at // HANDFUL - 1) * HANDFUL), len(shown) - MOST_GAUGES)
            below = len(shown) - above - MOST_GAUGES
            shown = shown[above : above + MOST_GAUGES]
        key = (heading, above, tuple(f.window is None for f in shown), note, self.large, theme.current().name)
        if key != self._layout:
            self._layout = key
            self._lay_out(heading, shown, note, above, below)
        for gauge, f in zip(self.gauges, shown, strict=True):
            gauge.show_finding(f, present=f.task.id == present)
        marked = next((g for g in self.gauges if g.present), None)
        if marked is not None:
            # Once the layout has run, so that positions are known; the one just read stays in view above it.
            QTimer.singleShot(0, lambda g=marked: self._into_view(g))
        return bool(shown)

    def show_compared(self, found: Suspicion) -> bool:
        """What is to be read, and what was, beside what each suspect would show. Whether there is any."""
        shown = found.compared[:1] if self.large else found.compared
        key = ("compared", shown, self.large, theme.current().name)
        if key != self._layout:
            self._layout = key
            self.gauges = []
            page = QWidget()
            column = QVBoxLayout(page)
            column.setContentsMargins(8, 4, 16, 12)
            column.setSpacing(6)
            if not self.large:
                column.addWidget(label("What each suspect would read", 10, "faint", bold=True))
            for one in shown:
                column.addWidget(ComparedGauge(one, large=self.large))
            column.addStretch(1)
            self.setWidget(page)
        return bool(shown)

    def _lay_out(self, heading: str, shown: list[Finding], note: str, above: int, below: int) -> None:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(8, 4, 16, 12)
        column.setSpacing(6)
        if not self.large:
            column.addWidget(label(heading, 10, "faint", bold=True))
        if above:
            column.addWidget(label(f"{above} more above", 10, "faint"))
        self.gauges = [Gauge(f, large=self.large) for f in shown]
        for gauge in self.gauges:
            gauge.picked.connect(self.picked)
            column.addWidget(gauge)
        if below:
            column.addWidget(label(f"{below} more below", 10, "faint"))
        if note:
            column.addWidget(label(note, 11, "faint"))
        column.addStretch(1)
        self.setWidget(page)

    def _into_view(self, gauge: Gauge) -> None:
        if gauge in self.gauges:
            self.ensureWidgetVisible(gauge, 0, 120)


class BusyStrip(QWidget):
    """A thin bar and a few words while something is being worked out."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        self.words = label("", 10, "faint")
        self.words.setWordWrap(False)
        self.bar = QProgressBar()
        self.bar.setRange(0, 0)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(120)
        row.addWidget(self.words)
        row.addWidget(self.bar)
        row.addStretch(1)
        self.setFixedHeight(18)
        self.say("")

    def say(self, words: str) -> None:
        self.words.setText(words)
        self.bar.setVisible(bool(words))
