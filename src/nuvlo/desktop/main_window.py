"""The one window: the shelf, or a build with its path above, three lanes, and the bench line below."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QRect, QSize, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication
from PyQt6.QtWidgets import QApplication, QMainWindow, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.bench_line import BenchLine
from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.controller import Controller
from nuvlo.desktop.fault_card import FaultCard
from nuvlo.desktop.handles import HANDLES
from nuvlo.desktop.keys import Keys
from nuvlo.desktop.labels import label, tint
from nuvlo.desktop.lanes import BusyStrip, NextLane, NextStep, ReadingsLane
from nuvlo.desktop.look import keep_look, read_look
from nuvlo.desktop.looking import Looking
from nuvlo.desktop.path_bar import PathBar
from nuvlo.desktop.pictures import picture_for, picture_named
from nuvlo.desktop.pictures.frames import StagePicture
from nuvlo.desktop.shelf import ShelfView
from nuvlo.desktop.strip import ActionStrip
from nuvlo.desktop.timers import TimerStrip
from nuvlo.desktop.toolbox import Toolbox
from nuvlo.kit import Stage
from nuvlo.problems import NuvloError
from nuvlo.stages.lacks import lacks
from nuvlo.stages.registry import row
from nuvlo.workshop.answers import SUSPECTS
from nuvlo.workshop.commands.arguments import PartNamed, StageNamed, Words
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.grammar import NotUnderstood, understand
from nuvlo.workshop.commands.verbs import SIDE, TOOL, VERBS, Verb, offered
from nuvlo.workshop.snapshot import BUILT, Snapshot

if TYPE_CHECKING:
    from nuvlo.workshop.shelf import Shelf

SIZE = (1280, 800)
FRAME = (8, 44)  # px that a window manager may add to it
IDLE_MS = 300  # after opening; the builder is still reading the first step
LANES = (310, 660, 310)
LARGE_GAUGE, UNBOUND = 310, 16_777_215  # px high


class Window(QMainWindow):
    """Shows one workshop. ``look_file`` is where light, place and lanes are remembered."""

    tools: Toolbox
    looking: Looking
    large: bool

    def __init__(self, look_file: Path | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Nuvlo")
        self.setAcceptDrops(True)
        self._look_file = look_file
        self.look = read_look(look_file)
        theme.use(self.look.theme)
        self.controller = Controller()
        self.large = False
        self.side = ""
        self._found_part = ""
        self._sizes = list(LANES)  # to return to from large mode
        self._queue: list[str] = []  # lines typed while one before them is still being logged
        self._pictures: dict[Stage | str, StagePicture] = {}
        self.tool: QWidget | None = None  # shown in place of the stage's picture
        self.tools, self.looking = Toolbox(self), Looking(self)
        self._build()
        self.controller.changed.connect(self.refresh)
        self.controller.replied.connect(lambda words, good: self.bench_line.say(words, good))
        self.controller.jobs.busy.connect(self.busy.say)
        self.controller.jobs.failed.connect(self.show_fault)
        self.controller.warned.connect(self.fault.say)
        self.controller.jobs.logged.connect(self._next_lines)
        self.controller.window_command.connect(self._window_command)
        self.controller.opened.connect(self._opened)
        self.controller.glimpsed.connect(self._glimpsed)
        self.controller.elsewhere.connect(lambda: self.tools.list_shelf(anew=False))
        self.controller.loaded_ahead.connect(lambda: QTimer.singleShot(IDLE_MS, self._warm))
        self.keys = Keys(self, self)
        application().installEventFilter(self.keys)
        self._take_place()

    def _take_place(self) -> None:
        """Where it stood, if a screen there still shows it; else of the usual size."""
        screen = QGuiApplication.primaryScreen()
        self.resize(fitting(screen.availableSize() if screen else QSize(*SIZE)))
        if self.look.place is not None:
            place = QRect(*self.look.place)
            if any(screen.availableGeometry().intersects(place) for screen in QGuiApplication.screens()):
                self.setGeometry(place)
        if self.look.filling:
            self.setWindowState(Qt.WindowState.WindowMaximized)

    def _build(self) -> None:
        self._dress()
        page = QWidget()
        page.setObjectName("page")
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(4)
        self.path_bar = PathBar()
        self.path_bar.picked.connect(lambda stage: self.run(Command("stage", StageNamed(Stage(stage)))))
        self.path_bar.shelf.connect(lambda: self.run(Command("shelf")))
        self.next_lane, self.readings = NextLane(), ReadingsLane()
        self.next_lane.asked.connect(lambda verb: self.run(Command(verb)))
        self.next_lane.line.connect(self.enter)
        self.readings.picked.connect(self._take_step)
        self.picture_lane = QWidget()
        self.picture_column = QVBoxLayout(self.picture_lane)
        self.picture_column.setContentsMargins(0, 0, 8, 0)
        self.picture_column.setSpacing(4)
        self.strip = ActionStrip()
        self.strip.picked.connect(self.act)
        strip_row = QVBoxLayout()
        strip_row.setContentsMargins(12, 0, 12, 4)
        strip_row.addWidget(self.strip)
        self.picture_column.addLayout(strip_row)
        self.lanes = QSplitter(Qt.Orientation.Horizontal)
        self.lanes.setChildrenCollapsible(False)
        self.left = QWidget()
        self.left_column = QVBoxLayout(self.left)
        self.left_column.setContentsMargins(0, 0, 0, 0)
        self.left_column.addWidget(self.next_lane, 1)
        for lane in (self.left, self.picture_lane, self.readings):
            self.lanes.addWidget(lane)
        self.lanes.setStretchFactor(1, 1)
        self.lanes.setSizes(list(self.look.lanes or LANES))
        self.waiting = label("Opening the workshop", theme.NEXT, "faint")
        self.waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.shelf = ShelfView()
        tools = self.tools
        self.shelf.taken.connect(lambda card: tools.once_open(lambda: tools.take_card(card)))
        self.shelf.begun.connect(lambda cover, on: tools.once_open(lambda: tools.begin_kit(cover, on)))
        self.shelf.asked_for_file.connect(lambda: tools.once_open(tools.pick_file))
        self.shelf.asked_for_folder.connect(lambda: tools.once_open(tools.pick_folder))
        self.shelf.asked_for_backup.connect(lambda: tools.once_open(lambda: tools.back_up("")))
        self.rooms = QStackedWidget()
        for room in (self.waiting, self.shelf, self.lanes):
            self.rooms.addWidget(room)
        self.busy, self.bench_line, self.timers = BusyStrip(), BenchLine(), TimerStrip()
        self.timers.ended.connect(self.controller.look_again)
        self.bench_line.entered.connect(self.enter)
        self.next_lane.key.connect(self.bench_line.add)
        self.next_lane.enter.connect(self.bench_line.enter)
        self.bench_line.go_on.connect(lambda: self.run(Command("next")))
        self.fault = FaultCard()
        column.addWidget(self.path_bar)
        column.addWidget(self.fault)
        column.addWidget(self.rooms, 1)
        column.addWidget(self.timers)
        column.addWidget(self.busy)
        column.addWidget(self.bench_line)
        self.path_bar.hide()
        self.setCentralWidget(page)
        self.bench_line.entry.setFocus()

    def _dress(self) -> None:
        """Put the theme in use on the whole application."""
        application().setFont(theme.words())
        application().setPalette(theme.palette())
        self.setPalette(theme.palette())
        self.setStyleSheet(theme.style_sheet(theme.current()))

    # -- commands -----------------------------------------------------------------------------------------------

    def enter(self, line: str) -> None:
        """Carry out a typed line. One that comes while another is being logged waits: it may mean the step after it."""
        if self.controller.jobs.logging():
            self._queue.append(line)
            return
        shown = self.controller.shown
        if shown is None:
            if not self.tools.typed_at_shelf(line):
                self.bench_line.put_back(line)
            return
        now = shown.now()
        try:
            command = understand(line, shown.kit, now.task if now else None, shown.stage)
        except NotUnderstood as why:
            self._queue.clear()
            self.bench_line.say(str(why), False)
            self.bench_line.put_back(line)
            return
        self.run(command)

    def act(self, verb: Verb) -> None:
        """A button of the strip: what needs words begins on the bench line, with an example."""
        if verb.begins:
            self.bench_line.begin(verb)
            return
        self.enter(verb.name)

    def run(self, command: Command) -> None:
        """Carry out a command from any key or button."""
        verb = VERBS[command.verb]
        if command.verb == "find":
            self._found_part = command.given.ref
        elif SIDE not in verb.keeps:
            self._found_part = ""
        if SIDE not in verb.keeps:
            self.side = ""
        if command.verb == "next" and self.tool is not None:
            self.close_tool()  # Space here means: seen
            return
        if TOOL not in verb.keeps:
            self.close_tool()
        self.controller.command(command)

    def _take_step(self, step: str) -> None:
        """A gauge was picked: its step is in hand, and what is typed is its reading."""
        self.bench_line.entry.setFocus()
        self.run(Command("step", Words(step)))

    def _window_command(self, command: Command) -> None:
        self.bench_line.say("", True)  # what came of the line before stands no longer
        HANDLES[command.verb](self, command.given)

    def escape(self) -> None:
        """Leave what is shown beside the stage, and what was begun on the bench line."""
        self.close_tool()
        board = self.board()
        if board is not None:
            board.give_up_aligning()
        self.bench_line.entry.clear()
        self.bench_line.entry.setFocus()

    def turn_over(self) -> None:
        """Show the other side of the board."""
        board = self.board()
        self.side = "top" if board is not None and board.marking.side == "bottom" else "bottom"
        self.refresh()

    # -- the shelf ----------------------------------------------------------------------------------------------

    def to_shelf(self) -> None:
        """Put the build in hand away and show all of the workshop."""
        self.close_tool()
        self.controller.put_away()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data else []
        if paths:
            self.tools.open_path(paths[0])

    # -- tools --------------------------------------------------------------------------------------------------

    def file_named(self, text: str) -> Path | None:
        """A file as it was typed: from here, else from the workshop's folder. None where there is none, and that is said."""
        workshop = self.controller.workshop
        if workshop is None:
            return None
        try:
            return workshop.places.found(text)
        except NuvloError as none:
            self.bench_line.say(str(none), False)
            return None

    def _opened(self) -> None:
        self._queue.clear()
        self.tools.forget_list()
        self.close_tool()
        self.side = self._found_part = ""
        for picture in self._pictures.values():
            picture.forget()
        shown, before = self.controller.shown, self.bench_line.shown
        if before is not None and (shown is None or shown.build.id != before.build.id):
            self.bench_line.set_aside()
        self.bench_line.use(shown)
        if shown is None:
            self.tools.list_shelf()
        self.bench_line.entry.setFocus()

    def _glimpsed(self, folder: str, found: Shelf | None) -> None:
        """Show the shelf of a workshop that is still opening, or that it is only opening."""
        self.tools.glimpse(folder, found)
        self.rooms.setCurrentWidget(self.shelf if found is not None else self.waiting)
        self.repaint()  # at once: what opens it is loaded next

    def show_tool(self, tool: QWidget) -> None:
        if tool is not self.tool:
            self.close_tool()
            self.tool = tool
            self.picture_column.insertWidget(self.picture_column.count() - 1, tool, 1)
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
        tint(self.waiting, "faint")
        self.shelf.restyle()
        self.look = self.look.model_copy(update={"theme": name})
        keep_look(self.look, self._look_file)
        self.refresh()

    def set_large(self, large: bool) -> None:
        """Next with one gauge below it, to be seen from two metres away; the picture keeps its height."""
        if large == self.large:
            return
        self.large = self.next_lane.large = self.readings.large = large
        if large:
            self.left_column.addWidget(self.readings)
            self.readings.setFixedHeight(LARGE_GAUGE)
            self._sizes = self.lanes.sizes()
            self.lanes.setSizes([self.width() * 45 // 100, self.width() * 55 // 100])
        else:
            self.readings.setMinimumHeight(0)
            self.readings.setMaximumHeight(UNBOUND)
            self.lanes.addWidget(self.readings)
            self.lanes.setSizes(self._sizes)
        self.path_bar.setVisible(not large)
        self.refresh()

    def show_fault(self, fault: BaseException) -> None:
        """Something went wrong inside: say so in a card, and go on."""
        self.fault.show_fault(fault)

    # -- showing ------------------------------------------------------------------------------------------------

    def picture(self) -> StagePicture | None:
        """The picture of the stage in hand, once it was shown."""
        shown = self.controller.shown
        return self._pictures.get(self._pictured(shown)) if shown else None

    def board(self) -> BoardMap | None:
        """The map in the picture of the stage in hand, where it has one."""
        picture = self.picture()
        return picture.board if picture else None

    def refresh(self) -> None:
        """Show the present state."""
        shown = self.controller.shown
        if shown is None:
            self._show_shelf()
        else:
            self._show_build(shown)

    def _next_lines(self) -> None:
        """Carry out what was typed ahead, as far as nothing has to be logged first."""
        while self._queue and not self.controller.jobs.logging():
            self.enter(self._queue.pop(0))

    def _show_shelf(self) -> None:
        if self.controller.workshop is None:
            return
        if self.large:
            self.set_large(False)
            return
        self.path_bar.hide()
        self._only_picture(bool(self.tool))
        self.timers.show_running([])
        self.rooms.setCurrentWidget(self.lanes if self.tool is not None else self.shelf)

    def _show_build(self, shown: Snapshot) -> None:
        stage, now = shown.stage, shown.now()
        found = shown.findings(stage)
        self.rooms.setCurrentWidget(self.lanes)
        self.path_bar.setVisible(not self.large)
        self.path_bar.show_path(shown.kit.name, shown.build.number, shown.path(), stage)
        at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), len(found))
        following = [f.task.title for f in found[at + 1 :] if not f.done]
        judged = shown.shown()
        solved = shown.solved(stage)
        note = solved.problem if solved and solved.problem else row(stage).note if not judged.findings else ""
        found_out = shown.suspicion
        has_gauge = self.readings.show_compared(found_out) if found_out else self.readings.show_findings(judged.heading, judged.findings, now, note)
        self.readings.setVisible(bool(found_out and has_gauge) or (bool(judged.findings) and (has_gauge or not self.large)))
        closed, closing = _closing(shown)
        self.next_lane.show_task(NextStep(
            now, following, shown.advice(), shown.has_bench, closed, closing, shown.offers(),
            note="" if judged.findings else note, stop=shown.stop(), suspicion=found_out, by_eye=shown.by_eye,
        ))  # fmt: skip
        self.bench_line.follow(shown)
        if getattr(self.tool, "of_workshop", False):
            self._only_picture(True)
        else:
            self.left.show()
            self.strip.setVisible(not self.large)
            if not self.large:
                self.strip.show_verbs(offered(shown))
        self._show_picture(shown)
        self.timers.show_running([r for r in shown.running() if stage in r.stages])

    def _only_picture(self, alone: bool) -> None:
        """What is shown has to do with no build: nothing of one stands beside it."""
        for lane in (self.left, self.readings, self.strip):
            lane.setVisible(not alone)

    def _show_picture(self, shown: Snapshot) -> None:
        stage, now = self._pictured(shown), shown.now()
        if stage not in self._pictures:
            picture = picture_for(stage) if isinstance(stage, Stage) else picture_named(stage)
            self._pictures[stage] = picture
            self.picture_column.insertWidget(self.picture_column.count() - 1, picture, 1)
            picture.worker = self.controller.jobs
            picture.traced.connect(lambda end: self.run(Command("trace", Words(end))))
            if picture.board is not None:
                picture.board.picked.connect(lambda ref: self.run(Command("find", PartNamed(ref))))
                picture.board.said.connect(lambda words: self.bench_line.say(words, True))
        for key, each in self._pictures.items():
            each.setVisible(key is stage and self.tool is None)
        if self.tool is not None:
            self.tool.show()
            return
        picture = self._pictures[stage]
        picture.show_state(shown, now, self.side)
        board = picture.board
        if board is not None:
            self.looking.underlays(board, shown)
            lit = frozenset({self._found_part}) if self._found_part else board.marking.lit
            board.show_board(shown.kit, replace(board.marking, lit=lit, net=self.looking.net))

    def _pictured(self, shown: Snapshot) -> Stage | str:
        """What the picture is of: the stage in hand, or who is accused where a reading stops it."""
        return SUSPECTS if shown.suspicion is not None and shown.kit.board is not None else shown.stage

    def _warm(self) -> None:
        """Draw one curve unseen, each step of it in a turn of its own: typing may come between."""
        if any(hasattr(p, "curve") for p in self._pictures.values()):
            return
        from nuvlo.desktop.curve import warm

        steps = warm()

        def go_on() -> None:
            if next(steps, steps) is not steps:
                QTimer.singleShot(0, go_on)

        go_on()

    # -- going --------------------------------------------------------------------------------------------------

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.set_large(False)
        self._keep_look()
        application().removeEventFilter(self.keys)
        self.controller.close()
        super().closeEvent(event)

    def _keep_look(self) -> None:
        stands = self.normalGeometry() if self.isMaximized() else self.geometry()
        sizes = self.lanes.sizes()
        seen = all(sizes)  # none has a width before a build was shown
        self.look = self.look.model_copy(update={
            "place": (stands.x(), stands.y(), stands.width(), stands.height()), "filling": self.isMaximized(),
            "lanes": (sizes[0], sizes[1], sizes[2]) if seen else self.look.lanes,
        })  # fmt: skip
        keep_look(self.look, self._look_file)


