"""The command line: studies on any network file without a browser, and the application itself."""

import argparse
import gc
import getpass
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NoReturn

from northfell.app import apart
from northfell.app.cluster import Scheduler
from northfell.app.results import results_file
from northfell.app.results.running import run_apart, run_over
from northfell.app.results.studies import StateResults
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, NoSolution
from northfell.core.model.changes import settings_with
from northfell.core.model.network import Network
from northfell.core.model.settings import study_keys
from northfell.core.rules.completeness import missing
from northfell.core.studies import STUDIES, study_of
from northfell.core.tables import Table
from northfell.core.verdicts import network_findings
from northfell.formats import common_data_format, network_tables, northfell_json, results, workbook

SOLVED, BAD_INPUT, NO_SOLUTION = 0, 1, 2
BY_PHASE = {"load_flow": "phase_flow", "short_circuit": "phase_faults"}  # what is asked for by phase is a study of its own


def main(arguments: Sequence[str] | None = None) -> int:
    """Entry point; returns the exit code."""
    try:
        options = _parser().parse_args(arguments)
    except _Refused as error:
        return _argument_refused(list(sys.argv[1:] if arguments is None else arguments), error, exits=arguments is None)
    try:
        code: int = options.do(options)
    except BrokenPipeError:
        return SOLVED
    except NorthfellError as error:
        print(error, file=sys.stderr)
        code = BAD_INPUT
    if arguments is None:
        sys.exit(code)
    return code


@contextmanager
def _memory_as_it_comes() -> Iterator[None]:
    """One run makes hundreds of thousands of objects that stay until it ends: looking again and again for what refers to itself takes a tenth of it."""
    looked = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if looked:
            gc.enable()


