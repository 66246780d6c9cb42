"""Prove: where a tone goes in and is read; the measured response over the band of good units."""

from __future__ import annotations

import numpy as np

from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.curve import Line
from nuvlo.desktop.curve import Picture as Plot
from nuvlo.desktop.pictures.frames import CurveFrame, on_board
from nuvlo.kit import Stage
from nuvlo.quantity import format_value
from nuvlo.stages.prove import Proved
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot


class Picture(CurveFrame):
    """The board while a tone is in hand; else the band, earlier sweeps thin, the newest strong."""

    def __init__(self) -> None:
        super().__init__()
        self.map = self.board = BoardMap()
        self.column.addWidget(self.map)

    def forget(self) -> None:
        self.map.forget()

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        toned = (now is not None and now.task.quantity == "tone") or shown.kit.info.prove is None
        self.map.setVisible(toned)
        self.curve.setVisible(not toned)
        if toned:
            self._show_board(shown, now, side)
        else:
            self._show_curve(shown)

    def _show_board(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        lit = frozenset(now.task.parts) if now else frozenset()
        self.map.show_board(shown.kit, Marking(lit, on_board(shown.kit), side or "top"))

    def _show_curve(self, shown: Snapshot) -> None:
        solved, told = shown.answer(Stage.PROVE, Proved), shown.solved(Stage.PROVE)
        if solved is None or solved.band is None:
            why = told.problem if told and told.problem else "Working out the band of good units"
            self.curve.heading.setText(why)
            return
        band = solved.band
        curves = shown.build.curves
        lines = [
            Line(
                np.array(c.frequency),
                np.array(c.magnitude_db),
                "measured" if c is curves[-1] else "earlier",
                c is curves[-1],
            )
            for c in curves
        ] or [Line(band.frequency, band.nominal, "expected", False)]
        words = [solved.proof.words] if solved.proof else []
        if curves:
            words.append(
                f"Driven at {format_value(curves[-1].level, 'V', 2)} peak, so that every stage stays below 1 % distortion."
            )
        picture = Plot("Jack to jack. Band: where good units lie.", "frequency", "gain, dB", lines,
                       (band.frequency, band.low, band.high), words=words)  # fmt: skip
        self.curve.show_picture(picture)
