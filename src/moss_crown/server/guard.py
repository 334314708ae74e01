"""What every request is held to before a route sees it: where it comes from, and that its texts can be kept."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from urllib.parse import parse_qsl, unquote, urlsplit

from fastapi import Request, Response
from fastapi.routing import APIRoute
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from moss_crown.core.document.plain import check_plain
from moss_crown.core.errors import DocumentInvalid
from moss_crown.server.problems import problem

FOREIGN = "another site's page may not change anything here"
READS = frozenset({"GET", "HEAD", "OPTIONS"})
OWN_SITE = frozenset({"", "same-origin", "none"})
"""Of `Sec-Fetch-Site` (Fetch Metadata, W3C): this page itself, or nobody's page."""


def policy(host: str) -> str:
    """The content security policy (CSP 3): all that the page is made of comes from here, and nobody shows it in a
    frame. Styles may stand in the page, since what is placed there by number has them."""
    sockets = " ".join(f"ws://{name}:*" for name in dict.fromkeys(("127.0.0.1", "localhost", host)))
    return (
        "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self' data:; "
        f"img-src 'self' blob: data:; media-src 'self' blob:; connect-src 'self' {sockets}; worker-src 'self' blob:; "
        "manifest-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    )


class Guard:
    """Refuses what another site's page asks for where it would change something, and addresses that are no text; says
    with every answer how a browser is to take it."""

    def __init__(self, app: ASGIApp, host: str) -> None:
        self._app, self._policy = app, policy(host)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers["x-content-type-options"] = "nosniff"
                headers["x-frame-options"] = "DENY"
                headers["referrer-policy"] = "same-origin"
                headers["cross-origin-opener-policy"] = "same-origin"
                headers["cross-origin-resource-policy"] = "same-origin"
                headers["content-security-policy"] = self._policy
            await send(message)

        if scope["method"] not in READS and _foreign(Headers(scope=scope)):
            refused = {"code": "request.foreign", "field": "origin", "detail": FOREIGN}
            await problem(Request(scope), 403, refused)(scope, receive, answer)
        elif field := _unstorable(scope):
            said = DocumentInvalid(field, "text without null characters", "the address holds no such text").facts()
            await problem(Request(scope), 422, said)(scope, receive, answer)
        else:
            await self._app(scope, receive, answer)


def _foreign(headers: Headers) -> bool:
    origin = headers.get("origin")
    other = origin is not None and urlsplit(origin).netloc != headers.get("host")
    return other or headers.get("sec-fetch-site", "") not in OWN_SITE


def _unstorable(scope: Scope) -> str:
    """The part of an address that holds a null character; empty for none."""
    if "\0" in unquote(scope["path"]):
        return "path"
    query = scope["query_string"].decode("latin-1")
    return next((name or "query" for name, value in parse_qsl(query) if "\0" in value or "\0" in name), "")


class PlainRoute(APIRoute):
    """A route whose JSON is plain before it is read: see `check_plain`. Raises DocumentInvalid with the place."""

    def get_route_handler(self) -> Callable[[Request], Awaitable[Response]]:  # type: ignore[override]
        handle = super().get_route_handler()

        async def checked(request: Request) -> Response:
            if await request.body() and "json" in request.headers.get("content-type", "json"):
                try:
                    check_plain(await request.json())
                except RecursionError:
                    raise DocumentInvalid("body", "JSON that is not nested deep", "it is nested too deep") from None
                except ValueError:
                    pass  # is no JSON: the route says so
            return await handle(request)

        return checked
