"""Who is answered: known host names only, signed-in people where the application is served to others, and no page of another site."""

import getpass
import ipaddress
import socket
from collections.abc import Iterable
from dataclasses import dataclass, field
from urllib.parse import quote, urlsplit

from fastapi import Request, Response
from fastapi.responses import PlainTextResponse, RedirectResponse

from northfell.app.project.people import Attempts, Signed, signed_in
from northfell.web.shell.answering import error_page, is_fragment

OPEN = ("/static/", "/read/", "/sign-in")  # what is answered without signing in: a reader's link says itself what it may reach
READS = ("/pin", "/outages", "/outages/cancel", "/maximum", "/maximum/cancel", "/clip", "/sign-out")  # what is posted, and changes nothing of a project


@dataclass(frozen=True)
class Access:
    """How the application may be reached. On the machine itself nothing is asked for."""

    hosts: frozenset[str] = frozenset({"localhost", "127.0.0.1", "::1"})
    addresses: bool = False  # any address in figures is one of ours: what another's name resolves to never comes as that
    sign_in: bool = False
    secure: bool = False  # over TLS: the cookie goes nowhere else
    attempts: Attempts = field(default_factory=Attempts)

    @property
    def cookie(self) -> str:
        return "__Host-northfell" if self.secure else "northfell"

    def answers_to(self, host: str) -> bool:
        """Whether a Host header names this application."""
        name = _host_name(host)
        return name in self.hosts or (self.addresses and _is_address(name))


def served_to_others(names: Iterable[str], secure: bool) -> Access:
    """Everyone signs in; answered are the addresses of the machine, its own name, and names that were given."""
    own = {socket.gethostname().lower(), socket.getfqdn().lower(), *(name.lower() for name in names)}
    return Access(Access.hosts | own, addresses=True, sign_in=True, secure=secure)


def _host_name(host: str) -> str:
    """The name in a Host header, without its port; empty where it is none."""
    try:
        parts = urlsplit(f"//{host}")
        return "" if parts.username is not None or parts.path or parts.query or parts.fragment else (parts.hostname or "").lower()
    except ValueError:
        return ""


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True


def refused(request: Request, access: Access) -> Response | None:
    """The answer to a request that may not be; None if it may. Whoever it is of stands in `request.state.person` then."""
    if not access.answers_to(request.headers.get("host", "")):
        return PlainTextResponse("This name is not one under which Northfell is reached here.", 421)
    changes = request.method not in ("GET", "HEAD")
    if changes and _foreign(request):
        return PlainTextResponse("A page of another site asked for this change. It was refused.", 403)
    request.state.person = Signed(_machine_user()) if not access.sign_in else None
    if not access.sign_in:
        return None
    person = _of_session(request, access)
    request.state.person = person or Signed("", "reads")
    if request.url.path.startswith(OPEN):
        return None
    if person is None:
        return _to_sign_in(request)
    if changes and not person.edits and not request.url.path.endswith(READS):
        return error_page(request, 403, [f"{person.name} may read here and change nothing. Whoever runs this application can give the role “edits”."])
    return None


def _foreign(request: Request) -> bool:
    origin = request.headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != request.headers.get("host", ""):
        return True
    return request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none")


def _of_session(request: Request, access: Access) -> Signed | None:
    session = request.cookies.get(access.cookie, "")
    if not session or len(session) > 1000:
        return None
    with request.app.state.connections.lent() as db:
        return signed_in(db, session)


def _to_sign_in(request: Request) -> Response:
    if is_fragment(request) or request.method != "GET" or "text/html" not in request.headers.get("accept", "text/html"):
        return error_page(request, 401, ["You are signed out. Sign in again in another window; what you typed is still here, then repeat."])
    there = request.url.path + (f"?{request.url.query}" if request.url.query else "")
    return RedirectResponse(f"/sign-in?next={quote(there, safe='')}", 303)


def _machine_user() -> str:
    """The name under which this machine knows whoever started the application."""
    try:
        return getpass.getuser()[:80]
    except (OSError, KeyError):
        return ""
