"""Who signs in where the application is served to others: passwords, sessions, and attempts that are limited."""

import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from sqlite3 import Connection
from threading import Lock

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from itsdangerous import BadData, URLSafeTimedSerializer
from pydantic import BaseModel, ValidationError

from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.elements.base import RECORD, Name
from northfell.store import people, transaction

ROLES = ("edits", "reads")
SHORTEST, LONGEST = 12, 128  # characters of a password
SESSION = timedelta(hours=12)
_hasher = PasswordHasher()
_nobody = _hasher.hash(secrets.token_hex(16))  # so that an unknown name takes as long as a known one


class NotSignedIn(NorthfellError):
    """Name or password are not right, or were tried too often."""


@dataclass(frozen=True, slots=True)
class Signed:
    """On whose behalf a request is answered."""

    name: str
    role: str = "edits"

    @property
    def edits(self) -> bool:
        return self.role == "edits"


class _Named(BaseModel):
    model_config = RECORD
    name: Name


def put_person(db: Connection, name: str, role: str, password: str) -> None:
    """Add a person, or give one another role and password.

    Raises
    ------
    NetworkRefused
        If the name is none, the role unknown, or the password too weak.
    """
    where = "User"
    try:
        _Named(name=name)
    except ValidationError:
        raise NetworkRefused([InputRefused("name", name, NAME_ACCEPTED, where=where)]) from None
    if role not in ROLES:
        raise NetworkRefused([InputRefused("role", role, f"one of {', '.join(ROLES)}", where=where)])
    weak = len(set(password)) < 5 or name.casefold() in password.casefold()
    if not SHORTEST <= len(password) <= LONGEST or weak:
        accepted = f"{SHORTEST} to {LONGEST} characters, not a few repeated ones, without the name"
        raise NetworkRefused([InputRefused("password", f"{len(password)} characters", accepted, where=where)])
    with transaction(db):
        people.put(db, name, role, _hasher.hash(password))


@dataclass
class Attempts:
    """Failed sign-ins of the last quarter of an hour, by name and by address. They are forgotten when the application stops."""

    most: int = 5  # of one name from one address; of one address with any name, four times as many
    within_s: float = 900.0
    now: Callable[[], float] = time.monotonic
    _failed: dict[tuple[str, str], list[float]] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def wait_s(self, name: str, address: str) -> float:
        """How long nothing more is tried for this name and address; 0 if it may be."""
        with self._lock:
            return max(self._wait((name, address), self.most), self._wait(("", address), 4 * self.most))

    def _wait(self, key: tuple[str, str], most: int) -> float:
        recent = self._recent(key)
        return self.within_s - (self.now() - recent[-most]) if len(recent) >= most else 0.0

    def _recent(self, key: tuple[str, str]) -> list[float]:
        return [at for at in self._failed.get(key, ()) if self.now() - at < self.within_s]

    def failed(self, name: str, address: str) -> None:
        with self._lock:
            for key in ((name, address), ("", address)):
                self._failed[key] = [*self._recent(key)[-100:], self.now()]
            while len(self._failed) > 10_000:
                self._failed.pop(next(iter(self._failed)))

    def succeeded(self, name: str, address: str) -> None:
        with self._lock:
            self._failed.pop((name, address), None)


def sign_in(db: Connection, attempts: Attempts, name: str, password: str, address: str) -> str:
    """A session for whoever knows the password, as a signed text for a cookie.

    Raises
    ------
    NotSignedIn
        The same for a wrong name and a wrong password; after too many attempts, with how long to wait.
    """
    if wait := attempts.wait_s(name[:80], address):
        raise NotSignedIn(f"Too many attempts: try again in {wait / 60:.0f} minutes." if wait > 90 else "Too many attempts: try again in a minute.")
    person = people.find(db, name)
    try:
        _hasher.verify(person.password if person else _nobody, password[:LONGEST])
        right = person is not None
    except (VerificationError, InvalidHashError):
        right = False
    if not right or person is None:
        attempts.failed(name[:80], address)
        raise NotSignedIn("Name or password are not right.")
    attempts.succeeded(name[:80], address)
    return str(_signer(db).dumps({"name": person.name, "since": person.since, "id": secrets.token_urlsafe(12)}))


def signed_in(db: Connection, session: str) -> Signed | None:
    """Whose session a cookie holds; None if it is over, was signed out, or the person is gone or has a new password."""
    found = _read(db, session)
    if found is None or db.execute("SELECT 1 FROM kept WHERE key = ?", (f"over {found['id']}",)).fetchone():
        return None
    person = people.find(db, str(found["name"]))
    return Signed(person.name, person.role) if person and person.since == found["since"] else None


def sign_out(db: Connection, session: str) -> None:
    """End a session: its cookie is worth nothing from now on."""
    found = _read(db, session)
    if found is not None:
        now = datetime.now(UTC)
        with transaction(db):
            db.execute("DELETE FROM kept WHERE key LIKE 'over %' AND value < ?", ((now - SESSION).isoformat(),))
            db.execute("INSERT OR REPLACE INTO kept (key, value) VALUES (?, ?)", (f"over {found['id']}", now.isoformat()))


def _signer(db: Connection) -> URLSafeTimedSerializer:
    return URLSafeTimedSerializer(people.signing_key(db), salt="session")


def _read(db: Connection, session: str) -> dict[str, str] | None:
    try:
        found = _signer(db).loads(session, max_age=int(SESSION.total_seconds()))
    except BadData:
        return None
    return found if isinstance(found, dict) and {"name", "since", "id"} <= found.keys() else None
