"""What takes seconds to load and few pages need, loaded beside the first requests instead of within one of them."""

from __future__ import annotations

import logging
from importlib import import_module
from threading import Thread

SLOW_TO_LOAD = ("weasyprint", "ezdxf")
"""Job cards and cut plans: 3 s and 2 s on this project's test machine."""

log = logging.getLogger("wryfalcon.warming")


def warm_up() -> Thread:
    """Load them in a thread of its own; a request that needs one meanwhile waits for it. Returns the thread."""
    thread = Thread(target=_load, name="warming", daemon=True)
    thread.start()
    return thread


def _load() -> None:
    for name in SLOW_TO_LOAD:
        try:
            import_module(name)
        except Exception:  # the page that needs it will say so, to whoever asks for it
            log.exception("%s could not be loaded ahead", name)
