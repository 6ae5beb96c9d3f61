"""What stands before every request: who may ask from where, what no address may hold, and what every answer says.

A page of another site must not be able to read or change anything here, although the browser of whoever has it open can
reach this server: its host name must be one of ours (against DNS rebinding; that is Starlette's TrustedHostMiddleware), what
changes something and every WebSocket must come from our own origin (RFC 6454), and where the browser says what it fetches
for (W3C Fetch Metadata), nothing is read from another site but by following a link.
"""

from __future__ import annotations

from collections.abc import Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from wiseglove.api.errors import answer
from wiseglove.core.patience import patience

READING = {"GET", "HEAD", "OPTIONS"}
LONGEST_SEGMENT = 255
"""Bytes of one part of a path: what file systems take for a name (NAME_MAX)."""
POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",  # a library of the page puts its style sheet in by script
        "img-src 'self' blob: data:",
        "font-src 'self'",
        "connect-src 'self'",
        "worker-src 'self' blob:",
        "base-uri 'none'",
        "form-action 'none'",
        "frame-ancestors 'none'",
    )
)
"""Content Security Policy, level 3 (W3C)."""
ALWAYS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
LONGEST_REQUEST = 20.0
"""Seconds that a request may compute."""


class Gate:
    """ASGI middleware. origins: further ones that may change things, such as a development server's."""

    def __init__(self, app: ASGIApp, origins: Iterable[str] = ()) -> None:
        self._app, self._origins = app, set(origins)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Refuse, or hand on with a time limit."""
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refused = _unreadable(scope) or self._foreign(scope, headers)

        async def dressed(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                for name, value in ALWAYS.items():
                    out.setdefault(name, value)
                out.setdefault("Cache-Control", "no-store")
            await send(message)

        if refused is not None and scope["type"] == "websocket":
            await receive()  # its opening, which a refusal answers
            await send({"type": "websocket.close", "code": 1008, "reason": refused[1]})
        elif refused is not None:
            await answer(refused[0], "http", refused[1])(scope, receive, dressed)
        elif scope["type"] == "websocket":
            await self._app(scope, receive, send)
        else:
            with patience(LONGEST_REQUEST):
                await self._app(scope, receive, dressed)

    def _foreign(self, scope: Scope, headers: Headers) -> tuple[int, str] | None:
        origin, site = headers.get("origin"), headers.get("sec-fetch-site")
        if scope["type"] == "http" and scope["method"] in READING:
            followed = headers.get("sec-fetch-mode") == "navigate" and headers.get("sec-fetch-dest") == "document"
            foreign = site in ("cross-site", "same-site") and not followed
        elif origin is not None:
            foreign = not self._ours(origin, headers.get("host", ""))
        else:
            foreign = site not in (None, "same-origin", "none")
        if not foreign:
            return None
        return 403, (
            "This request comes from a page of another site, so it was refused and nothing was changed. "
            "Open Wise Glove at its own address."
        )

    def _ours(self, origin: str, host: str) -> bool:
        # Behind a proxy that ends TLS the scheme here is another than the browser's; host and port must be the same.
        return origin in self._origins or (urlsplit(origin).netloc.lower() == host.lower() and host != "")


def _unreadable(scope: Scope) -> tuple[int, str] | None:
    if "\0" in scope["path"] or b"%00" in scope.get("query_string", b""):
        return 400, "The address holds a zero character, which no name here has. Nothing was changed."
    if any(len(part.encode("utf-8", "surrogateescape")) > LONGEST_SEGMENT for part in scope["path"].split("/")):
        return 404, "There is nothing at so long an address."
    return None
