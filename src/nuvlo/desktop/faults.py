"""What happens when something goes wrong inside Nuvlo: it is written down, the window says so and goes on."""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Callable
from types import TracebackType

from nuvlo.log import keep_log


def watch(tell: Callable[[BaseException], None]) -> None:
    """Write every fault of any thread into the log, and ``tell`` it. A folder that takes no log does not keep Nuvlo from starting."""
    log = logging.getLogger("nuvlo")
    keep_log()

    def seen(kind: type[BaseException], fault: BaseException | None, trace: TracebackType | None) -> None:
        if fault is None or issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, fault or kind(), trace)
            return
        log.error("a fault of ours", exc_info=(kind, fault, trace))
        tell(fault)

    sys.excepthook = seen
    threading.excepthook = lambda hooked: seen(hooked.exc_type, hooked.exc_value, hooked.exc_traceback)
