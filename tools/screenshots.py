"""Make docs/screenshots from the demo data: one picture of each main view. Usage: screenshots.py FOLDER [name …]"""

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from nuvlo import clock
from nuvlo.desktop import theme
from nuvlo.desktop.controller import Opened
from nuvlo.desktop.main_window import SIZE, Window
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.workshop.demo import NAME, SHIPPED, demo_workshop
from nuvlo.workshop.session import Session

LONGEST_WAIT = 60.0


class Studio:
    """A window on a fresh demo workshop, moved along and photographed."""

    def __init__(self, out: Path, wanted: list[str]) -> None:
        self.out, self.wanted = out, wanted
        self.app = QApplication.instance() or QApplication([])
        theme.load_fonts()
        folder = Path(tempfile.mkdtemp()) / NAME
        self.window = Window()
        self.window.resize(*SIZE)
        self.window.show()
        self.window.controller.open(lambda: Opened(demo_workshop(folder)))
        self.wait()

    @property
    def session(self) -> Session:
        session = self.window.controller.session
        assert session is not None
        return session

    def begin(self, kit: str, bench: str) -> None:
        """Begin a build and take it in hand."""
        self.window.controller.take_in_hand(lambda workshop: workshop.start(read_kit(SHIPPED / kit), bench=bench))
        self.wait()

    def wait(self) -> None:
        """Until nothing is being logged or solved."""
        end = time.monotonic() + LONGEST_WAIT
        quiet = 0
        while quiet < 30 and time.monotonic() < end:
            self.app.processEvents()
            quiet = quiet + 1 if self.window.controller.idle else 0
            time.sleep(0.005)

    def type(self, line: str) -> None:
        self.window.enter(line)
        self.wait()

    def step(self) -> None:
        now, going = self.session.now(), clock.ahead()
        if now and now.waits and now.task.held and going:  # nobody waits for a board to dry
            going.wait_until(now.task.held.until)
            self.session.forget()
        self.type("confirm" if now and now.task.hazard else "next")

    def until(self, stage: Stage, title: str = "") -> None:
        """Go on until ``stage`` asks for a task whose title begins with ``title``."""
        for _ in range(400):
            now = self.session.now()
            if self.session.stage is stage and now and not now.task.hazard and now.task.title.startswith(title):
                return
            self.step()
        raise SystemExit(f"never came to {stage} {title}")

    def shoot(self, name: str) -> None:
        if self.wanted and name not in self.wanted:
            return
        self.wait()
        self.out.mkdir(parents=True, exist_ok=True)
        self.window.grab().save(str(self.out / f"{name}.png"))


def main() -> None:
    studio = Studio(Path(sys.argv[1]), sys.argv[2:])
    studio.shoot("shelf")
    studio.type("gorsefire 002")
    studio.shoot("stopped")
    studio.begin("gorsefire", "simulated:21")
    studio.until(Stage.UNPACK, "Measure R3")
    studio.window.bench_line.entry.setText("r3 39.1k")
    studio.shoot("unpack")
    studio.window.bench_line.entry.clear()
    studio.type("recipe pad db=20 source=600 load=2k4")
    studio.shoot("recipe")
    studio.type("compare twelve")
    studio.shoot("compare")
    studio.type("both")
    studio.shoot("both-sides")
    studio.type("import lampwick.csv")
    studio.shoot("parts-list")
    studio.window.close_tool()
    studio.until(Stage.CHOOSE, "Choose R6")
    studio.shoot("choose-values")
    studio.until(Stage.SEQUENCE)
    studio.type("calendar")
    studio.shoot("calendar")
    studio.window.close_tool()
    while studio.session.stage is not Stage.FIT:
        studio.step()
    studio.shoot("caution")
    studio.until(Stage.FIT, "Fit Q1")
    studio.shoot("fit")
    studio.until(Stage.FIT, "Solder the trans")
    studio.shoot("fit-solder-side")
    studio.until(Stage.HOOK_UP, "Wire 7")
    studio.shoot("hook-up")
    studio.until(Stage.HOOK_UP, "Ring out VOLUME.3")
    studio.shoot("ring-out")
    studio.until(Stage.WAKE, "Measure TP4")
    studio.shoot("wake")
    studio.until(Stage.SET, "Turn")
    studio.shoot("set")
    studio.type("lamp")
    studio.type("large")
    studio.shoot("large")
    studio.type("large")
    studio.type("daylight")
    studio.until(Stage.PROVE)
    studio.step()
    studio.type("stage prove")
    studio.shoot("prove")
    while studio.session.now() is not None or studio.session.stage is not Stage.HAND_OVER:
        studio.type("stage hand over") if studio.session.stage is Stage.PROVE else studio.step()
    studio.shoot("hand-over")
    studio.window.close()


if __name__ == "__main__":
    with clock.running():
        main()
