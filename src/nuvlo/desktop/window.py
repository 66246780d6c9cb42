"""The one window: path above, three lanes, the bench line below."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QMainWindow, QSplitter, QVBoxLayout, QWidget

from nuvlo.bench_line import Command
from nuvlo.desktop import theme
from nuvlo.desktop.bench_line import BenchLine
from nuvlo.desktop.controller import TOOL_VERBS, Controller
from nuvlo.desktop.keys import Keys
from nuvlo.desktop.lanes import BusyStrip, NextLane, ReadingsLane, label, tint
from nuvlo.desktop.looking import Looking
from nuvlo.desktop.path_bar import PathBar
from nuvlo.desktop.pictures import picture_for
from nuvlo.desktop.timers import TimerStrip
from nuvlo.desktop.toolbox import Toolbox
from nuvlo.kit import Stage
from nuvlo.model import Wants
from nuvlo.problems import NuvloError

SIZE = (1280, 800)
IDLE_MS = 300  # after opening; the builder is still reading the first step
LANES = (310, 660, 310)
NOTES = {
    Stage.SEQUENCE: "Nothing is read in this stage. Each step waits for the one above it; a check that fails is put right "
    "before the next part goes in.",
    Stage.CHOOSE: "What is fitted decides what every later reading should be: windows follow the choice.",
    Stage.FIT: "Nothing is read while parts go in. 'side' turns the board over.",
    Stage.HAND_OVER: "",
}


class Window(QMainWindow):
    """Shows one session. ``folder`` is the workshop's, where size and lanes are remembered."""

    def __init__(self, folder: Path | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Nuvlo")
        self.settings = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat) if folder else None
        theme.use(str(self._remembered("theme", "daylight")))
        self.controller = Controller()
        self.large = False
        self.side = ""
        self._found_part = ""
        self._pictures: dict[Stage, Any] = {}
        self.tool: QWidget | None = None  # shown in place of the stage's picture
        self.tools, self.looking = Toolbox(self), Looking(self)
        self._build()
        self.controller.changed.connect(self.refresh)
        self.controller.replied.connect(lambda words, good: self.bench_line.say(words, good))
        self.controller.busy.connect(self.busy.say)
        self.controller.window_command.connect(self._window_command)
        self.controller.opened.connect(self._opened)
        self.controller.loaded_ahead.connect(lambda: QTimer.singleShot(IDLE_MS, self._warm))
        self.keys = Keys(self)
        QApplication.instance().installEventFilter(self.keys)
        self.resize(*SIZE)
        if self.settings and (geometry := self.settings.value("geometry")):
            self.restoreGeometry(geometry)

    def _remembered(self, name: str, default: object) -> object:
        found = self.settings.value(name, default) if self.settings else default
        return found if name != "theme" or found in theme.THEMES else default

    def _build(self) -> None:
        self._dress()
        page = QWidget()
        page.setObjectName("page")
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(4)
        self.path_bar = PathBar()
        self.path_bar.picked.connect(lambda stage: self.run(Command("stage", "", stage)))
        self.next_lane, self.readings = NextLane(), ReadingsLane()
        self.next_lane.asked.connect(lambda verb: self.run(Command(verb, "")))
        self.picture_lane = QWidget()
        self.picture_column = QVBoxLayout(self.picture_lane)
        self.picture_column.setContentsMargins(0, 0, 0, 0)
        self.waiting = label("Opening the workshop", theme.NEXT, "faint")
        self.waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture_column.addWidget(self.waiting)
        self.lanes = QSplitter(Qt.Orientation.Horizontal)
        self.lanes.setChildrenCollapsible(False)
        for lane in (self.next_lane, self.picture_lane, self.readings):
            self.lanes.addWidget(lane)
        self.lanes.setStretchFactor(1, 1)
        self.lanes.setSizes(list(LANES))
        if self.settings and (state := self.settings.value("lanes")):
            self.lanes.restoreState(state)
        self.busy, self.bench_line, self.timers = BusyStrip(), BenchLine(), TimerStrip()
        self.timers.ended.connect(self._clock_ran_out)
        self.bench_line.command.connect(self.run)
        column.addWidget(self.path_bar)
        column.addWidget(self.lanes, 1)
        column.addWidget(self.timers)
        column.addWidget(self.busy)
        column.addWidget(self.bench_line)
        self.setCentralWidget(page)
        self.bench_line.entry.setFocus()

    def _dress(self) -> None:
        """Put the theme in use on the whole application."""
        app = QApplication.instance()
        app.setFont(theme.words())
        app.setPalette(theme.palette())
        self.setPalette(theme.palette())
        self.setStyleSheet(theme.style_sheet(theme.current()))

    # -- commands -----------------------------------------------------------------------------------------------

    def run(self, command: Command) -> None:
        """Carry out a command from any key or button."""
        if command.verb == "find":
            self._found_part = command.target
        elif command.verb not in ("note",):
            self._found_part = ""
        if command.verb not in ("side", "find", "zoom", "rotate", "net", "picture", "pictured"):
            self.side = ""
        if command.verb == "what" and not command.text:
            self.tools.what()
            return
        if command.verb == "next" and self.tool is not None:
            self.close_tool()  # Space here means: seen
            return
        if command.verb not in (
            *TOOL_VERBS,
            "zoom",
            "rotate",
            "net",
            "note",
            "what",
            "reads",
            "lamp",
            "daylight",
            "help",
        ):
            self.close_tool()
        self.controller.command(command)

    def _window_command(self, command: Command) -> None:
        match command.verb:
            case "large":
                self.set_large(not self.large)
            case "daylight" | "lamp":
                self.set_theme(command.verb)
            case "side":
                shown = getattr(getattr(self.picture(), "board", None), "marking", None)
                self.side = "top" if shown is not None and shown.side == "bottom" else "bottom"
                self.refresh()
            case "recipe":
                self.tools.recipe(command.text)
            case "compare":
                self.tools.compare(command.text)
            case "zoom" | "rotate" | "net":
                self.looking.look(command.verb, command.text.lower())
            case "picture":
                self.looking.picture_beneath(command.text)
            case "manual":
                self.tools.manual(command.text)
            case "both":
                self.tools.both()
            case "calendar":
                self.tools.calendar(command.text)
            case "import":
                self.tools.import_list(command.text)
            case "column":
                self.tools.column(command.text)
            case "take":
                self.tools.take(command.text)
            case "help":
                self.bench_line.help.setVisible(not self.bench_line.help.isVisible())

    # -- tools --------------------------------------------------------------------------------------------------

    def show_answer(self, tool, found) -> None:
        tool.show_answer(found)
        self.show_tool(tool)
        self.bench_line.say("Esc returns to the stage.", True)

    def file_named(self, text: str) -> Path | None:
        """A file as it was typed: from here, else from the workshop's folder. None where there is none, and that is said."""
        try:
            found: Path = self.controller.session.workshop.found(text)
        except NuvloError as none:
            self.bench_line.say(str(none), False)
            return None
        return found

    def _opened(self) -> None:
        self.bench_line.use(self.controller.session)
        self.tools.list_path = None
        self.close_tool()

    def show_tool(self, tool: QWidget) -> None:
        if tool is not self.tool:
            self.close_tool()
            self.tool = tool
            self.picture_column.addWidget(tool)
        self.refresh()

    def close_tool(self) -> None:
        """Back to the picture of the stage."""
        if self.tool is None:
            return
        self.tool.hide()
        self.picture_column.removeWidget(self.tool)
        self.tool.deleteLater()
        self.tool = None
        self.refresh()

    def set_theme(self, name: str) -> None:
        """Daylight or lamp."""
        theme.use(name)
        for picture in self._pictures.values():
            picture.hide()
            self.picture_column.removeWidget(picture)
            picture.deleteLater()
        self._pictures.clear()
        self.close_tool()  # it is drawn in the colours it was made in
        self._dress()
        self.bench_line.restyle()
        tint(self.busy.words, "faint")
        if self.settings:
            self.settings.setValue("theme", name)
        self.refresh()

    def set_large(self, large: bool) -> None:
        """Next and one gauge only, to be read from two metres away."""
        self.large = self.next_lane.large = self.readings.large = large
        self.picture_lane.setVisible(not large)
        self.path_bar.setVisible(not large)
        self.refresh()

    # -- showing ------------------------------------------------------------------------------------------------

    def picture(self) -> Any:
        session = self.controller.session
        return self._pictures.get(session.stage) if session else None

    def refresh(self) -> None:
        """Show the present state of the session."""
        session = self.controller.session
        if session is None:
            return
        stage, now = session.stage, session.now()
        found = session.findings(stage)
        self.path_bar.show_path(session.kit.name, session.build.serial, session.path(), stage)
        at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), len(found))
        following = [f.task.title for f in found[at + 1 :] if not f.done]
        self.next_lane.show_task(now, following, self._advice(now), session.bench is not None, *self._closing())
        judged = [f for f in found if f.task.wants in (Wants.MEASURE, Wants.READING)]
        if stage is Stage.FIT and now:
            judged = [f for f in session.findings(Stage.UNPACK) if f.reading and f.task.target in now.task.parts]
        if stage is Stage.PROVE or stage is Stage.HAND_OVER:
            judged = self._kept(session)
        note = NOTES.get(stage, "" if judged else "Nothing is read in this stage.")
        solved = session.solved(stage)
        if solved and solved.problem:
            note = solved.problem
        heading = "Measured at unpacking" if stage is Stage.FIT and judged else "Readings"
        self.readings.show_findings(heading, judged, now, note if not judged else "")
        self._show_picture(session, stage, now)
        self.timers.show_running(session.running())

    def _clock_ran_out(self) -> None:
        """Something is dry: what waited for it may go on."""
        if self.controller.session is not None:
            self.controller.session.forget()
        self.refresh()

    def _advice(self, now) -> str:
        if now is None or now.task.stage is not Stage.SET:
            return ""
        session = self.controller.session
        solved = session.solved(Stage.SET)
        if solved is None or solved.advice is None or solved.key != session.key(Stage.SET):
            return ""
        if solved.advice.reading is None:
            return ""
        return " ".join(w for w in (solved.advice.words, solved.advice.settling) if w)

    def _closing(self) -> tuple[str, str]:
        session = self.controller.session
        if session.stage is Stage.HAND_OVER:
            return (
                "All done",
                f"{session.kit.name} {session.build.serial} is {session.sheet().overall}. The sheet is written.",
            )
        title = f"{session.stage.label} is finished"
        return title, "Pick another stage on the path, or type its name after 'stage'."

    @staticmethod
    def _kept(session) -> list:
        """The readings that tell most of a finished unit: its points and its gain."""
        kept = [f for f in session.findings(Stage.WAKE) + session.findings(Stage.SET) if f.reading is not None]
        seen = {f.task.target: f for f in kept if f.task.quantity != "resistance"}
        gain = session.gain_finding()
        return ([gain] if gain else []) + list(seen.values())[::-1]

    def _show_picture(self, session, stage: Stage, now) -> None:
        if self.large:
            return
        self.waiting.hide()
        if stage not in self._pictures:
            self._pictures[stage] = picture_for(stage)
            self.picture_column.addWidget(self._pictures[stage])
            board = getattr(self._pictures[stage], "board", None)
            if board is not None:
                board.picked.connect(lambda ref: self.run(Command("find", "", ref)))
                board.said.connect(lambda words: self.bench_line.say(words, True))
        for key, picture in self._pictures.items():
            picture.setVisible(key is stage and self.tool is None)
        if self.tool is not None:
            self.tool.show()
            return
        picture = self._pictures[stage]
        picture.show_session(session, now, self.side)
        board = getattr(picture, "board", None)
        if board is not None:
            self.looking.underlays(board, session)
            lit = frozenset({self._found_part}) if self._found_part else board.marking.lit
            board.show_board(session.kit, replace(board.marking, lit=lit, net=self.looking.net))

    def _warm(self) -> None:
        """Draw one curve unseen: what Qt and pyqtgraph do only the first time is done before it is waited for."""
        if self.controller.session is None or any(hasattr(p, "curve") for p in self._pictures.values()):
            return
        from nuvlo.desktop.curve import warm

        warm()

    # -- going --------------------------------------------------------------------------------------------------

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.settings:
            self.settings.setValue("geometry", self.saveGeometry())
            self.settings.setValue("lanes", self.lanes.saveState())
        QApplication.instance().removeEventFilter(self.keys)
        self.controller.close()
        super().closeEvent(event)