def fitting(room: QSize) -> QSize:
    """The usual size, or what a screen with so much room shows of it inside a frame and a title bar."""
    return QSize(*SIZE).boundedTo(room - QSize(*FRAME))


def application() -> QApplication:
    """The one application."""
    return cast(QApplication, QApplication.instance())


def _closing(shown: Snapshot) -> tuple[str, str]:
    """What the Next lane says when nothing of the stage is left."""
    if shown.stage is Stage.HAND_OVER:
        return "All done", f"{shown.kit.name} {shown.build.number}: {shown.sheet().overall}. The sheet is written."
    label = shown.stage.label
    if shown.build.hunted and shown.stage in BUILT:
        return "It is built", "One mistake is hidden in it: find it in Wake."
    missing = lacks(shown.kit, shown.stage)
    closed = f"{label} is finished" if shown.findings(shown.stage) else f"{label} lacks its input" if missing else f"There is nothing to do in {label}"
    if missing:
        return closed, f"This kit lacks {missing}"
    left = next((one for one in shown.path() if one.state not in ("done", "nothing to do", "lacks input")), None)
    if left is None:
        return closed, "Nothing is left to do."
    comes = (
        f"{left.stage.label} is stuck" if left.state == "stuck" else f"{left.stage.label} is what is left to do first"
    )
    return closed, f"{comes}: click it on the path, or type 'stage {left.stage.label.lower()}'."
