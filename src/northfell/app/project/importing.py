"""Files that become projects: read by their endings, and laid out where they come without a drawing. Done in a worker."""

from dataclasses import dataclass, field

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.network import Network, Sheet
from northfell.drawing.layout import sheets_of
from northfell.formats import common_data_format, network_tables, northfell_json, northfell_zip, workbook
from northfell.formats.northfell_zip import WholeProject

ENDINGS = (".northfell", ".northfell.json", ".xlsx", ".zip", ".cdf")


@dataclass(frozen=True)
class Imported:
    """A whole project with its history, or a network; with what is worth knowing of how it was read."""

    network: Network
    whole: WholeProject | None = None
    messages: list[str] = field(default_factory=list)


def most_bytes(name: str) -> int:
    """How large a file of that name may be."""
    return northfell_zip.MOST_BYTES if name.lower().endswith(".northfell") else northfell_json.MOST_BYTES


def imported(name: str, data: bytes) -> Imported:
    """What a file holds, by the ending of its name.

    Raises
    ------
    NetworkRefused
        With the reasons; nothing of a refused file is taken.
    """
    low, messages = name.lower(), list[str]()
    if len(data) > most_bytes(name):
        raise NetworkRefused([InputRefused("size", f"{len(data) / 1e6:.0f} MB", f"at most {most_bytes(name) / 1e6:.0f} MB", where="File")])
    if low.endswith(".northfell"):
        whole = northfell_zip.read(data)
        return Imported(whole.network, whole)
    if low.endswith(".cdf"):
        network, messages = common_data_format.read(data.decode("latin-1"))
    elif low.endswith(".xlsx"):
        network = network_tables.network_of(workbook.read_xlsx(data))
    elif low.endswith(".zip"):
        network = network_tables.network_of(workbook.read_csv_zip(data))
    elif low.endswith(".json"):
        network = northfell_json.read(data)
    else:
        raise NetworkRefused([InputRefused("file", name[:80], f"a name that ends in {', '.join(ENDINGS)}", where="File")])
    return Imported(with_sheets(network), messages=messages)


def with_sheets(network: Network) -> Network:
    """The network on sheets: laid out where it comes without."""
    if network.sheets:
        return network
    drawn = sheets_of(network.elements)
    return network.model_copy(update={"sheets": [Sheet(name=f"Sheet {n}", placements=places) for n, places in enumerate(drawn, 1)]})


def tables_read(name: str, data: bytes) -> network_tables.Read:
    """Tables that come back to a project: a workbook, or CSV files in a zip."""
    return network_tables.read(workbook.read_csv_zip(data) if name.lower().endswith(".zip") else workbook.read_xlsx(data))
