"""What is answered while Tesoura starts: how far it is, and nothing that isn't counted to its end."""

from __future__ import annotations

import json
from collections.abc import Callable
from html import escape

from tesoura.runtime.startup import StartProgress
from tesoura.web.proxies import Scope

PROBLEM_PATHS = ("/api/", "/in/", "/healthz")
_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="1">
<meta name="viewport" content="width=device-width"><title>Tesoura is starting</title>
<style>
@font-face {{ font-family: "Atkinson"; src: url(/static/fonts/atkinson-hyperlegible-next-latin-wght-normal.woff2); }}
body {{ margin: 0; display: grid; min-height: 100vh; place-content: center; background: #f6f1e7; color: #1e2a38;
  font: 1.25rem Atkinson, sans-serif; text-align: center; }}
progress {{ width: min(24rem, 80vw); accent-color: #2f6b5e; }}
@media (prefers-color-scheme: dark) {{ body {{ background: #1e2a38; color: #f6f1e7; }} }}
</style>
<main><h1>Tesoura is starting</h1><p role="status">{words}</p>{bar}
<p>Nothing is shown before it is counted to the end. This page opens by then.</p></main></html>"""
_EMPTY = '<!doctype html><html lang="en"><meta http-equiv="refresh" content="1"><title>Starting</title></html>'


async def answer_starting(scope: Scope, receive: Callable, send: Callable, progress: StartProgress) -> None:  # type: ignore[type-arg]
    """Answer one request or connection with how far the start is. Overlays' pages stay empty."""
    if scope["type"] == "websocket":
        await receive()
        await send({"type": "websocket.close", "code": 1013, "reason": "Tesoura is starting. Try again."})
        return
    path = scope["path"]
    if path.startswith(PROBLEM_PATHS):
        found = {
            "title": "Tesoura is starting",
            "status": 503,
            "detail": f"{progress.text}. Try again in a moment.",
            "share": round(progress.share, 3),
            "seconds_left": progress.left_s and round(progress.left_s, 1),
        }
        kind, body = "application/problem+json", json.dumps(found)
    elif path.startswith("/o/"):
        kind, body = "text/html; charset=utf-8", _EMPTY
    else:
        bar = f'<progress value="{progress.share:.3f}">{progress.share:.0%}</progress>' if progress.left_s else ""
        kind, body = "text/html; charset=utf-8", _PAGE.format(words=escape(f"{progress.text}."), bar=bar)
    heads = [
        (b"content-type", kind.encode()),
        (b"content-length", str(len(body.encode())).encode()),
        (b"retry-after", b"1"),
        (b"cache-control", b"no-store"),
    ]
    await send({"type": "http.response.start", "status": 503, "headers": heads})
    await send({"type": "http.response.body", "body": body.encode() if scope["method"] != "HEAD" else b""})
