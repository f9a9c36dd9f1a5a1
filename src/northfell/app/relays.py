"""Relays that take settings over HTTP and give them back: the one that speaks to them, and a stand-in on this machine to try it with.

A relay answers `PUT /devices/NAME` with JSON by which name what is set has which value, and `GET` on the same with what it holds.
"""

import json
import math
from http.client import HTTPException
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.error import URLError
from urllib.parse import quote, urlsplit
from urllib.request import ProxyHandler, Request, build_opener

from northfell.core.errors import NorthfellError

Told = dict[str, float | str]
WAIT_S, MOST_BYTES, MOST_HELD = 5.0, 200_000, 1000


class NotSent(NorthfellError):
    """A relay that does not answer, or answers what cannot be read."""


def send(address: str, name: str, told: Told) -> Told:
    """Send a device its settings, and read back what it holds then.

    Raises
    ------
    NotSent
        If it does not answer.
    """
    where = f"{address}/devices/{quote(name, safe='')}"
    _asked(Request(where, json.dumps(told).encode(), {"Content-Type": "application/json"}, method="PUT"))
    held = _asked(Request(where))
    if not isinstance(held, dict) or not all(isinstance(v, float | int | str) and not isinstance(v, bool) for v in held.values()):
        raise NotSent(f"{name} answers what are no settings.")
    return {str(k): float(v) if isinstance(v, float | int) else v for k, v in held.items()}


def _asked(request: Request) -> Any:
    opener = build_opener(ProxyHandler({}))  # it is on this machine: by no proxy
    try:
        with opener.open(request, timeout=WAIT_S) as answer:
            return json.loads(answer.read(MOST_BYTES) or b"null")
    except (URLError, OSError, HTTPException, ValueError) as error:
        raise NotSent(f"No relay answers at {urlsplit(request.full_url).netloc}: {getattr(error, 'reason', error)}.") from None


class StandIn(ThreadingHTTPServer):
    """Relays that are none: they hold what they are sent, numbers to a step, as a relay does."""

    daemon_threads = True

    def __init__(self, port: int, step: float) -> None:
        super().__init__(("127.0.0.1", port), _Answering)
        self.step, self.held = step, dict[str, Told]()

    def take(self, path: str, told: Told) -> None:
        if len(self.held) < MOST_HELD or path in self.held:
            self.held[path] = {k: self._stepped(v) for k, v in told.items()}

    def _stepped(self, value: float | str) -> float | str:
        if isinstance(value, str) or not self.step or not math.isfinite(value):
            return value
        return float(f"{round(value / self.step) * self.step:.12g}")


class _Answering(BaseHTTPRequestHandler):
    server: StandIn

    def do_PUT(self) -> None:
        try:
            length = int(self.headers.get("Content-Length", "0"))
            told = json.loads(self.rfile.read(length)) if 0 < length <= MOST_BYTES else None
        except ValueError:
            told = None
        if not isinstance(told, dict):
            return self._answer(400, {"error": "settings as a JSON object are accepted"})
        self.server.take(self.path, {str(k): v for k, v in told.items() if isinstance(v, float | int | str)})
        return self._answer(200, {})

    def do_GET(self) -> None:
        self._answer(200 if self.path in self.server.held else 404, self.server.held.get(self.path, {}))

    def _answer(self, status: int, body: Told) -> None:
        data = json.dumps(body).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *args: Any) -> None:
        """Each settings sent, on one line."""
        print(f"relay stand-in: {format % args}", flush=True)
