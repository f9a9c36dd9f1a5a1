"""A printer of labels that takes its jobs over the Internet Printing Protocol (RFC 8010, 8011), and a stand-in on this machine to try it with.

The stand-in keeps what it was sent, and shows it: `GET /` lists the jobs, `GET /jobs/1.pdf` is one.
"""

import re
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from html import escape
from http.client import HTTPException
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.error import URLError
from urllib.request import ProxyHandler, Request, build_opener

from reportlab.lib.units import mm

from northfell.core.errors import NorthfellError

PATH, MEDIA, PDF = "/ipp/print", "application/ipp", "application/pdf"
PRINT_JOB, OK, BAD, NO_SUCH = 0x0002, 0x0000, 0x0400, 0x0501
OPERATION, JOB, END = 0x01, 0x02, 0x03  # what begins a group of attributes, and ends them all
CHARSET, LANGUAGE, URI, NAME, MIME, INTEGER, ENUM = 0x47, 0x48, 0x45, 0x42, 0x49, 0x21, 0x23  # kinds of value
COMPLETED = 9
WAIT_S, MOST_BYTES, MOST_JOBS, MOST_ANSWER = 20.0, 50 * 2**20, 200, 100_000


class NotPrinted(NorthfellError):
    """A printer that does not answer, or does not take a job."""


def print_job(address: str, title: str, who: str, pdf: bytes) -> None:
    """Send a job; it is taken when this returns.

    Raises
    ------
    NotPrinted
        If the printer does not answer, or refuses.
    """
    uri = f"ipp://{address.removeprefix('http://')}{PATH}"
    values = (
        (CHARSET, "attributes-charset", "utf-8"), (LANGUAGE, "attributes-natural-language", "en"), (URI, "printer-uri", uri),
        (NAME, "requesting-user-name", who or "anonymous"), (NAME, "job-name", title), (MIME, "document-format", PDF),
    )  # fmt: skip
    body = message(PRINT_JOB, ((OPERATION, tuple((kind, name, told.encode()[:255]) for kind, name, told in values)),)) + pdf
    opener = build_opener(ProxyHandler({}))  # it is on this machine: by no proxy
    try:
        with opener.open(Request(f"{address}{PATH}", body, {"Content-Type": MEDIA}, method="POST"), timeout=WAIT_S) as answer:
            status = int.from_bytes(answer.read(MOST_ANSWER)[2:4], "big")
    except (URLError, OSError, HTTPException, ValueError) as error:
        raise NotPrinted(f"No label printer answers at {address.removeprefix('http://')}: {getattr(error, 'reason', error)}.") from None
    if status >= 0x0100:
        raise NotPrinted(f"The label printer did not take the job: status {status:#06x} (RFC 8011, Appendix B).")


Value = tuple[int, str, bytes]


def message(code: int, groups: tuple[tuple[int, tuple[Value, ...]], ...], request: int = 1) -> bytes:
    """A request (its operation) or an answer (its status) up to where the document begins (RFC 8010, 3.1)."""
    made = b"\x01\x01" + code.to_bytes(2, "big") + request.to_bytes(4, "big")
    for begins, values in groups:
        made += bytes([begins])
        for kind, name, told in values:
            made += bytes([kind]) + len(name).to_bytes(2, "big") + name.encode() + len(told).to_bytes(2, "big") + told
    return made + bytes([END])


def read_message(data: bytes) -> tuple[int, dict[str, bytes], bytes]:
    """The code of a message, its attributes, and the document behind them.

    Raises
    ------
    ValueError
        If it is none.
    """
    at, found = 8, dict[str, bytes]()

    def taken(many: int) -> bytes:
        nonlocal at
        if at + many > len(data):
            raise ValueError("it ends too early")
        part = data[at : at + many]
        at += many
        return part

    code, name = int.from_bytes(data[2:4], "big"), ""
    while (tag := taken(1)[0]) != END:
        if tag < 0x10:  # a group begins
            continue
        name = taken(int.from_bytes(taken(2), "big")).decode() or name  # without a name: a further value of the one before
        told = taken(int.from_bytes(taken(2), "big"))
        found.setdefault(name, told)
    return code, found, data[at:]


