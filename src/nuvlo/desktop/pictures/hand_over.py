"""Hand over: the page itself once it is written, and before that what it will say."""

from __future__ import annotations

from html import escape
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QLabel, QVBoxLayout

from nuvlo.desktop.jobs import PAPER
from nuvlo.desktop.labels import label
from nuvlo.desktop.pictures.frames import StagePicture
from nuvlo.problems import NuvloError
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot


class Picture(StagePicture):
    """The sheet."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 4, 8, 4)
        self.words = label("", 12)
        self.page = QLabel()
        self.page.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.page.setMinimumSize(80, 80)
        self.column.addWidget(self.words)
        self.column.addWidget(self.page, 1)
        self._image: QImage | None = None
        self._of: tuple[str, float] | None = None

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        path = shown.sheet_path
        if shown.build.exports and path.exists():
            self.words.setText(f"{path.name} and {path.stem}.csv are in {path.parts[-3]}/{path.parts[-2]}")
            self.words.setToolTip(escape(str(path.parent)))
            mark = (str(path), path.stat().st_mtime)
            if mark != self._of:
                self._of = mark
                if self.worker is not None:
                    self.worker.start(PAPER, lambda: _first_page(path), self._rendered, build=shown.build.id)
            self._scale()
            return
        self._image = None
        self.page.clear()
        sheet = shown.sheet()
        self.words.setText(
            f"This unit is {sheet.overall}.\n{sheet.told}\n{len(sheet.rows)} readings will be on the sheet."
        )

    def _rendered(self, image: QImage | None, error: NuvloError | None) -> None:
        if error is None and not sip.isdeleted(self):  # another light makes a picture of its own
            self._image = image
        self._scale()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._scale()

    def _scale(self) -> None:
        if self._image is not None and not self._image.isNull():
            pixels = QPixmap.fromImage(self._image)
            size = self.page.size() * self.page.devicePixelRatioF()
            shown = pixels.scaled(size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            shown.setDevicePixelRatio(self.page.devicePixelRatioF())
            self.page.setPixmap(shown)


def _first_page(path: Path) -> QImage | None:
    from PyQt6.QtPdf import QPdfDocument

    document = QPdfDocument(None)
    document.load(str(path))
    if document.pageCount() < 1:
        return None
    size = document.pagePointSize(0)
    image = document.render(0, QSize(int(size.width() * 2), int(size.height() * 2)))
    paper = QImage(image.size(), QImage.Format.Format_RGB32)
    paper.fill(Qt.GlobalColor.white)
    from PyQt6.QtGui import QPainter

    painter = QPainter(paper)
    painter.drawImage(0, 0, image)
    painter.end()
    return paper
