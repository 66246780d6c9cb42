"""A curve is drawn anew when what it shows has changed, and only then."""

import numpy as np

from nuvlo.desktop.curve import CurveView, Line, Picture

F = np.geomspace(20, 20e3, 50)


def picture(edge: float) -> Picture:
    flat = np.zeros(F.size)
    return Picture(
        "t", "frequency", "gain, dB", [Line(F, flat, "measured", True)], (F, flat - edge, flat + edge), words=["w"]
    )


def test_a_changed_band_is_drawn_anew(qtbot, monkeypatch):
    view = CurveView()
    qtbot.addWidget(view)
    view.resize(500, 300)
    view.show()
    drawn = []
    draw = view._draw
    monkeypatch.setattr(view, "_draw", lambda: (drawn.append(1), draw())[1])
    for edge, times in ((1.0, 1), (1.0, 1), (2.0, 2), (2.0, 2), (1.0, 3)):
        view.show_picture(picture(edge))
        qtbot.waitUntil(lambda wanted=times: len(drawn) >= wanted)  # it is drawn in turns of the event loop
        qtbot.wait(20)
        assert len(drawn) == times, "the same lines with another band are another picture"
