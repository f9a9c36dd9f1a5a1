"""What a table of 5,000 cables costs on the server: all rows, one cell, a paste of two columns, the workbook out and in.

Run with `./nf bench`. Ratios are to reading the same elements from their raw data once, in the same run: what no table can do without.
"""

import itertools
import json
import tempfile
from pathlib import Path

from fastapi.testclient import TestClient

from benchmarks.run import milliseconds
from northfell.app.project.projects import create_project
from northfell.core.model.elements import ELEMENT
from northfell.core.model.network import Network, Placement, Sheet, element_from
from northfell.formats import network_tables, workbook
from northfell.store import connect
from northfell.web.application import create_application

CABLES = 5000


def cable_network(n: int = CABLES) -> Network:
    """A feeder of n cables in a row, drawn on no sheet."""
    raw = [{"kind": "bus", "id": f"B{k}", "name": f"B{k}", "v_nominal_kv": 11.0, "bus_kind": "junction"} for k in range(n + 1)]
    raw.append({"kind": "infeed", "id": "G", "name": "G", "bus": "B0", "ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1})
    for k in range(n):
        given = {"length_m": 10.0 + k % 700, "conductor": "copper", "area_mm2": 95.0, "insulation": "XLPE", "i_rated_a": 250.0}
        raw.append({"kind": "cable", "id": f"W{k}", "name": f"W{k}", "from_bus": f"B{k}", "to_bus": f"B{k + 1}", "r_ohm_per_km": 0.193, "x_ohm_per_km": 0.1,
                    "t_end_degc": 250.0, **given})  # fmt: skip
    elements = {one["id"]: element_from(one) for one in raw}
    sheet = Sheet(name="Part", placements={"B0": Placement(x=0, y=0, width=16)})
    return Network(name="Cables", sheets=[sheet]).model_copy(update={"elements": elements})


def block(turn: int) -> str:
    """Two columns as a spreadsheet gives them, other ones each turn."""
    return "\n".join(f"{30 + (turn + k) % 700}\t{1 + (turn + k) % 3}" for k in range(CABLES))


def main() -> None:
    network = cable_network()
    raw = [e.model_dump() for e in network.elements.values() if e.kind == "cable"]
    least = milliseconds(lambda: [ELEMENT.validate_python(one) for one in raw])
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "bench.sqlite3"
        with TestClient(create_application(database), base_url="http://127.0.0.1") as client:
            project = create_project(connect(database), network)
            base = f"/projects/{project}/table/cable"
            client.get(f"{base}/data")
            data = milliseconds(lambda: client.get(f"{base}/data"))
            rows = [f"W{k}" for k in range(CABLES)]

            def send(path: str, **body: object) -> None:
                version = int(client.get(f"/projects/{project}/version").text)
                answer = client.post(f"{base}/{path}", content=json.dumps({"version": version, **body}), headers={"content-type": "application/json"})
                assert answer.status_code == 200, answer.text[:300]

            turns = itertools.count()
            cell = milliseconds(lambda: send("cells", cells=[["W7", "length_m", str(20 + next(turns))]]))
            paste = milliseconds(lambda: send("paste", text=block(next(turns)), rows=rows,
                                              columns=["length_m", "parallel"]))  # fmt: skip
    tables = network_tables.tables_of(network)
    book = workbook.write_xlsx(tables)
    out = milliseconds(lambda: workbook.write_xlsx(tables))
    back = milliseconds(lambda: network_tables.network_of(workbook.read_xlsx(book)))
    print(f"{CABLES} cables: elements from raw data {least:.0f} ms")
    print(f"{'':14}  {'ms':>7}  {'ratio':>6}")
    for name, ms in (("all rows", data), ("one cell", cell), ("paste 2 x 5000", paste), ("workbook out", out), ("workbook in", back)):
        print(f"{name:14}  {ms:7.0f}  {ms / least:6.1f}")


if __name__ == "__main__":
    main()
