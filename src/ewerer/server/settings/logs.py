"""How log lines are written: each one line of JSON, in ``logs/ewerer.log`` beside the data, five files of 5 MB in turn."""

from __future__ import annotations

from io import TextIOWrapper
from logging.handlers import RotatingFileHandler
from pathlib import Path

import structlog

STAMPS: list[structlog.typing.Processor] = [
    structlog.processors.TimeStamper(fmt="iso", utc=True, key="at"),
    structlog.stdlib.add_log_level,
    structlog.processors.format_exc_info,
    structlog.processors.EventRenamer("what"),
]
structlog.configure(
    processors=[*STAMPS, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
    logger_factory=structlog.stdlib.LoggerFactory(),
    wrapper_class=structlog.stdlib.BoundLogger,
    cache_logger_on_first_use=True,
)


def lines() -> structlog.stdlib.ProcessorFormatter:
    """Return what writes a record as one line of JSON, Django's own records too."""
    return structlog.stdlib.ProcessorFormatter(
        processors=[
            structlog.stdlib.ProcessorFormatter.remove_processors_meta,
            structlog.processors.JSONRenderer(ensure_ascii=False),
        ],
        foreign_pre_chain=STAMPS,
    )


class Kept(RotatingFileHandler):
    """A log file whose folder is made on first use, for its owner only."""

    def _open(self) -> TextIOWrapper:
        Path(self.baseFilename).parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        return super()._open()
