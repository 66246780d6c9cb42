"""What is fixed to a board, painted once and kept: touched up where parts changed, laid elsewhere while a hand moves it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from time import perf_counter

from PyQt6.QtCore import QRect, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QPainter, QPixmap, QRegion

from nuvlo.desktop import theme
from nuvlo.desktop.board.marking import Map, Marking
from nuvlo.desktop.board.painter import BoardPainter
from nuvlo.desktop.board.view import View
from nuvlo.kit import Kit

ROOM_MM = 6.0  # round the pads of a part, for its body and print
SLICE_MS = 12.0  # that a painting may hold the interface at a time


@dataclass(frozen=True, eq=False)
class _Key:
    """What a painting shows. Kits are compared by which they are: comparing what is in them takes longer than painting."""

    kit: Kit
    plain: Marking
    size: QSize
    underlay: bool
    theme: str

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, _Key):
            return NotImplemented
        mine, theirs = ((k.plain, k.size, k.underlay, k.theme) for k in (self, other))
        return self.kit is other.kit and mine == theirs


@dataclass
class _Painting:
    """A painting of ``key`` as ``view`` shows it, and what is still ``left`` of it; ``lit`` and ``done`` are those in it."""

    key: _Key
    view: View
    there: Map
    kept: QPixmap
    lit: frozenset[str]
    done: frozenset[str]
    painter: BoardPainter | None = None
    left: Iterator[None] = field(default_factory=lambda: iter(()))

    @cached_property
    def rooms(self) -> dict[str, QRect]:
        """Pixels that each part may cover, its print and its leads too."""
        there = self.there
        place, around = there.placing(), there.scale() * ROOM_MM + 12.0
        out = {}
        for ref, pads in there.board.pads_by_ref.items():
            mine = [place(q.x_mm, q.y_mm) for q in pads]
            xs, ys = [q.x() for q in mine], [q.y() for q in mine]
            wide, high = max(xs) - min(xs) + 2 * around, max(ys) - min(ys) + 2 * around
            out[ref] = QRectF(min(xs) - around, min(ys) - around, wide, high).toAlignedRect()
        return out


class KeptPainting:
    """The paintings of one map, ``there``."""

    def __init__(self, there: Map) -> None:
        self.there = there
        self._whole: _Painting | None = None
        self._under_way: _Painting | None = None  # of a board too large to be painted at once

    @property
    def whole(self) -> bool:
        """Whether nothing is still to be painted."""
        return self._under_way is None

    def forget(self) -> None:
        """Paint everything anew when next asked."""
        self._whole = self._under_way = None

    def paint(self, p: QPainter, *, moving: bool) -> None:
        """Paint the board on ``p``; while it is ``moving`` under the hand, what there is of it laid where it now belongs."""
        there = self.there
        assert there.kit is not None
        plain = replace(there.marking, lit=frozenset(), done=frozenset(), readings={}, accused={}, probes=())
        key = _Key(there.kit, plain, there.size(), there.underlay_shown(), theme.current().name)
        if self._whole is not None and self._whole.key == key:
            self._touch_up(self._whole)
            if moving or self._whole.view == there.view:
                self._lay(p, self._whole)
                return
        if self._under_way is None or (self._under_way.key, self._under_way.view) != (key, there.view):
            self._under_way = self._begun(key)
        now = self._under_way
        if self._go_on(now):
            self._whole, self._under_way = now, None
            self._touch_up(now)
        else:
            QTimer.singleShot(0, there.update)
            if self._whole is None or self._whole.key != key:
                p.drawPixmap(0, 0, now.kept)
                return
        self._lay(p, self._whole)

    def _lay(self, p: QPainter, painting: _Painting) -> None:
        """What was painted, where it now belongs."""
        p.save()
        if painting.view != self.there.view:
            centre = self.there.centre()
            p.setTransform(painting.view.transform(centre).inverted()[0] * self.there.view.transform(centre))
        p.drawPixmap(0, 0, painting.kept)
        p.restore()

    def _begun(self, key: _Key) -> _Painting:
        there = self.there
        kept = QPixmap(there.size() * there.devicePixelRatio())
        kept.setDevicePixelRatio(there.devicePixelRatio())
        kept.fill(Qt.GlobalColor.transparent)
        inner = QPainter(kept)
        there.paint_underlay(inner)
        inner.end()
        painter = BoardPainter(inner, there)
        return _Painting(key, there.view, there, kept, there.marking.lit, there.marking.done, painter, painter.slices())

    def _go_on(self, now: _Painting) -> bool:
        """Go on with a painting for a while; whether it is done."""
        assert now.painter is not None
        end = perf_counter() + SLICE_MS / 1000.0
        inner = now.painter.p = QPainter(now.kept)
        inner.setRenderHint(QPainter.RenderHint.Antialiasing)
        done = True
        for _ in now.left:
            if perf_counter() > end:
                done = False
                break
        inner.end()
        return done

    def _touch_up(self, painting: _Painting) -> None:
        """Paint anew, in what is kept, only the parts that were lit, or are, or went in since."""
        there = self.there
        changed = (painting.lit ^ there.marking.lit) | (painting.done ^ there.marking.done)
        if not changed or painting.view != there.view:
            return
        painting.lit, painting.done = there.marking.lit, there.marking.done
        rooms, region = painting.rooms, QRegion()
        for ref in changed & rooms.keys():
            region = region.united(rooms[ref])
        inner = QPainter(painting.kept)
        inner.setRenderHint(QPainter.RenderHint.Antialiasing)
        inner.setClipRegion(region)
        inner.setCompositionMode(QPainter.CompositionMode.CompositionMode_Clear)
        inner.fillRect(there.rect(), Qt.GlobalColor.transparent)
        inner.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        there.paint_underlay(inner)
        BoardPainter(inner, there).paint({ref for ref, room in rooms.items() if region.intersects(room)})
        inner.end()
