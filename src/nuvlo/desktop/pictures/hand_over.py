"""Hand over: the page itself once it is written, and before that what it will say."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QThreadPool
from PyQt6.QtGui import QImage, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nuvlo.desktop import jobs
from nuvlo.desktop.lanes import label


class Picture(QWidget):
    """The sheet."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 4, 8, 4)
        self.words = label("", 12)
        self.page = QLabel()
        self.page.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.page.setMinimumSize(200, 200)
        self.column.addWidget(self.words)
        self.column.addWidget(self.page, 1)
        self._image: QImage | None = None
        self._pool = QThreadPool(self)
        self._of: tuple[str, float] | None = None

    def show_session(self, session, now, side: str) -> None:
        path = session.sheet_path
        if session.build.exports and path.exists():
            self.words.setText(f"{path.name} and {path.stem}.csv are in {path.parts[-3]}/{path.parts[-2]}")
            self.words.setToolTip(str(path.parent))
            mark = (str(path), path.stat().st_mtime)
            if mark != self._of:
                self._of = mark
                jobs.start(self, self._pool, lambda: _first_page(path), self._rendered)
            self._scale()
            return
        self._image = None
        self.page.clear()
        sheet = session.sheet()
        self.words.setText(f"This unit is {sheet.overall}: {len(sheet.rows)} readings will be on the sheet.")

    def _rendered(self, image, error) -> None:
        self._image = image
        self._scale()

    def resizeEvent(self, event: QResizeEvent) -> None:
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
