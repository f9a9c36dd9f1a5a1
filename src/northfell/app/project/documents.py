"""Documents at elements: attached, taken away, and given out again. What they hold is kept once by its digest, so that undo brings it back."""

from sqlite3 import Connection

from northfell.app.project.projects import Project, change_project, open_project
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Attach, Change
from northfell.core.model.elements import Document
from northfell.core.model.network import Network, title_of
from northfell.store import documents

MOST_BYTES = 10 * 1024 * 1024
MOST_OF_PROJECT = 200 * 1024 * 1024
# kinds of document by the end of the name, each with what its content begins with; those that a browser may show are shown by it
TYPES: dict[str, tuple[str, tuple[bytes, ...], bool]] = {
    ".pdf": ("application/pdf", (b"%PDF-",), True), ".png": ("image/png", (b"\x89PNG\r\n\x1a\n",), True), ".jpg": ("image/jpeg", (b"\xff\xd8\xff",), True),
    ".jpeg": ("image/jpeg", (b"\xff\xd8\xff",), True), ".txt": ("text/plain; charset=utf-8", (), True), ".csv": ("text/csv; charset=utf-8", (), False),
    ".xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", (b"PK\x03\x04",), False),
    ".docx": ("application/vnd.openxmlformats-officedocument.wordprocessingml.document", (b"PK\x03\x04",), False),
}  # fmt: skip
SHOWN = {media for media, _, shown in TYPES.values() if shown}


def attach(db: Connection, project_id: int, element_id: str, name: str, content: bytes, version: int) -> Project:
    """Attach a document to an element.

    Raises
    ------
    NetworkRefused
        If it is too large, of a kind that is not kept, or not what its name says.
    """
    opened = open_project(db, project_id)
    element = opened.network.element(element_id)
    media = _media_type(name, content, title_of(element))
    if documents.total_bytes(db, project_id) + len(content) > MOST_OF_PROJECT:
        accepted = f"at most {MOST_OF_PROJECT // 2**20} MB of documents in a project"
        raise NetworkRefused([InputRefused("document", name, accepted, where=title_of(element))])
    digest = documents.digest_of(content)

    def attached(network: Network) -> Change:
        one = network.element(element_id)
        new = Document(name=_free_name(name, {d.name for d in one.documents}), media_type=media, size=len(content), sha256=digest)
        return Change(f"{one.name}: {new.name} attached", (Attach(id=element_id, documents=[*one.documents, new]),))

    # its bytes are kept with the change or not at all
    return change_project(db, project_id, attached, version, also=lambda: documents.put(db, project_id, content))


def _media_type(name: str, content: bytes, where: str) -> str:
    ending = "." + name.rpartition(".")[2].lower()
    if not content or len(content) > MOST_BYTES:
        raise NetworkRefused([InputRefused("document", f"{len(content)} bytes", f"1 byte to {MOST_BYTES // 2**20} MB", where=where)])
    if ending not in TYPES or not 1 <= len(name) <= 80 or not name.isprintable():
        raise NetworkRefused([InputRefused("document", name[:100], f"a name of up to 80 characters that ends in {', '.join(TYPES)}", where=where)])
    media, begins, _ = TYPES[ending]
    if begins and not content.startswith(begins):
        raise NetworkRefused([InputRefused("document", name, f"contents of a {ending} file", "Its content is something else.", where)])
    if media.startswith("text/"):
        try:
            content.decode("utf-8")
        except UnicodeDecodeError:
            raise NetworkRefused([InputRefused("document", name, "text in UTF-8", where=where)]) from None
    return media


def _free_name(name: str, taken: set[str]) -> str:
    name = name.strip()
    stem, dot, ending = name.rpartition(".")
    return name if name not in taken else next(n for n in (f"{stem[:60]} {k}{dot}{ending}" for k in range(2, 100)) if n not in taken)


def detach(db: Connection, project_id: int, element_id: str, name: str, version: int) -> Project:
    """Take a document from an element; undo brings it back."""
    element = open_project(db, project_id).network.element(element_id)
    kept = [d for d in element.documents if d.name != name]
    if len(kept) == len(element.documents):
        raise NotFound(f"{title_of(element)} has no document “{name}”.")
    return change_project(db, project_id, Change(f"{element.name}: {name} taken away", (Attach(id=element_id, documents=kept),)), version)


def content_of(db: Connection, project_id: int, element_id: str, name: str) -> tuple[Document, bytes]:
    """A document of an element with its content."""
    element = open_project(db, project_id).network.element(element_id)
    found = next((d for d in element.documents if d.name == name), None)
    if found is None:
        raise NotFound(f"{title_of(element)} has no document “{name}” (any more).")
    return found, documents.content(db, project_id, found.sha256)
