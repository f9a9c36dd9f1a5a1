"""Files with their structure changed at random: keys, values, rows, cells, columns of text, parts of a zip. Used by the tests and by the attack."""

import io
import json
import random
import zipfile
from typing import Any

from northfell.demo import skerrow_water
from northfell.formats import common_data_format, network_tables, northfell_json, northfell_zip, workbook
from northfell.formats.northfell_zip import WholeProject

KINDS_OF_FILE = ("json", "northfell", "xlsx", "zip", "tables", "cdf")
DEMO = skerrow_water()
JSON = json.loads(northfell_json.write(DEMO))
TABLES = network_tables.tables_of(DEMO)
PROJECT = northfell_zip.write(WholeProject(DEMO))
SMALL_TABLES = {name: rows[:6] for name, rows in TABLES.items()}
CDF = "\n".join(
    [
        f" 11/26/26 NORTHFELL           {100.0:6.1f} 2026 W Three buses",
        "BUS DATA FOLLOWS                            3 ITEMS",
        *(
            f"{n:4d} Bus {n}       1  1 {kind:2d} 1.000   0.00    {10.0 * n:5.1f}     {2.0 * n:5.1f}    0.0     0.0     132.0  1.000   0.0     0.0"
            "    0.0    0.0        0"
            for n, kind in ((1, 3), (2, 2), (3, 0))
        ),
        "-999",
        "BRANCH DATA FOLLOWS                         2 ITEMS",
        *(
            f"{a:4d} {b:4d}  1  1 1 0  0.01000   0.05000     0.02000  100     0     0    0 0  0.0       0.0 0.0    0.0     0.0     0.0   0.0"
            for a, b in ((1, 2), (2, 3))
        ),
        "-999",
        "",
    ]
)  # fmt: skip
ODD: list[Any] = [
    None, True, 0, -1, 1e-300, 1e308, 2**63, 10**400, float("nan"), float("inf"), "", " ", "x" * 300, "\x00", "\ud800", "=1+1", "W25", "²", "1e400",
    [], {}, [[]], {"a": {"b": []}}, "true", "{}", "[1", 5, 0.5, "Normal", "limits", "T1",
]  # fmt: skip


def _places(value: Any, at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    found = [at] if at else []
    for key in value if isinstance(value, dict) else range(len(value)) if isinstance(value, list) else ():
        found += _places(value[key], (*at, key))
    return found


def _mutated_data(data: Any, choose: random.Random) -> Any:
    """A copy with a few places replaced, taken away, doubled, renamed or exchanged."""
    data = json.loads(json.dumps(data))
    for _ in range(choose.randint(1, 4)):
        places = _places(data)
        if not places:
            return data
        *way, key = choose.choice(places)
        holder = data
        for step in way:
            holder = holder[step]
        act = choose.random()
        if act < 0.5:
            holder[key] = choose.choice(ODD)
        elif act < 0.65:
            del holder[key]
        elif act < 0.8 and isinstance(holder, list):
            holder.insert(key, holder[key])
        elif act < 0.9 and isinstance(holder, dict):
            holder[str(choose.choice(ODD))] = holder.pop(key)
        else:
            holder[key] = [holder[key]]
    return data


def _mutated_tables(choose: random.Random) -> dict[str, Any]:
    tables = {name: [list(row) for row in rows] for name, rows in SMALL_TABLES.items()}
    for _ in range(choose.randint(1, 4)):
        name = choose.choice(list(tables))
        rows = tables[name]
        if not rows:
            continue
        row = choose.choice(rows)
        act = choose.random()
        if act < 0.5 and row:
            row[choose.randrange(len(row))] = choose.choice([o for o in ODD if not isinstance(o, list | dict)])
        elif act < 0.7:
            del row[choose.randint(0, 1) :]
        elif act < 0.8:
            rows.remove(row)
        elif act < 0.9:
            row += [choose.choice(["x", 1, None])] * choose.randint(1, 3)
        else:
            tables[str(choose.choice(ODD))[:20]] = tables.pop(name)
    return tables


def _damaged(data: bytes, choose: random.Random) -> bytes:
    kept = bytearray(data)
    for _ in range(choose.randint(1, 6)):
        kept[choose.randrange(len(kept))] = choose.randrange(256)
    return bytes(kept[: choose.randint(len(kept) // 2, len(kept))]) if choose.random() < 0.2 else bytes(kept)


def mutated(kind: str, choose: random.Random) -> Any:
    """A file of a kind, changed."""
    if kind == "json":
        return json.dumps(_mutated_data(JSON, choose)).encode() if choose.random() < 0.9 else _damaged(json.dumps(JSON).encode(), choose)
    if kind == "cdf":
        text = list(CDF)
        for _ in range(choose.randint(1, 8)):
            text[choose.randrange(len(text))] = choose.choice("0123456789.- \n²xE9")
        return "".join(text).encode("latin-1", "replace")
    tables = _mutated_tables(choose)
    if kind == "tables":
        return tables
    plain = {t: [[str(c) if isinstance(c, int) and abs(c) > 10**15 else c for c in row] for row in rows] for t, rows in tables.items()}
    if kind == "zip":
        try:
            data = workbook.write_csv_zip(plain)
        except UnicodeEncodeError:
            data = workbook.write_csv_zip(SMALL_TABLES)
        return data if choose.random() < 0.6 else _damaged(data, choose)
    if kind == "xlsx":
        try:
            data = workbook.write_xlsx({f"{t[:20]} " if not t.strip() else t.replace("[", "").replace("\x00", "")[:31]: r for t, r in plain.items()})
        except Exception:  # the writer of workbooks refuses some names: whatever it writes is what is read
            data = workbook.write_xlsx(SMALL_TABLES)
        return data if choose.random() < 0.5 else _damaged(data, choose)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(PROJECT)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for info in old.infolist():
            data = old.read(info)
            if info.filename.endswith(".json") and choose.random() < 0.7:
                data = json.dumps(_mutated_data(json.loads(data), choose)).encode()
            if choose.random() < 0.95:
                new.writestr(info.filename, data)
    return out.getvalue() if choose.random() < 0.8 else _damaged(out.getvalue(), choose)


def reading(kind: str, data: Any) -> Any:
    """The network in a file of a kind."""
    if kind == "json":
        return northfell_json.read(data)
    if kind == "cdf":
        return common_data_format.read(data.decode("latin-1"))[0]
    if kind == "northfell":
        return northfell_zip.read(data).network
    return network_tables.network_of(data if kind == "tables" else workbook.read_xlsx(data) if kind == "xlsx" else workbook.read_csv_zip(data))
