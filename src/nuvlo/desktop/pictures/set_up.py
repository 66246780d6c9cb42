"""Set: what the watched point reads over the trimmer's travel, the aim, and the readings so far."""

from __future__ import annotations

import numpy as np

from nuvlo.desktop.curve import Line
from nuvlo.desktop.curve import Picture as Plot
from nuvlo.desktop.pictures.frames import CurveFrame
from nuvlo.kit import Stage


class Picture(CurveFrame):
    """The trimmer's curve."""

    def show_session(self, session, now, side: str) -> None:
        solved = session.solved(Stage.SET)
        trims = session.kit.info.trim
        if solved is None or solved.trim_curve is None or not trims:
            self.curve.heading.setText(
                solved.problem if solved and solved.problem else
                "Working out the trimmer's curve" if trims else "This kit has nothing to set."
            )  # fmt: skip
            return
        trim, curve, advice = trims[0], solved.trim_curve, solved.advice
        travel = session.kit.control(trim.trimmer).travel_deg
        degrees = curve.position * travel
        rising = curve.nominal[-1] > curve.nominal[0]
        order = slice(None) if rising else slice(None, None, -1)
        readings = [
            r.measured.value for r in session.build.readings if r.point == trim.watch and r.stage == Stage.SET.value
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
