"""Addresses within a project: the one place where they are put together."""

from urllib.parse import quote


def at(project_id: object, *parts: object) -> str:
    """The address of a page, fragment or act of a project; what stands in it is quoted, a slash in a name too.

    >>> at(7, "ways", "MSB/1")
    '/projects/7/ways/MSB%2F1'
    """
    return f"/projects/{project_id}" + "".join(f"/{quote(str(part), safe='')}" for part in parts)
