"""Structured logs: one JSON object a line, with job and shot ids where there are any."""

import logging
import sys

import structlog


def configure_logs() -> None:
    """Send structured lines to standard output."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.PrintLoggerFactory(sys.stdout),
    )
    logging.basicConfig(level=logging.WARNING, stream=sys.stdout, format='{"level": "%(levelname)s", "event": "%(name)s: %(message)s"}')
