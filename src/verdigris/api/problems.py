"""Errors as answers: RFC 9457 problem details, one table from codes to HTTP statuses."""

import errno
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse

from verdigris.problem import Problem

log = structlog.get_logger()

STATUS = {
    "not_found": 404, "no_such_frame": 404, "unsupported": 415, "damaged": 422, "too_large": 413, "sequence_gap": 422,
    "sequence_mixed": 422, "rate_needed": 422, "cannot_write": 422, "not_a_shot": 422, "newer_version": 422,
    "unknown_id": 404, "taken_id": 409, "corners_refused": 422, "shape_refused": 422, "frame_outside": 422,
    "cannot_follow": 422, "not_tracked": 409, "nothing_placed": 409, "no_corners": 409, "stale": 409,
    "nothing_to_undo": 409, "busy": 409, "not_ready": 409, "no_database": 503, "bad_format": 422, "no_evidence": 409,
    "cannot_hold": 422, "disk_full": 507, "superseded": 409, "wrong_size": 422, "bad_key": 422, "slot_empty": 422, "order_in_order": 422,
}  # fmt: skip


def problem(status: int, code: str, sentence: str, facts: dict[str, Any] | None = None) -> JSONResponse:
    """A problem document."""
    body = {"type": f"urn:verdigris:{code}", "title": sentence, "status": status, "code": code, "facts": facts or {}}
    return JSONResponse(body, status, media_type="application/problem+json")


def install_problem_handlers(app: FastAPI) -> None:
    """Answer every error of the lower layers with its sentence."""

    async def known(request: Request, error: Exception) -> JSONResponse:
        assert isinstance(error, Problem)
        return problem(STATUS[error.code], error.code, error.sentence, _plain(error.facts))

    async def invalid(request: Request, error: Exception) -> JSONResponse:
        assert isinstance(error, RequestValidationError)
        fault = error.errors()[0]
        place = ".".join(str(p) for p in fault["loc"] if p not in ("body", "query", "path"))
        return problem(422, "invalid_request", f"{place or 'request'}: {fault['msg'].removeprefix('Value error, ')}")

    async def no_room(request: Request, error: Exception) -> JSONResponse:
        assert isinstance(error, OSError)
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return problem(
                507, "disk_full", "The disk is full. Make room, then do it again; nothing of it was kept, and nothing else was lost."
            )
        return await unexpected(request, error)

    async def unexpected(request: Request, error: Exception) -> JSONResponse:
        log.exception("request failed", path=request.url.path, exc_info=error)
        return problem(500, "unexpected", "Something unexpected went wrong. Nothing was changed; the log has the details.")

    app.add_exception_handler(Problem, known)
    app.add_exception_handler(RequestValidationError, invalid)
    app.add_exception_handler(OSError, no_room)
    app.add_exception_handler(Exception, unexpected)


def _plain(facts: dict[str, Any]) -> dict[str, Any]:
    return {k: v if isinstance(v, str | int | float | list | None) else str(v) for k, v in facts.items()}
