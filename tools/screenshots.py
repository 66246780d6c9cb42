"""Make docs/screenshots from the demo data: one picture of each main view. Usage: screenshots.py FOLDER [name …]"""

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from nuvlo.desktop import theme
from nuvlo.desktop.main_window import Window
from nuvlo.kit import Stage
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.demo import demo_workshop

LONGEST_WAIT = 60.0


class Studio:
    """A window on a fresh demo workshop, moved along and photographed."""

    def __init__(self, out: Path, wanted: list[str], wrong: dict[str, str | float] | None = None) -> None:
        self.out, self.wanted = out, wanted
        self.app = QApplication.instance() or QApplication([])
        theme.load_fonts()
        folder = Path(tempfile.mkdtemp()) / "Saltmarsh Sound Shed"
        self.window = Window(folder)
        self.window.show()

        def opener():
            workshop = demo_workshop(folder)
            workshop.wrong = wrong
            return workshop.open(workshop.builds()[-1].id)

        self.window.controller.open(opener)
        self.wait()
        self.session = self.window.controller.session

    def wait(self) -> None:
        """Until nothing is being logged or solved."""
        end = time.monotonic() + LONGEST_WAIT
        quiet = 0
        while quiet < 30 and time.monotonic() < end:
            self.app.processEvents()
            quiet = quiet + 1 if self.window.controller.idle else 0
            time.sleep(0.005)

    def do(self, verb: str, target: str = "", text: str = "", degrees: float = 0.0) -> None:
        self.window.run(Command(verb, "", target, text, degrees=degrees))
        self.wait()

    def step(self) -> None:
        now = self.session.now()
        self.do("confirm" if now and now.task.hazard else "next")

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
    studio.until(Stage.UNPACK, "Measure R3")
    studio.window.bench_line.entry.setText("r3 39.1k")
    studio.shoot("unpack")
    studio.window.bench_line.entry.clear()
    studio.do("recipe", text="pad db=20 source=600 load=2k4")
    studio.shoot("recipe")
    studio.do("compare", text="twelve")
    studio.shoot("compare")
    studio.do("both")
    studio.shoot("both-sides")
    studio.do("import", text="lampwick.csv")
    studio.shoot("parts-list")
    studio.window.close_tool()
    studio.until(Stage.CHOOSE)
    studio.until(Stage.CHOOSE, "Choose R6")
    studio.shoot("choose-values")
    studio.until(Stage.SEQUENCE)
    studio.shoot("sequence")
    studio.do("calendar")
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
    studio.do("lamp")
    studio.do("large")
    studio.shoot("large")
    studio.do("large")
    studio.do("daylight")
    studio.until(Stage.PROVE)
    studio.step()
    studio.do("stage", "prove")
    studio.shoot("prove")
    while studio.session.now() is not None or studio.session.stage is not Stage.HAND_OVER:
        studio.do("stage", "hand_over") if studio.session.stage is Stage.PROVE else studio.step()
    studio.shoot("hand-over")
    studio.window.close()
    stopped = Studio(Path(sys.argv[1]), sys.argv[2:], {"q1.bf": 12.0})
    stopped.until(Stage.WAKE, "Power on")
    stopped.step()
    stopped.shoot("stopped")
    stopped.window.close()


if __name__ == "__main__":
    main()
