"""The log: one JSON object a line on stderr, for whatever collects logs."""

from __future__ import annotations

import logging
import os
import sys

import structlog

LEVEL = "SARVEX_LOG"
"""Environment variable: INFO has a line for each request, WARNING only what wants looking at."""


def _without_colour(_: object, __: str, line: structlog.typing.EventDict) -> structlog.typing.EventDict:
    """uvicorn tells some things twice, the second time for terminals."""
    line.pop("color_message", None)
    return line


def configure() -> None:
    """Write what `logging` is told as JSON lines. Raises `ValueError` for a level that is none."""
    shared: list[structlog.typing.Processor] = [
        structlog.stdlib.add_log_level,
        structlog.stdlib.add_logger_name,
        structlog.stdlib.ExtraAdder(),
        structlog.processors.TimeStamper(fmt="iso", utc=True, key="at"),
        structlog.processors.format_exc_info,
    ]
    line = structlog.stdlib.ProcessorFormatter(
        foreign_pre_chain=shared,
        processors=[
            structlog.stdlib.ProcessorFormatter.remove_processors_meta,
            _without_colour,
            structlog.processors.EventRenamer("said"),
            structlog.processors.JSONRenderer(ensure_ascii=False),
        ],
    )
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(line)
    logging.basicConfig(level=os.environ.get(LEVEL, "INFO").upper(), handlers=[handler], force=True)
    for library in ("alembic", "httpx", "httpx2", "httpcore", "numba"):
        logging.getLogger(library).setLevel(logging.WARNING)
