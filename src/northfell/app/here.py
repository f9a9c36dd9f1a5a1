"""What is reached over HTTP on this machine alone."""

from contextlib import suppress
from ipaddress import ip_address
from urllib.parse import urlsplit

from northfell.core.errors import InputRefused, NetworkRefused


def address_here(what: str, told: str, port: int) -> str:
    """An address at which something is reached: on this machine alone, since nothing vouches for others.

    Raises
    ------
    NetworkRefused
        If it is none, or another machine's.
    """
    parts = urlsplit(told)
    local = parts.hostname == "localhost"
    with suppress(ValueError):
        local = local or ip_address(parts.hostname or "").is_loopback
    if parts.scheme != "http" or not local or parts.path not in ("", "/") or parts.query:
        raise NetworkRefused([InputRefused(what, told, f"an address on this machine, such as http://127.0.0.1:{port}", where="Command line")])
    return f"http://{parts.netloc}"
