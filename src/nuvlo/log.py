"""Where failures are written down: ``nuvlo.log`` in the user's state folder, opened when there is something to write."""

from __future__ import annotations

import logging
import sys
from pathlib import Path

LARGEST, KEPT = 500_000, 3  # bytes of a log, and how many are kept


def log_path() -> Path:
    """Where faults are written down."""
    from platformdirs import user_state_path

    return user_state_path("nuvlo", appauthor=False) / "nuvlo.log"


class _WhenNeeded(logging.Handler):
    """Writes into the log; where its folder takes none, on standard error."""

    kept: logging.Handler | None = None

    def emit(self, record: logging.LogRecord) -> None:
        if self.kept is None:
            self.kept = _opened()
            self.kept.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
        self.kept.emit(record)

    def flush(self) -> None:
        if self.kept is not None:
            self.kept.flush()


def _opened() -> logging.Handler:
    from logging.handlers import RotatingFileHandler

    path = log_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        return RotatingFileHandler(path, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8")
    except OSError:
        return logging.StreamHandler(sys.stderr)


def keep_log() -> None:
    """Write what goes wrong into the log from here on."""
    log = logging.getLogger("nuvlo")
    if not any(isinstance(handler, _WhenNeeded) for handler in log.handlers):
        log.addHandler(_WhenNeeded())
