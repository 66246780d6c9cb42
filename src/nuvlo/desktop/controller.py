"""Between window and workshop: commands and solving happen off the interface thread, results come back as signals."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from nuvlo.desktop.jobs import LOG, MODEL, Job, Jobs, then_or_say
from nuvlo.kit import Stage
from nuvlo.logbook.errors import Overtaken
from nuvlo.problems import NuvloError
from nuvlo.progress import Stopped
from nuvlo.workshop import answers
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import begin, finish
from nuvlo.workshop.commands.outcome import Reply, Work
from nuvlo.workshop.commands.verbs import VERBS
from nuvlo.workshop.session import Session
from nuvlo.workshop.snapshot import HUNTED, Snapshot

if TYPE_CHECKING:
    from nuvlo.workshop.shelf import Shelf
    from nuvlo.workshop.workshop import Workshop

FOLLOW_MS = 1000  # between looks at the log
QUIET_TICKS = 30  # of them without a change
OPENING = "Opening the workshop"
AHEAD_MS = 3000  # without one, until the next likely question is worked on
LOAD_MS = 500  # from the first page to what later ones load: two threads share one interpreter


@dataclass(frozen=True)
class Opened:
    """A workshop, and the build that is taken in hand, if any."""

    workshop: Workshop
    session: Session | None = None
    says: str = ""  # what is to be known of it first
    afterwards: tuple[str, Callable[[], None]] | None = None  # what is done once it is shown, and the words for it


class Controller(QObject):
    """The workshop and the build in the window.

    ``changed`` after anything that may show; ``replied`` with words and whether it went well; ``window_command`` with what
    the window is to do itself; ``opened`` when another build, or none, is in hand.
    """

    changed = pyqtSignal()
    replied = pyqtSignal(str, bool)
    window_command = pyqtSignal(object)
    shows = pyqtSignal(str)
    warned = pyqtSignal(str, str)  # title and words of what is to be known of the workshop
    opened = pyqtSignal()
    glimpsed = pyqtSignal(str, object)  # name of a workshop that is still opening, and its shelf; None where there is nothing to see
    loaded_ahead = pyqtSignal()
    elsewhere = pyqtSignal()  # another window wrote while none is in hand

    def __init__(self) -> None:
        super().__init__()
        self.jobs = Jobs()
        self.workshop: Workshop | None = None
        self.session: Session | None = None
        self.shown: Snapshot | None = None  # what the window shows: a state made ready off this thread
        self._asked: object = None  # the question that is being worked out
        self._given_up: object = None  # one that was stopped: not asked again until something changes
        self._ahead = QTimer(self)
        self._ahead.setSingleShot(True)
        self._ahead.timeout.connect(self._get_ready)
        self._getting_ready: Job | None = None
        self._left_be: Session | None = None  # for which the builder stopped it
        self._loaded = False
        self._loading = QTimer(self)
        self._loading.setSingleShot(True)
        self._loading.timeout.connect(lambda: self.jobs.start(MODEL, _load_ahead, lambda *_: self.loaded_ahead.emit()))
        self._afterwards: tuple[str, Callable[[], None]] | None = None  # see Opened
        self.left_behind = False  # work that did not end when the window closed
        self._mark: object = None  # of the log's files, when they were last looked at
        self._quiet = 0  # times they have not changed since
        self._following = QTimer(self)
        self._following.timeout.connect(self._follow)

    # -- opening ------------------------------------------------------------------------------------------------

    def open(self, opener: Callable[[], Opened], shelf_of: Path | None = None) -> None:
        """Open a workshop or a build by ``opener`` off this thread; first ``glimpsed`` tells what stood on the shelf of the workshop in
        the folder ``shelf_of``. What is done to show it comes before all that has to load: two threads share one interpreter."""
        if shelf_of is None:
            self.jobs.start(LOG, lambda: _made_ready(opener()), self._opened, OPENING)
            return
        from nuvlo.workshop.shelf import shelf_at_a_glance

        def seen(found: Shelf | None, _: NuvloError | None) -> None:
            self.glimpsed.emit(shelf_of.name, found)
            self.open(opener)

        self.jobs.start(LOG, lambda: shelf_at_a_glance(shelf_of), seen, OPENING)

    def _opened(self, found: tuple[Opened, Snapshot | None] | None, error: NuvloError | None) -> None:
        if error is not None or found is None:
            if self.workshop is None:
                self.glimpsed.emit("", None)
            self.replied.emit(str(error), False)
            return
        opened, shown = found
        before = self.session
        self.workshop, self.session, self.shown = opened.workshop, opened.session, shown
        self.jobs.build = shown.build.id if shown else None
        if before is not None and (shown is None or before.build.id != shown.build.id):
            self.jobs.stop_asking(before.build.id)
        self._asked = self._given_up = None
        self._give_way()
        self.opened.emit()
        self._following.start(FOLLOW_MS)
        self._afterwards = opened.afterwards
        if shown is not None:
            self.stands()
            fresh = f"{shown.kit.name} is open: {len(shown.kit.parts)} parts to unpack."
            self.replied.emit(opened.says or shown.where_you_were() or fresh, True)
        if opened.workshop.logbook.read_only:
            self.replied.emit(
                f"This workshop can be viewed but not changed. {opened.workshop.logbook.why_read_only}", False
            )
        elif opened.workshop.logbook.warning:
            self.warned.emit("The newest entries are missing", opened.workshop.logbook.warning)
        self.refresh()

    def stands(self) -> None:
        """What was opened is seen: from here on other work takes nothing from it."""
        if not self._loaded:
            self._loaded = True
            self._loading.start(LOAD_MS)
        after, self._afterwards = self._afterwards, None
        if after is not None:
            self.jobs.start(MODEL, after[1], then_or_say(lambda _: None, self.replied.emit), after[0])

    def change_workshop(self, workshop: Workshop) -> None:
        """Show another workshop; the one before is closed once its log has nothing more to do."""
        before = self.workshop
        self._opened((Opened(workshop), None), None)
        if before is not None:
            self.jobs.start(LOG, before.close, lambda *_: None)

    def take_in_hand(
        self, start: Callable[[Workshop], Session | tuple[Session, str]], words: str = "Opening the build"
    ) -> None:
        """Open or begin a build in the workshop that is open; ``start`` may say what is to be known of it first."""
        workshop = self.workshop
        if workshop is None:
            return

        def opened() -> tuple[Opened, Snapshot | None]:
            found = start(workshop)
            return _made_ready(Opened(workshop, *(found if isinstance(found, tuple) else (found,))))

        self.jobs.start(LOG, opened, self._opened, words)

    def put_away(self) -> None:
        """Leave the build in hand: what its shelf card says is kept first."""
        workshop = self.workshop
        if workshop is not None:
            self.jobs.start(LOG, lambda: (Opened(workshop), None), self._opened)

    def close(self) -> None:
        """Let work under way end, then close the logbook. What does not end is left behind with the log as it stands."""
        self._following.stop()
        self._ahead.stop()
        self._loading.stop()
        self.left_behind = not self.jobs.close()
        if self.workshop is not None and not self.left_behind:
            self.workshop.close()

    @property
    def idle(self) -> bool:
        """Nothing is being logged or solved."""
        return self.jobs.idle

    def _follow(self) -> None:
        """Look whether another window has written. Where nobody has for a while, the log's files are brought together."""
        workshop, session = self.workshop, self.session
        if workshop is None or self.jobs.logging():
            return
        mark = workshop.logbook.mark()
        before, self._mark = self._mark, mark
        self._quiet = self._quiet + 1 if mark == before else 0
        if self._quiet == QUIET_TICKS:
            self.jobs.start(LOG, workshop.logbook.checkpoint, lambda *_: None)
        elif self._quiet or before is None:
            return
        elif session is None:
            self.elsewhere.emit()
        else:
            self.jobs.start(LOG, lambda: _caught_up(session), self._followed, build=session.build.id)

    def _followed(self, shown: Snapshot | None, error: NuvloError | None) -> None:
        if shown is not None:
            self.shown = shown
            self.replied.emit("Another window has gone on with this build: this is where it stands.", True)
            self.refresh()

    # -- commands -----------------------------------------------------------------------------------------------

    def command(self, command: Command) -> None:
        """Carry out a command. The answer comes by :attr:`replied`."""
        if VERBS[command.verb].does is None or (command.verb == "what" and not command.given.text):
            self.window_command.emit(command)
            return
        session = self.session
        if session is None:
            waiting = (
                "The workshop is still opening."
                if self.workshop is None
                else "Take a build in hand first: pick one on the shelf."
            )
            self.replied.emit(waiting, False)
            return
        self._given_up = None

        def log() -> tuple[Reply | Work, Snapshot]:
            outcome = begin(session, command)
            return outcome, session.snapshot().made_ready()

        self.jobs.start(
            LOG, log, lambda value, error: self._begun(session, command, value, error), build=session.build.id
        )

    def _begun(self, session: Session, command: Command, value: Any, error: NuvloError | None) -> None:
        if error is None and isinstance(value[0], Work):
            self._work(session, command, value[0])
            return
        self._executed(value, error)

    def _work(self, session: Session, command: Command, work: Work) -> None:
        """What a command wants done first, on the model's thread; then its end on the log's."""
        if self.jobs.under_way(work.words, session.build.id):
            self.replied.emit(f"{work.words} already.", True)
            return

        def log(result: Any) -> tuple[Reply, Snapshot]:
            reply = finish(session, command, work, result)
            return reply, session.snapshot().made_ready()

        def done(result: Any, error: NuvloError | None) -> None:
            if error is not None:
                self._executed(None, error)
            else:
                self.jobs.start(LOG, lambda: log(result), self._executed, build=session.build.id)

        self.jobs.start(MODEL, work.job, done, work.words, session.build.id)

    def _executed(self, value: tuple[Reply, Snapshot] | None, error: NuvloError | None) -> None:
        if error is not None or value is None:
            self.replied.emit(str(error), False)
            if isinstance(error, Overtaken):
                self.look_again()
            self.refresh()
            return
        reply, self.shown = value
        self.replied.emit(reply.words, True)
        if reply.shows:
            self.shows.emit(reply.shows)
        self.refresh()

    def work(self, words: str, job: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Do ``job`` off this thread, saying ``words`` meanwhile; then give its answer to ``then`` on it, while the same
        build is shown."""
        self.jobs.start(MODEL, job, then_or_say(then, self.replied.emit), words, self.jobs.build)

    def stop(self) -> None:
        """Stop what is said to be worked out."""
        self.jobs.stop()

    # -- solving ------------------------------------------------------------------------------------------------

    def look_again(self) -> None:
        """Time has passed: what waited for it may go on."""
        session = self.session
        if session is None:
            return

        def anew() -> Snapshot:
            session.forget()
            return session.snapshot().made_ready()

        self.jobs.start(LOG, anew, self._looked, build=session.build.id)

    def _looked(self, shown: Snapshot | None, error: NuvloError | None) -> None:
        if shown is not None:
            self.shown = shown
        self.refresh()

    def refresh(self) -> None:
        """Show the present state, and ask the model for what the stage in hand lacks."""
        self.changed.emit()
        session, shown = self.session, self.shown
        self._ahead.stop()
        if session is None or shown is None:
            return
        question = shown.wanted(shown.stage) or shown.wants_suspects()
        if question is None and shown.stage in (Stage.HOOK_UP, *HUNTED):
            self._ahead.start(AHEAD_MS)
        if question is None or question in (self._asked, self._given_up):
            return
        self._give_way()
        self._asked = question
        stage = shown.stage
        accused = question.stopped is not None
        self.jobs.start(MODEL, lambda: answers.solve(*(session.accusing() if accused else session.asking(stage))),
                        lambda answer, error: self._solved(session, question, answer, error),
                        "Looking for the mistake" if accused else "Working out what to expect", session.build.id)  # fmt: skip

    def _get_ready(self) -> None:
        """Nothing is asked, and a unit may be stopped at any reading: work out what each mistake would read."""
        session = self.session
        if session is None or self._getting_ready is not None or session is self._left_be or not session.wants_table():
            return

        def done(_: object, error: NuvloError | None) -> None:
            if isinstance(error, Stopped) and job is self._getting_ready:  # by the builder, who wants none of it
                self._left_be = session
            if job is self._getting_ready:
                self._getting_ready = None

        job = self._getting_ready = self.jobs.start(MODEL, session.make_table, done, "Getting ready for what may be wrong")

    def _give_way(self) -> None:
        """What is asked comes before what may be asked."""
        self._ahead.stop()
        if self._getting_ready is not None:
            self._getting_ready.progress.stop()
            self._getting_ready = None

    def _solved(self, session: Session, question: object, answer: Any, error: NuvloError | None) -> None:
        self._asked = None
        if error is not None:
            self.replied.emit(str(error), False)
            self._given_up = question if isinstance(error, Stopped) else None
            self.refresh()
            return

        def adopt() -> Snapshot:
            session.adopt(answer)
            return session.snapshot().made_ready()

        def adopted(shown: Snapshot | None, error: NuvloError | None) -> None:
            if error is not None:  # it cannot be kept, on a full disk say: it is said, and not solved again until something changes
                self.replied.emit(f"What was worked out cannot be kept: {error}", False)
                self._given_up = question
            self._looked(shown, error)

        self.jobs.start(LOG, adopt, adopted, build=session.build.id)


def _caught_up(session: Session) -> Snapshot | None:
    return session.snapshot().made_ready() if session.catch_up() else None


def _made_ready(opened: Opened) -> tuple[Opened, Snapshot | None]:
    return opened, opened.session.snapshot().made_ready() if opened.session else None


def _load_ahead() -> None:
    """Bring in, while the builder reads the first step, what later pictures need."""
    import_module("nuvlo.desktop.curve")