class _Refused(Exception):
    """What argparse says of the arguments."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise _Refused(f"{self.format_usage().strip()}\n{message}")


def _argument_refused(arguments: list[str], error: _Refused, exits: bool) -> int:
    """Arguments that cannot be read keep the contract too: JSON where JSON is promised, exit 1."""
    usage, _, message = str(error).rpartition("\n")
    if arguments[:1] in (["run"], ["check"]):
        told = {"messages": [f"Command line: {message}"]}
        empty: dict[str, Any] = {"study": None, "state": None, "settings": {}, "converged": False, "summary": {}, "tables": {}, "findings": []}
        sys.stdout.write(results.to_json({**(empty if arguments[0] == "run" else {"file": None, "studies": {}}), **told}))
    print(f"{usage}\n{message}", file=sys.stderr)
    if exits:
        sys.exit(BAD_INPUT)
    return BAD_INPUT


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="northfell", description="Load flow, short circuit and arc flash of electrical networks.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="command")

    def command(name: str, do: Any, help_: str) -> argparse.ArgumentParser:
        one = commands.add_parser(name, help=help_, description=help_)
        one.set_defaults(do=do)
        return one

    demo = command("demo", _demo, "Start with the demo project and open it in the browser.")
    serve = command("serve", _serve, "Start the application.")
    for one in (demo, serve):
        one.add_argument("--data", type=Path, default=None, help="folder of the database; by default ~/.local/share/northfell")
        one.add_argument("--port", type=int, default=8400, help="port on this machine (0: any free one)")
        one.add_argument("--host", default="127.0.0.1", help="address to serve at; other than this machine's own, everyone signs in")
        one.add_argument("--name", action="append", default=[], metavar="NAME", help="a further name under which it is reached there")
        one.add_argument("--certificate", type=Path, help="TLS certificate (PEM)")
        one.add_argument("--key", type=Path, help="TLS key (PEM)")
        one.add_argument("--scheduler", metavar="ADDRESS", help="do long work on a Dask scheduler, such as tcp://192.0.2.7:8786 (extra: cluster)")
        one.add_argument("--relays", metavar="ADDRESS", help="relays that take settings, such as the stand-in at http://127.0.0.1:9102")
        one.add_argument("--printer", metavar="ADDRESS", help="a label printer (IPP), such as the stand-in at http://127.0.0.1:9103")
        one.add_argument("--test-mode", action="store_true", help="with a page that shows every fragment: /projects/1/fragments")
        one.add_argument("--no-browser", action="store_true", help="do not open a browser")

    stand_in = command("relays", _relays, "A stand-in for relays on this machine: it holds the settings that it is sent, for trying.")
    stand_in.add_argument("--port", type=int, default=9102, help="port on this machine (0: any free one)")
    stand_in.add_argument("--step", type=float, default=0.01, help="to which numbers are held; 0: as they are sent")
    no_printer = command("printer", _printer, "A stand-in for a label printer on this machine: it keeps the jobs that it is sent, and shows them.")
    no_printer.add_argument("--port", type=int, default=9103, help="port on this machine (0: any free one)")
    user = command("user", _user, "Who may sign in where the application is served to others.")
    user.add_argument("act", choices=("add", "list", "remove"))
    user.add_argument("name", nargs="?", metavar="NAME")
    user.add_argument("--role", default="edits", choices=("edits", "reads"))
    user.add_argument("--password-from-input", action="store_true", help="read the password from the first line of the input")
    backup = command("backup", _backup, "Keep a copy of the database, also while the application runs.")
    backup.add_argument("--to", type=Path, help="file to write; by default a dated one in the folder backups")
    backup.add_argument("--keep", type=int, metavar="N", help="from now on, keep the newest N of the copies made each day (14 where nothing else is said)")
    restore = command("restore", _restore, "Put a copy in the place of the database; the application must not run.")
    restore.add_argument("source", type=Path, metavar="FILE")
    for one in (user, backup, restore):
        one.add_argument("--data", type=Path, default=None, help="folder of the database; by default ~/.local/share/northfell")

    convert = command("convert", _convert, "Convert a network file, by file ending: .northfell.json, or .cdf (IEEE Common Data Format, in only).")
    convert.add_argument("source", type=Path, metavar="IN")
    convert.add_argument("target", type=Path, metavar="OUT")

    run = command("run", _run, "Run a study on a network file and print its result as JSON.")
    run.add_argument("study", choices=study_keys())
    run.add_argument("file", type=Path)
    which = run.add_mutually_exclusive_group()
    which.add_argument("--state", default="Normal", help="operating state")
    which.add_argument("--all-states", action="store_true", help="every operating state, one after the other")
    run.add_argument("--set", action="append", default=[], metavar="KEY=VALUE", help="a setting, such as lv_tolerance_pct=6 or limits.loading_close_pct=80")
    for study in STUDIES:
        for what in study.on_request:
            needs: dict[str, Any] = {"nothing": {"action": "store_const", "const": ""}, "a name or nothing": {"nargs": "?", "const": ""}}.get(what.needs, {})
            named: dict[str, Any] = {"metavar": "NAME"} if what.needs != "nothing" else {}
            run.add_argument(what.flag, dest=f"request_{what.key}", help=f"{study.key}: {what.help}", **needs, **named)
    run.add_argument(
        "--by-phase",
        action="store_true",
        help="load_flow, short_circuit: every conductor by itself, as the studies phase_flow and phase_faults (so does --set phases=abc)",
    )
    run.add_argument("--bus", action="append", default=[], metavar="NAME", help="of this bus alone, with all that is known there; may be given again")
    beside = run.add_mutually_exclusive_group()
    beside.add_argument("--beside", action="store_true", help="operating states beside each other, on all processors of this machine")
    beside.add_argument("--scheduler", metavar="ADDRESS", help="operating states on a Dask scheduler, such as tcp://192.0.2.7:8786 (extra: cluster)")
    run.add_argument("--out", type=Path, help="also write to a file, .json, .csv or .xlsx, or to a folder, a CSV file for each table")

    check = command("check", _check, "Say what is missing for which study; exit 1 where a study cannot run.")
    check.add_argument("file", type=Path)
    check.add_argument("--study", choices=study_keys(), help="let this study alone decide the exit code")

    command("schema", _schema, "Print the JSON schema of the network file.")

    labels = command("labels", _labels, "Print arc-flash labels of all locations as PDF.")
    labels.add_argument("file", type=Path)
    labels.add_argument("--template", default="field", metavar="FORM", help="field, detailed, compact or procedure")
    labels.add_argument("--stock", default="a4", metavar="STOCK", help="a4, a4-8, a4-4-side, roll, roll-side, roll-small or roll-warning")
    labels.add_argument("--language", default="en", help="en, de, fr or es")
    labels.add_argument("--out", type=Path, required=True)
    return parser


def read_network(path: Path) -> tuple[Network, list[str]]:
    """A network from a file, by its ending, with messages."""
    name = path.name.lower()
    if path.is_dir():
        return network_tables.network_of(workbook.read_csv_folder(path)), []
    if name.endswith(".xlsx"):
        return network_tables.network_of(workbook.read_xlsx(northfell_json.bytes_of(path))), []
    if name.endswith(".json"):
        return northfell_json.read_file(path), []
    if name.endswith(".cdf"):
        return common_data_format.read(northfell_json.bytes_of(path).decode("latin-1"))
    raise NetworkRefused([InputRefused("file", path.name, "a name that ends in .northfell.json, .xlsx or .cdf, or a folder of CSV files", where="File")])


def _demo(options: argparse.Namespace) -> int:
    from northfell.web.serve import serve

    return serve(_place(options), demo=True, browser=not options.no_browser)


def _serve(options: argparse.Namespace) -> int:
    from northfell.web.serve import serve

    return serve(_place(options), demo=False, browser=not options.no_browser)


def _place(options: argparse.Namespace) -> Any:
    from northfell.web.serve import Place

    names, scheduler = tuple(options.name), options.scheduler or ""
    beside = options.relays or "", options.printer or ""
    return Place(options.data, options.host, options.port, names, options.certificate, options.key, options.test_mode, scheduler, *beside)


def _relays(options: argparse.Namespace) -> int:
    """A stand-in that takes settings until it is stopped."""
    from northfell.app.relays import StandIn

    with StandIn(options.port, options.step) as stand_in:
        print(f"Relays that are none, at http://127.0.0.1:{stand_in.server_address[1]}: they hold what they are sent.", flush=True)
        with suppress(KeyboardInterrupt):
            stand_in.serve_forever()
    return SOLVED


def _printer(options: argparse.Namespace) -> int:
    """A stand-in that takes jobs of labels until it is stopped."""
    from northfell.app.printer import StandIn

    with StandIn(options.port) as stand_in:
        print(f"A label printer that is none, at http://127.0.0.1:{stand_in.server_address[1]}: it shows the jobs that it is sent.", flush=True)
        with suppress(KeyboardInterrupt):
            stand_in.serve_forever()
    return SOLVED


def _user(options: argparse.Namespace) -> int:
    """Who may sign in where the application is served to others."""
    from northfell.app.project import installation, people

    db = installation.opened(installation.folder_of(options.data))
    if options.act == "list":
        for person in installation.people(db):
            print(f"{person.name}\t{person.role}")
    elif options.act == "remove":
        installation.remove_person(db, options.name or "")
        print(f"{options.name} may not sign in any more.", file=sys.stderr)
    else:
        people.put_person(db, options.name or "", options.role, _password(options.password_from_input))
        print(f"{options.name} may sign in (role “{options.role}”).", file=sys.stderr)
    db.close()
    return SOLVED


def _password(from_input: bool) -> str:
    if from_input:
        return sys.stdin.readline().rstrip("\r\n")
    first = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != first:
        raise NetworkRefused([InputRefused("password", "two different ones", "the same twice", where="User")])
    return first


def _backup(options: argparse.Namespace) -> int:
    from northfell.app.project import installation

    folder = installation.folder_of(options.data)
    made = installation.back_up(folder, options.to)
    if options.keep is not None:
        installation.keep_backups(folder, options.keep)
    print(f"Wrote {made}", file=sys.stderr)
    return SOLVED


def _restore(options: argparse.Namespace) -> int:
    from northfell.app.project import installation

    kept = installation.restore(installation.folder_of(options.data), options.source)
    print(f"Restored from {options.source}. What stood before is kept as {kept}." if kept else f"Restored from {options.source}.", file=sys.stderr)
    return SOLVED


def _convert(options: argparse.Namespace) -> int:
    network, messages = read_network(options.source)
    name = options.target.name.lower()
    if name.endswith(".json"):
        _write(options.target, northfell_json.write(network).encode())
    elif name.endswith(".xlsx"):
        _write(options.target, workbook.write_xlsx(network_tables.tables_of(network)))
    elif not options.target.suffix or name.endswith(".csv"):
        _write_folder(options.target, workbook.csv_files(network_tables.tables_of(network)))
    else:
        accepted = "a name that ends in .northfell.json or .xlsx, or a folder for CSV files"
        raise NetworkRefused([InputRefused("file", options.target.name, accepted, where="Output")])
    for message in messages:
        print(message, file=sys.stderr)
    print(f"Wrote {options.target}: {len(network.elements)} elements.", file=sys.stderr)
    return SOLVED


def _write_folder(folder: Path, files: dict[str, bytes]) -> None:
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise NetworkRefused([InputRefused("folder", str(folder), "a folder that can be made", error.strerror or "", "Output")]) from None
    for name, data in files.items():
        _write(folder / name, data)


def _write(path: Path, data: bytes) -> None:
    try:
        path.write_bytes(data)
    except OSError as error:
        raise NetworkRefused([InputRefused("file", str(path), "a place that can be written to", error.strerror or "", "Output")]) from None


@_memory_as_it_comes()
def _run(options: argparse.Namespace) -> int:
    answer: dict[str, Any] = {
        "study": options.study, "state": options.state, "settings": {}, "converged": False, "summary": {}, "tables": {}, "findings": [], "messages": [],
    }  # fmt: skip
    tables: list[Table] = []
    try:
        network, answer["messages"] = read_network(options.file)
        _by_phase(options)
        network = _with_settings(network, options.study, options.set)
        answer["settings"] = results_file.settings_of(network, options.study)
        states = network.state_names if options.all_states else [options.state]
        answer["state"] = states if options.all_states else options.state
        _on_request_fits(network, options)
        for state in states:
            network.state(state)  # refuses an unknown one
        asked = {what.key: given for what in study_of(options.study).on_request if (given := getattr(options, f"request_{what.key}")) is not None}
        if options.beside or options.scheduler:
            apart.use(Scheduler(options.scheduler) if options.scheduler else None)
            run = run_apart(options.study, network, states, asked, options.bus)
        else:
            run = run_over(options.study, [StateResults(network, state) for state in states], asked, options.bus)
        answer |= {**run.answer(answer["settings"]), "state": answer["state"], "messages": answer["messages"] + run.messages}
        code, tables = BAD_INPUT if "data" in run.lacking else NO_SOLUTION if run.lacking else SOLVED, run.tables
    except NetworkRefused as error:
        answer["messages"] += [str(one) for one in error.refusals]
        code = BAD_INPUT
    except NorthfellError as error:
        answer["messages"].append(str(error))
        code = BAD_INPUT
    text = results.to_json(answer)
    if options.out:
        try:
            _write_result(options.out, text, [*tables, results_file.settings_table(answer["settings"])])
        except NetworkRefused as error:
            answer["messages"] += [str(one) for one in error.refusals]
            text, code = results.to_json(answer), BAD_INPUT
    sys.stdout.write(text)
    for message in answer["messages"]:
        print(message, file=sys.stderr)
    return code


def _by_phase(options: argparse.Namespace) -> None:
    """A load flow, or faults, that are asked for by phase are the study of that name."""
    asked = [pair for pair in options.set if pair == "phases=abc"]
    if options.study in BY_PHASE and (asked or options.by_phase):
        options.study, options.set = BY_PHASE[options.study], [pair for pair in options.set if pair not in asked]
    elif options.by_phase and options.study not in BY_PHASE.values():
        raise NetworkRefused([InputRefused("--by-phase", options.study, f"the study {' or '.join(BY_PHASE)}", where="Command line")])


def _on_request_fits(network: Network, options: argparse.Namespace) -> None:
    """Refuse what only another study can do, and an element that is not there."""
    if options.bus and study_of(options.study).tables_at is None:
        able = ", ".join(study.key for study in STUDIES if study.tables_at is not None)
        raise NetworkRefused([InputRefused("--bus", options.study, f"the study {able}", where="Command line")])
    for name in options.bus:
        if network.elements.get(network.id_of_name.get(name, ""), None) is None or network.elements[network.id_of_name[name]].kind != "bus":
            raise NetworkRefused([InputRefused("--bus", name, "the name of a bus", where="Command line")])
    for study in STUDIES:
        for what in study.on_request:
            given = getattr(options, f"request_{what.key}")
            if given is not None and options.study != study.key:
                raise NetworkRefused([InputRefused(what.flag, options.study, f"the study {study.key}", where="Command line")])
            if given and given not in network.id_of_name:
                raise NetworkRefused([InputRefused(what.flag, given, f"the name of {what.of}", where="Command line")])


def _with_settings(network: Network, study: str, pairs: list[str]) -> Network:
    settings = network.settings
    for pair in pairs:
        key, equals, text = pair.partition("=")
        if not equals:
            raise NetworkRefused([InputRefused("--set", pair, "KEY=VALUE", where="Command line")])
        try:
            value = json.loads(text)
        except ValueError:
            value = text
        path = key if "." in key or key in type(settings).model_fields else f"{_owner(study, key)}.{key}"
        settings = settings_with(settings, path, value)
    return network.model_copy(update={"settings": settings})


def _owner(study: str, setting: str) -> str:
    """The study whose setting is meant: the one that is run, else one whose results it uses."""
    asked = study_of(study)
    return next((one for one in (study, *asked.uses) if setting in study_of(one).settings.model_fields), study)


def _write_result(path: Path, text: str, tables: list[Table]) -> None:
    name = path.name.lower()
    writers: dict[str, Callable[[], bytes]] = {
        ".json": lambda: text.encode(),
        ".csv": lambda: results.to_csv(tables).encode("utf-8-sig"),
        ".xlsx": lambda: results.to_workbook(tables),
    }
    for ending, write in writers.items():
        if name.endswith(ending):
            _write(path, write())
            print(f"Wrote {path}", file=sys.stderr)
            return
    if path.suffix and not path.is_dir():
        raise NetworkRefused([InputRefused("--out", path.name, "a name that ends in .json, .csv or .xlsx, or a folder", where="Command line")])
    _write_folder(path, {f"{table.name}.csv": table.to_csv().encode("utf-8-sig") for table in tables})
    for table in tables:
        print(f"Wrote {path / table.name}.csv: {len(table.rows)} rows", file=sys.stderr)


def _check(options: argparse.Namespace) -> int:
    """Missing data and what else keeps a study from running, in any state."""
    try:
        network, messages = read_network(options.file)
    except NetworkRefused as error:
        sys.stdout.write(results.to_json({"file": str(options.file), "studies": {}, "messages": [str(r) for r in error.refusals]}))
        print(error, file=sys.stderr)
        return BAD_INPUT
    told: dict[str, Any] = {}
    for study in study_keys():
        reasons: list[str] = []
        for state in network.state_names:
            one = StateResults(network, state)
            lacking = [str(m) for m in missing(one.elements, study) if one.energised.get(m.element.id, False)]
            outcome = one.outcome(study) if not lacking else None
            reasons += lacking or [str(r) for r in getattr(outcome, "reasons", ())] or ([str(outcome)] if isinstance(outcome, NoSolution) else [])
            reasons += [] if lacking or isinstance(outcome, Exception) or outcome is None else outcome.net.held_back_told
        told[study] = {"can_run": not reasons, "missing": list(dict.fromkeys(reasons))}
    clash = [f.to_json() for state in network.state_names for f in network_findings(network.in_state(state), state)]
    sys.stdout.write(results.to_json({"file": str(options.file), "studies": told, "findings": clash, "messages": messages}))
    decides = [options.study] if options.study else list(study_keys())
    return SOLVED if all(told[s]["can_run"] for s in decides) else BAD_INPUT


def _schema(options: argparse.Namespace) -> int:
    sys.stdout.write(results.to_json(northfell_json.schema()))
    return SOLVED


def _labels(options: argparse.Namespace) -> int:
    from northfell.app.results.labels import labels_of
    from northfell.app.results.printing import plain_pdf

    network, _ = read_network(options.file)
    job = labels_of(network)
    for line in job.left_out:
        print(f"Not printed: {line}", file=sys.stderr)
    _write(options.out, plain_pdf(network.name, job.labels, options.template, options.stock, options.language))
    print(f"Wrote {options.out}: {len(job.labels)} labels.", file=sys.stderr)
    return BAD_INPUT if job.left_out else SOLVED
