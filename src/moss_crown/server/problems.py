"""Every error as application/problem+json (RFC 9457), with a stable code and the request's id."""

from __future__ import annotations

import re
import time
from typing import Any
from uuid import uuid4

import psycopg
import psycopg_pool
import structlog
from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from moss_crown.core.errors import DocumentInvalid, TitleError
from moss_crown.server.db.pool import is_away
from moss_crown.server.description import described
from moss_crown.server.errors import (
    ComputeBusy,
    ComputeFailed,
    ComputeTooLong,
    Missing,
    NothingTo,
    RevisionStale,
    StorageFull,
    TakeStateWrong,
)

log = structlog.get_logger()


class TooLarge(TitleError):
    code = "request.too_large"
    field = "body"

    def __init__(self, most: int) -> None:
        super().__init__(most)
        self.most = most
        self.bound = f"at most {most} bytes"

    def __str__(self) -> str:
        return f"a request may have at most {self.most} bytes"


_STATUS: list[tuple[type[TitleError], int]] = [
    (TooLarge, 413),
    (Missing, 404),
    (RevisionStale, 409),
    (NothingTo, 409),
    (TakeStateWrong, 409),
    (ComputeFailed, 500),
    (ComputeBusy, 503),
    (StorageFull, 507),
    (ComputeTooLong, 504),
    (TitleError, 422),
]
_TITLES = {
    404: "Not there",
    409: "Does not fit the present state",
    413: "Too large",
    422: "Not accepted",
    500: "Failed",
    503: "Not available now",
    403: "Refused",
    504: "Took too long",
    507: "No room left",
    405: "Not allowed",
}


def problem(request: Request, status: int, facts: dict[str, Any]) -> JSONResponse:
    body = {
        "type": "about:blank",
        "title": _TITLES.get(status, "Error"),
        "status": status,
        **facts,
        "request_id": request.scope.get("request_id", ""),
    }
    return JSONResponse(body, status, media_type="application/problem+json")


def add_problems(app: FastAPI) -> None:
    @app.exception_handler(TitleError)
    async def title(request: Request, error: TitleError) -> Response:
        status = next(code for kind, code in _STATUS if isinstance(error, kind))
        return problem(request, status, error.facts())

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        field = "/" + "/".join(str(part) for part in first["loc"][1:])
        return problem(
            request, 422, DocumentInvalid(field, first["msg"], first["msg"]).facts() | {"code": "request.invalid"}
        )

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> Response:
        return problem(request, error.status_code, {"code": "http", "detail": str(error.detail)})

    async def database(request: Request, error: Exception) -> Response:
        log.warning("database", error=str(error).split("\n")[0], code=getattr(error, "sqlstate", None))
        if isinstance(error, psycopg.errors.DiskFull):
            return problem(request, 507, StorageFull().facts())
        if is_away(error):  # type: ignore[arg-type]
            return problem(request, 503, {"code": "database.away", "detail": "the database does not answer; try again"})
        if isinstance(error, psycopg.DataError):
            said = DocumentInvalid("request", "values that can be kept", "the database can not keep such a value")
            return problem(request, 422, said.facts())
        return problem(request, 500, {"code": "unforeseen", "detail": "something failed that should not have"})

    for kind in (psycopg.OperationalError, psycopg.DataError, psycopg_pool.PoolTimeout):
        app.add_exception_handler(kind, database)
    app.openapi = lambda: described(app)  # type: ignore[method-assign]


UPLOADS = ("/assets", "/import")


class RequestLog:
    """Gives each request an id, bounds its body, answers what nobody foresaw, and logs how it went."""

    def __init__(self, app: ASGIApp, most_bytes: int, most_upload: int) -> None:
        self._app, self._most, self._most_upload = app, most_bytes, most_upload

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        given = headers.get(b"x-request-id", b"").decode("latin-1")
        scope["request_id"] = given if re.fullmatch(r"[\w-]{1,64}", given) else uuid4().hex
        begun = time.perf_counter()
        status = 0
        most = self._most_upload if scope["path"].endswith(UPLOADS) else self._most

        async def answer(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message["headers"], (b"x-request-id", scope["request_id"].encode())]
            await send(message)

        heard = 0

        async def bounded() -> Message:
            nonlocal heard
            message = await receive()
            heard += len(message.get("body", b""))
            if heard > most:
                raise TooLarge(most)
            return message

        try:
            told = headers.get(b"content-length", b"0")
            if told.isdigit() and int(told[:20]) > most:
                too_large = TooLarge(most).facts()
                await problem(Request(scope), 413, too_large)(scope, receive, answer)
                return
            await self._app(scope, bounded, answer)
        except Exception as error:
            # Answered here and not passed on: the server below would close the connection under the next request.
            log.exception("unforeseen", request_id=scope["request_id"], exc_info=error)
            if status:
                raise
            said = {"code": "unforeseen", "detail": "something failed that should not have"}
            await problem(Request(scope), 500, said)(scope, receive, answer)
        finally:
            if not scope["path"].startswith("/api/health"):
                log.info(
                    "request",
                    method=scope["method"],
                    path=scope["path"],
                    status=status,
                    ms=round(1000 * (time.perf_counter() - begun), 1),
                    request_id=scope["request_id"],
                )
