"""Set: what the watched point reads over the trimmer's travel, the aim, and the readings so far."""

from __future__ import annotations

import numpy as np

from nuvlo.desktop.curve import Line
from nuvlo.desktop.curve import Picture as Plot
from nuvlo.desktop.pictures.frames import CurveFrame
from nuvlo.kit import Stage
from nuvlo.stages.set_up import Trims, trim_in_hand
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot


class Picture(CurveFrame):
    """The trimmer's curve."""

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        solved, trims = shown.answer(Stage.SET, Trims), shown.solved(Stage.SET)
        trim = trim_in_hand(shown.kit, now.task if now else None)
        if solved is None or trim is None or trim.id not in solved.curves:
            self.curve.heading.setText(
                trims.problem if trims and trims.problem else
                "Working out the trimmer's curve" if trim else "This kit has nothing to set."
            )  # fmt: skip
            return
        curve, advice = solved.curves[trim.id], solved.advice.get(trim.id)
        travel = shown.kit.control(trim.trimmer).travel_deg
        degrees = curve.position * travel
        rising = curve.nominal[-1] > curve.nominal[0]
        order = slice(None) if rising else slice(None, None, -1)
        readings = [
            r.measured.value for r in shown.build.readings if r.of.place == trim.watch and r.stage == Stage.SET.value
        ]
        points = [(float(np.interp(v, curve.nominal[order], degrees[order])), v) for v in readings]
        window = advice.window if advice and np.isfinite(advice.target) else None
        words = []
        if advice:
            words = [
                w
                for w in (
                    advice.settling,
                    "" if advice.reachable else "The aim lies outside what this trimmer reaches.",
                )
                if w
            ]
        picture = Plot(
            f"{trim.watch} over the travel of {trim.trimmer}, 0° is fully anticlockwise. Green: where to stop.",
            f"{trim.trimmer}, degrees", f"{trim.watch}, V", [Line(degrees, curve.nominal, "this unit, expected")],
            (degrees, curve.low, curve.high), points, (window.low, window.high) if window else None, log=False, unit="V",
            words=words,
        )  # fmt: skip
        self.curve.show_picture(picture)