@dataclass(frozen=True)
class Printed:
    """A job that the stand-in took."""

    title: str
    who: str
    pdf: bytes

    def sizes_mm(self) -> Iterator[tuple[float, float]]:
        """Width and height of each page."""
        for box in boxes_of(self.pdf):
            yield box[0] / mm, box[1] / mm


_BOX = re.compile(rb"/MediaBox ?\[ ?([0-9.]{1,12}) ([0-9.]{1,12}) ([0-9.]{1,12}) ([0-9.]{1,12}) ?\]")


def boxes_of(pdf: bytes) -> list[tuple[float, float]]:
    """Width and height of the pages of a PDF as Northfell writes it [points]."""
    boxes = (tuple(float(v) if v.count(b".") < 2 else 0.0 for v in found) for found in _BOX.findall(pdf))
    return [(right - left, top - bottom) for left, bottom, right, top in boxes]


class StandIn(ThreadingHTTPServer):
    """A label printer that is none: it keeps what it is sent, and shows it."""

    daemon_threads = True

    def __init__(self, port: int) -> None:
        super().__init__(("127.0.0.1", port), _Answering)
        self.jobs, self._taking = list[Printed](), threading.Lock()

    def take(self, job: Printed) -> int:
        """Its number; 0 where there is no room for it."""
        with self._taking:
            if len(self.jobs) >= MOST_JOBS:
                return 0
            self.jobs.append(job)
            return len(self.jobs)

    def page(self) -> str:
        rows = []
        for k, job in enumerate(self.jobs, 1):
            sizes = ", ".join(dict.fromkeys(f"{w:.0f} × {h:.0f} mm" for w, h in job.sizes_mm()))
            pages = sum(1 for _ in job.sizes_mm())
            rows.append(f'<li><a href="/jobs/{k}.pdf">{escape(job.title)}</a>, {escape(job.who)}: {pages} pages of {sizes}</li>')
        return (
            f"<!doctype html><html lang=en><meta charset=utf-8><title>Label printer that is none</title><h1>Label printer that is none</h1><ol>{''.join(rows)}"
            "</ol>"
        )


class _Answering(BaseHTTPRequestHandler):
    server: StandIn

    def do_POST(self) -> None:
        told = self.headers.get("Content-Length", "")
        length = int(told) if told.isdecimal() and len(told) < 12 else 0
        if self.path != PATH or self.headers.get("Content-Type") != MEDIA or not 8 < length <= MOST_BYTES:
            return self._answer(400, "text/plain", b"print jobs are taken at " + PATH.encode())
        data = self.rfile.read(length)
        try:
            code, values, document = read_message(data)
            title, who = (values.get(key, b"").decode() for key in ("job-name", "requesting-user-name"))
        except ValueError:
            return self._told(BAD, data)
        if code != PRINT_JOB:
            return self._told(NO_SUCH, data)
        if values.get("document-format") != PDF.encode() or not document.startswith(b"%PDF-"):
            return self._told(BAD, data)
        number = self.server.take(Printed(title, who, document))
        return self._told(OK if number else 0x0506, data, number)  # server-error-not-accepting-jobs

    def _told(self, status: int, data: bytes, number: int = 0) -> None:
        of_job: tuple[Value, ...] = ((INTEGER, "job-id", number.to_bytes(4, "big")), (ENUM, "job-state", COMPLETED.to_bytes(4, "big")))
        words: tuple[Value, ...] = ((CHARSET, "attributes-charset", b"utf-8"), (LANGUAGE, "attributes-natural-language", b"en"))
        groups = ((OPERATION, words), *([(JOB, of_job)] if number else []))
        self._answer(200, MEDIA, message(status, groups, int.from_bytes(data[4:8], "big")))

    def do_GET(self) -> None:
        number = self.path.removeprefix("/jobs/").removesuffix(".pdf")
        if self.path == "/":
            return self._answer(200, "text/html; charset=utf-8", self.server.page().encode())
        if number.isdecimal() and len(number) < 6 and 1 <= int(number) <= len(self.server.jobs):
            return self._answer(200, PDF, self.server.jobs[int(number) - 1].pdf)
        return self._answer(404, "text/plain", b"there is no such job")

    def _answer(self, status: int, kind: str, body: bytes) -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *args: Any) -> None:
        """Each job, on one line."""
        print(f"label printer stand-in: {format % args}", flush=True)
