"""Every address that a page writes leads to a route that takes it, and a name with any sign in it stays one part of an address."""

import re
from functools import cache
from html import unescape
from urllib.parse import unquote, urlsplit

import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.routing import Match, Mount
from tests.web.test_pages import client, database  # noqa: F401

from northfell.app.project.projects import change_project
from northfell.core.model.changes import proposing
from northfell.store import connect
from northfell.web.pages import PAGES
from northfell.web.shell import edits, workspace
from northfell.web.shell.addresses import at
from northfell.web.shell.stage import STAGES

WRITTEN = re.compile(r'(hx-get|hx-post|href|action|formaction|data-sends|data-line|src|value)="(/[^"]*)"')
METHODS = {
    "hx-get": {"GET"},
    "href": {"GET"},
    "src": {"GET"},
    "value": {"GET"},
    "data-line": {"GET"},
    "hx-post": {"POST"},
    "data-sends": {"POST"},
    "formaction": {"POST"},
}
ROUTES = [route for router in (*PAGES, *(r for stage in STAGES.values() for r in stage.routers), edits.router, workspace.router) for route in router.routes]
PLACES = [*STAGES, ""]


def leads_somewhere(address, methods):
    return path_leads_somewhere(unquote(urlsplit(address).path), frozenset(methods))


@cache
def path_leads_somewhere(path, methods):
    if path.startswith("/static/"):
        return True
    for route in ROUTES:
        for method in methods:
            match, scope = route.matches({"type": "http", "path": path, "method": method, "root_path": ""})
            if match is Match.FULL and not isinstance(route, Mount):
                return scope["path_params"].get("place", "") in PLACES
    return False


def written_on(text):
    for attribute, address in WRITTEN.findall(text):
        yield unescape(address), METHODS.get(attribute, {"GET", "POST"})


def test_every_address_that_a_page_writes_leads_to_a_route(client, database):  # noqa: F811
    change_project(connect(database), 1, lambda n: proposing.new_proposal(n, "a/b?c", "", []), 1)
    pages = [
        "/",
        "/shorthand",
        "/reference",
        "/projects/1/why?stage=flow&selected=W411",
        "/projects/1/flow?selected=W411&state=no",
        "/projects/1/proposal/a%2Fb%3Fc",
    ]
    for stage in STAGES.values():
        for tab in (*(tab.key for tab in stage.tabs), "findings", "assumed", "settings"):
            pages += [at(1, stage.path) + f"?tab={tab}&selected={element}" for element in ("", "W411", "MSB", "M1")]
    seen, checked = set(pages), set()
    for page in pages:
        answer = client.get(page)
        if "html" not in answer.headers.get("content-type", ""):  # what has come to its end asks for the page again, and is empty
            continue
        for address, methods in written_on(answer.text):
            assert leads_somewhere(address, methods), (page, address)
            checked.add(urlsplit(address).path)
            plain = urlsplit(address).path
            if methods == {"GET"} and plain not in seen and not re.search(r"\.\w{2,9}$", plain) and "/elements/" not in plain:
                seen.add(plain)
                pages.append(address)
    assert len(checked) > 150
    assert {"/projects/1/why/propose", "/projects/1/states/rename", "/projects/1/proposal/a%2Fb%3Fc", "/projects/1/pin"} <= checked


@pytest.mark.parametrize("address", ["/projects/1/whi", "/projects/1/states/remane", "/project/1/flow"])
def test_an_address_that_leads_nowhere_would_be_seen(address):
    assert not leads_somewhere(address, {"GET", "POST"})


@given(st.text(min_size=1, max_size=20))
def test_a_name_stays_one_part_of_an_address(name):
    if name in (".", ".."):
        return
    path = at(7, "proposal", name)
    assert path.count("/") == 4
    assert unquote(path.rsplit("/", 1)[1]) == name
    assert not set(path) & set(" \"'<>?#&")
