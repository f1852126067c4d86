"""The log of the server and of its processes: one JSON object a line."""

from __future__ import annotations

import json
import logging
import os
import time

from plodek.core.errors import BadValue

_LEVELS = ("debug", "info", "warning", "error")


class _Lines(logging.Formatter):
    """One JSON object a line; contents of files and recipes are never in it."""

    def format(self, record: logging.LogRecord) -> str:
        told: dict[str, object] = {
            "time": time.strftime("%Y-%m-%dT%H:%M:%S%z", time.localtime(record.created)),
            "level": record.levelname.lower(),
            "from": record.name,
            "said": record.getMessage(),
        }
        told |= getattr(record, "request", {})
        if record.exc_info:
            told["trace"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False)


def start_log() -> None:
    """Log as JSON lines from the level that PLODEK_LOG sets. Raises BadValue for one that is none."""
    level = os.environ.get("PLODEK_LOG", "warning").strip().lower()
    if level not in _LEVELS:
        raise BadValue(f"PLODEK_LOG is “{level[:40]}”", remedy=f"set it to {', '.join(_LEVELS)}")
    handler = logging.StreamHandler()
    handler.setFormatter(_Lines())
    logging.basicConfig(level=logging.WARNING, handlers=[handler], force=True)
    logging.getLogger("plodek").setLevel(level.upper())
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
