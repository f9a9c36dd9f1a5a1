"""Starting the application on this machine."""

import os
import socket
import threading
import time
import webbrowser
from pathlib import Path

import uvicorn

from northfell.app.projects import create_project
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json
from northfell.store import connect, projects
from northfell.web.application import create_application

MAIN = "Skerrow Water"


def serve(data: Path | None, port: int, demo: bool, browser: bool) -> int:
    """Serve on localhost until stopped; with `demo`, the example project is there and the browser opens on it."""
    folder = data or Path(os.environ.get("XDG_DATA_HOME", Path.home() / ".local/share")) / "northfell"
    folder.mkdir(parents=True, exist_ok=True)
    database = folder / "northfell.sqlite3"
    application = create_application(database)
    path = f"/projects/{_demo_project(database)}" if demo else "/"
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as listener:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", port))
        except OSError:
            listener.bind(("127.0.0.1", 0))
        listener.listen()  # from here on a browser waits for the answer instead of being turned away
        address = f"http://127.0.0.1:{listener.getsockname()[1]}{path}"
        print(f"Northfell is at {address}   (stop with Ctrl+C; data in {folder})", flush=True)
        if browser:
            threading.Thread(target=_open_browser, args=(address,), daemon=True).start()
        uvicorn.Server(uvicorn.Config(application, log_level="warning")).run(sockets=[listener])
    return 0


def _demo_project(database: Path) -> int:
    """The example projects, made once; returns the main one."""
    db = connect(database)
    ids = {p.name: p.id for p in reversed(projects.all_projects(db))}
    for network in (skerrow_water(), northfell_json.read(bracken_quay())):
        if network.name not in ids:
            ids[network.name] = create_project(db, network)
    db.close()
    return ids[MAIN]


def _open_browser(address: str) -> None:
    time.sleep(0.6)
    webbrowser.open(address)
