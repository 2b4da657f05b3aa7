"""Only this machine's own pages may talk to the application."""

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from verdigris.api.problems import problem

LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}


def host_name(host: str) -> str:
    """A Host header without its port."""
    return host.rsplit(":", 1)[0] if not host.endswith("]") and ":" in host else host


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
            foreign_origin = origin is not None and urlsplit(origin).netloc != host
            if host_name(host) not in LOOPBACK or foreign_origin or headers.get("sec-fetch-site") == "cross-site":
                await problem(403, "foreign", "Verdigris answers only its own pages on this machine.")(scope, receive, send)
                return
        await self.app(scope, receive, send)
