"""Starting the application on this machine, for whoever sits at it or for others who sign in."""

import gc
import ipaddress
import socket
import threading
import time
import webbrowser
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import uvicorn

from northfell.app import apart
from northfell.app.cluster import Scheduler
from northfell.app.here import address_here
from northfell.app.project import installation
from northfell.app.project.projects import create_project
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.demo import bracken_quay, ellerdale, skerrow_water
from northfell.formats import northfell_json
from northfell.store import connect, projects
from northfell.web.application import create_application
from northfell.web.shell.access import Access, served_to_others
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import templates

MAIN = "Skerrow Water"
DAY_S = 24 * 3600.0


@dataclass(frozen=True)
class Place:
    """Where the application is served and what it stands on."""

    data: Path | None
    host: str = "127.0.0.1"
    port: int = 8400
    names: tuple[str, ...] = ()
    certificate: Path | None = None
    key: Path | None = None
    test_mode: bool = False
    scheduler: str = ""  # a Dask scheduler that does the long work
    relays: str = ""  # where relays are reached that take settings
    printer: str = ""  # where a label printer is reached

    @property
    def is_this_machine(self) -> bool:
        try:
            return ipaddress.ip_address(self.host).is_loopback
        except ValueError:
            return self.host == "localhost"


def serve(place: Place, demo: bool, browser: bool) -> int:
    """Serve until stopped; with `demo`, the example projects are there and the browser opens on the main one.

    Raises
    ------
    NetworkRefused
        If it would be served to others without anyone who may sign in, or the TLS files cannot be read.
    """
    folder = installation.folder_of(place.data)
    db = installation.opened(folder)
    access = _access(place, bool(installation.people(db)))
    db.close()
    database = folder / installation.FILE
    if place.scheduler:
        scheduler = Scheduler(place.scheduler)
        scheduler.join()  # one that is not there is told now, not at the first long run
        apart.use(scheduler)
    relays = address_here("relays", place.relays, 9102) if place.relays else ""
    printer = address_here("printer", place.printer, 9103) if place.printer else ""
    application = create_application(database, access, place.test_mode, relays, printer)
    settle_memory()
    path = at(_demo_project(database)) if demo else "/"
    with _listener(place) as listener:
        shown = place.host if not ipaddress_is_any(place.host) else socket.gethostname()
        scheme = "https" if access.secure else "http"
        address = f"{scheme}://{f'[{shown}]' if ':' in shown else shown}:{listener.getsockname()[1]}{path}"
        print(f"Northfell is at {address}   (stop with Ctrl+C; data in {folder})", flush=True)
        if access.sign_in and not access.secure:
            print("Passwords and data cross the network unencrypted: give --certificate and --key, or serve behind a proxy that has them.", flush=True)
        if browser and place.is_this_machine:
            threading.Thread(target=_open_browser, args=(address,), daemon=True).start()
        threading.Thread(target=_keep, args=(folder,), daemon=True).start()
        threading.Thread(target=_read_templates, daemon=True).start()
        config = uvicorn.Config(application, log_level="warning", ssl_certfile=place.certificate, ssl_keyfile=place.key, server_header=False)
        uvicorn.Server(config).run(sockets=[listener])
    return 0


def _read_templates() -> None:
    """Templates are compiled before someone waits for them."""
    for name in templates.env.list_templates(extensions=["html"]):
        templates.env.get_template(name)


def settle_memory() -> None:
    """Look less often for what refers to itself: a network is hundreds of thousands of objects that stay, and a look at them all takes 0.1 s."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 100)


def ipaddress_is_any(host: str) -> bool:
    """Whether an address stands for all those of the machine."""
    return host in ("0.0.0.0", "::", "")


def _access(place: Place, anyone: bool) -> Access:
    if (place.certificate is None) != (place.key is None):
        raise NetworkRefused([InputRefused("--certificate", "one file", "both --certificate and --key", where="Command line")])
    for option, file in (("--certificate", place.certificate), ("--key", place.key)):
        if file is not None and not file.is_file():
            raise NetworkRefused([InputRefused(option, str(file), "a PEM file that can be read", where="Command line")])
    secure = place.certificate is not None
    if place.is_this_machine:
        return Access(secure=secure)
    if not anyone:
        accepted = "127.0.0.1, or another address once someone may sign in"
        remedy = "Everyone signs in there. Add the first: northfell user add NAME"
        raise NetworkRefused([InputRefused("--host", place.host, accepted, remedy, "Command line")])
    return served_to_others((*place.names, *([] if ipaddress_is_any(place.host) else [place.host])), secure)


def _listener(place: Place) -> socket.socket:
    """A listening socket; on this machine another free port where the one asked for is taken."""
    try:
        family, _, _, _, where = socket.getaddrinfo(place.host or "0.0.0.0", place.port, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)[0]
    except (OSError, OverflowError) as error:
        raise NetworkRefused([InputRefused("--host", f"{place.host}:{place.port}", "an address of this machine", str(error), "Command line")]) from None
    listener = socket.socket(family, socket.SOCK_STREAM)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind(where)
    except (OSError, OverflowError) as error:
        if not place.is_this_machine:
            raise NetworkRefused([InputRefused("--host", f"{place.host}:{place.port}", "a free address of this machine", str(error), "Command line")]) from None
        listener.bind((where[0], 0, *where[2:]))
    listener.listen()  # from here on a browser waits for the answer instead of being turned away
    return listener


def _demo_project(database: Path) -> int:
    """The example projects, made once; returns the main one."""
    db = connect(database)
    ids = {p.name: p.id for p in reversed(projects.all_projects(db))}
    for network in (skerrow_water(), northfell_json.read(bracken_quay()), northfell_json.read(ellerdale())):
        if network.name not in ids:
            ids[network.name] = create_project(db, network)
    db.close()
    return ids[MAIN]


def _keep(folder: Path) -> None:
    """Once a day: a copy of the database, and what was deleted long ago goes."""
    while True:
        with suppress(Exception):  # a full disk or a busy database: tomorrow again
            installation.daily(folder)
            db = connect(folder / installation.FILE)
            installation.tidy(db)
            db.close()
        time.sleep(DAY_S)


def _open_browser(address: str) -> None:
    time.sleep(0.6)
    webbrowser.open(address)
