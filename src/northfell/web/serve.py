"""Starting the application on this machine."""

import os
import socket
import threading
import time
import webbrowser
from pathlib import Path

import uvicorn

from northfell.app.projects import create_project
from northfell.demo import skerrow_water
from northfell.store import connect, projects
from northfell.web.application import create_application


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
    """The example project, made once."""
    db = connect(database)
    network = skerrow_water()
    found = next((p.id for p in projects.all_projects(db) if p.name == network.name), None)
    project_id = found if found is not None else create_project(db, network)
    db.close()
    return project_id


def _open_browser(address: str) -> None:
    time.sleep(0.6)
    webbrowser.open(address)
