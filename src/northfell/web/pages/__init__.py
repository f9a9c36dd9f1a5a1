"""The pages beside the stages: one folder each, with its routes and its templates, and one line here."""

from northfell.web.pages.catalogue import routes as catalogue
from northfell.web.pages.documents import routes as documents
from northfell.web.pages.findings import routes as findings
from northfell.web.pages.fragments import routes as fragments
from northfell.web.pages.pictures import routes as pictures
from northfell.web.pages.projects import routes as projects
from northfell.web.pages.proposals import routes as proposals
from northfell.web.pages.readers import routes as readers
from northfell.web.pages.reference import routes as reference
from northfell.web.pages.results import printing
from northfell.web.pages.results import routes as results
from northfell.web.pages.sign_in import routes as sign_in
from northfell.web.pages.states import routes as states
from northfell.web.pages.tables import routes as tables

_MODULES = sign_in, projects, reference, findings, proposals, documents, results, printing, tables, catalogue, states, readers, pictures, fragments
PAGES = tuple(page.router for page in _MODULES)
