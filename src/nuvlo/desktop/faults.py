"""What happens when something goes wrong inside Nuvlo: it is written down, the window says so and goes on."""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

LARGEST, KEPT = 500_000, 3  # bytes of a log, and how many are kept


def log_path() -> Path:
    """Where faults are written down."""
    from platformdirs import user_state_path

    return user_state_path("nuvlo", appauthor=False) / "nuvlo.log"


def watch(tell: Callable[[BaseException], None]) -> None:
    """Write every fault of any thread into the log, and ``tell`` it. A folder that takes no log does not keep Nuvlo from starting."""
    log = logging.getLogger("nuvlo")
    path = log_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(
            path, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8", delay=True
        )
    except OSError:
        handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)

    def seen(kind: type[BaseException], fault: BaseException | None, trace: TracebackType | None) -> None:
        if fault is None or issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, fault or kind(), trace)
            return
        log.error("a fault of ours", exc_info=(kind, fault, trace))
        tell(fault)

    sys.excepthook = seen
    threading.excepthook = lambda hooked: seen(hooked.exc_type, hooked.exc_value, hooked.exc_traceback)
