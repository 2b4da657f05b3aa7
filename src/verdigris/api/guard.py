"""Only this machine's own pages may talk to the application."""

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from verdigris.api.problems import problem

LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}


def host_name(host: str) -> str:
    """A Host header without its port."""
    return host.rsplit(":", 1)[0] if not host.endswith("]") and ":" in host else host


def _place(origin: str) -> str | None:
    """Host and port of an origin; None for one that is not written as one."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


class LoopbackOnly:
    """Refuses foreign Host headers (DNS rebinding) and requests from pages of other origins."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Check, then pass on."""
        if scope["type"] == "http":
            headers = Headers(scope=scope)
            host = headers.get("host", "")
            origin = headers.get("origin")
            foreign_origin = origin is not None and _place(origin) != host
            if host_name(host) not in LOOPBACK or foreign_origin or headers.get("sec-fetch-site") == "cross-site":
                await problem(403, "foreign", "Verdigris answers only its own pages on this machine.")(scope, receive, send)
                return
        await self.app(scope, receive, send)


# Pictures are drawn from blobs; the component library puts its styles into the page itself.
POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; worker-src 'self' blob:; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {"Content-Security-Policy": POLICY, "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer"}


class SafeAnswers:
    """Tells the browser with every answer that nothing but this application's own files may be loaded or run."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Add the headers to whatever is answered."""

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update(HEADERS)
            await send(message)

        await self.app(scope, receive, with_headers if scope["type"] == "http" else send)


class SmallBodies:
    """Refuses large bodies outside uploads: they are parsed where everybody's requests are answered."""

    def __init__(self, app: ASGIApp, most: int) -> None:
        self.app, self.most = app, most

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Read the body as far as it is allowed, then pass it on whole."""
        if scope["type"] != "http" or scope["method"] in ("GET", "HEAD") or scope["path"].startswith("/api/uploads/"):
            await self.app(scope, receive, send)
            return
        body, more = bytearray(), True
        while more:
            message = await receive()
            if message["type"] != "http.request":
                return
            body += message.get("body", b"")
            more = message.get("more_body", False)
            if len(body) > self.most:
                sentence = f"This is more than the {self.most // 2**20} MB that a single change may hold."
                await problem(413, "too_large", sentence)(scope, receive, send)
                return
        told = False

        async def again() -> Message:
            nonlocal told
            if told:
                return await receive()
            told = True
            return {"type": "http.request", "body": bytes(body), "more_body": False}

        await self.app(scope, again, send)
