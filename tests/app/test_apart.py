"""Long work in parts: the same as in one, on this machine and on a scheduler; a lost worker is repeated, a lost scheduler told."""

import json
import os
import pickle
import signal
import subprocess
import sys
import time
from pathlib import Path
from threading import Event, Thread

import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of

from northfell.app import apart, cluster, workers
from northfell.app.cluster import ClusterLost, Scheduler
from northfell.app.jobs import GivenUp, Jobs
from northfell.app.results import gathering, running
from northfell.app.results.running import run_apart, run_over
from northfell.app.results.studies import Results, StateResults, requested
from northfell.app.workers import Limits, TooMuch, in_worker
from northfell.cli import main
from northfell.core.errors import NetworkRefused
from northfell.core.studies import STUDIES
from northfell.core.studies.load_flow import OUTAGES
from northfell.demo import skerrow_water
from northfell.formats import northfell_json

DEMO = skerrow_water()


def lost_once(marks: str, told) -> str:
    """Ends its own process the first time, as a machine without memory would."""
    try:
        os.close(os.open(marks, os.O_CREAT | os.O_EXCL))
    except FileExistsError:
        return "done"
    time.sleep(0.2)
    os.kill(os.getpid(), signal.SIGKILL)
    return "never"


def lost_always(told) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def steps(n: int, told) -> int:
    for k in range(n):
        told(k + 1, n, "counting")
    return n


def refused(told) -> None:
    raise NetworkRefused([])


def busy(told) -> None:
    while True:
        pass


@pytest.fixture
def always_in_workers(monkeypatch):
    monkeypatch.setattr(gathering, "SMALL", 0)


def same_findings(found):
    assert found == Results(DEMO).findings()


def test_gathering_and_outages_in_parts_are_those_of_one_run(always_in_workers):
    results = Results(DEMO)
    seen = []
    same_findings(gathering.findings(results, lambda *step: seen.append(step)))
    concerned = [s for s in STUDIES if s.concerns(DEMO.elements.values())]
    assert max(of for _, of, _ in seen) == len(concerned) * len(DEMO.state_names)  # the steps of all parts together
    made = gathering.asked_for(Results(DEMO), "Normal", OUTAGES, "", lambda *step: None)
    assert OUTAGES.tables("Normal", made) == OUTAGES.tables("Normal", requested(Results(DEMO), "Normal", OUTAGES))
    one, other = run_apart("load_flow", DEMO, DEMO.state_names), run_over("load_flow", [StateResults(DEMO, s) for s in DEMO.state_names])
    assert (one.tables, one.summaries, one.findings, one.told) == (other.tables, other.summaries, other.findings, other.told)


def test_a_worker_killed_during_a_run_is_begun_again_and_one_that_always_is_is_told(tmp_path):
    assert in_worker("A run", lost_once, str(tmp_path / "once"), told=lambda *step: None) == "done"
    with pytest.raises(TooMuch, match="A run was ended by the machine, 2 times"):
        in_worker("A run", lost_always, told=lambda *step: None)
    with pytest.raises(TooMuch, match="A run took more than 1 s of computing"):
        in_worker("A run", busy, limits=Limits(seconds=1), told=lambda *step: None)


def test_a_gathering_whose_worker_is_killed_ends_with_all_findings(always_in_workers, monkeypatch):
    """The process that solves is killed from outside while it runs."""
    begun, killed, make = [], [], workers._context.Process
    monkeypatch.setattr(workers._context, "Process", lambda *a, **k: begun.append(make(*a, **k)) or begun[-1])
    results = Results(DEMO)

    def told(done, of, doing):
        alive = [one.pid for one in begun if one.is_alive()]
        if not killed and alive:
            killed.append(alive[0])
            os.kill(alive[0], signal.SIGKILL)

    same_findings(gathering.findings(results, told))
    assert killed
    assert len(begun) > len(killed) + 1


def test_parts_that_fail_or_are_given_up_end_the_others():
    with pytest.raises(NetworkRefused):
        apart.each("Counting", refused, [(), ()])
    jobs = Jobs()
    job = jobs.start("a", "1", lambda job: apart.each("Counting", busy_steps, [(), ()], job.told))
    Thread(target=lambda: (time.sleep(0.7), jobs.cancel("a"))).start()
    with pytest.raises(GivenUp):
        job.future.result(timeout=20)


def busy_steps(told) -> None:
    for k in range(10**9):
        told(k, 10**9)
        time.sleep(0.01)


def only_normal(study, network, state, requests, buses, told):
    if state != "Normal":
        os.kill(os.getpid(), signal.SIGKILL)
    return run_over(study, [StateResults(network, state)], requests)


def test_a_state_that_takes_too_much_takes_no_other_away(monkeypatch):
    monkeypatch.setattr(running, "_run_one", only_normal)
    run = run_apart("load_flow", DEMO, DEMO.state_names[:2])
    assert list(run.summaries) == ["Normal"]
    assert run.tables == run_over("load_flow", [StateResults(DEMO, "Normal")]).tables
    assert run.lacking == ["data"]
    assert run.messages[-1].startswith(f"{DEMO.state_names[1]}: Running load flow was ended by the machine, 2 times")


def test_who_waits_takes_turns_by_project():
    turns, order, begun = workers.Turns(1), [], Event()

    def one(belongs, name):
        with turns.turn(belongs):
            order.append(name)
            begun.wait()

    threads = []
    for belongs, name in (("a", "a1"), ("a", "a2"), ("a", "a3"), ("b", "b1"), ("c", "c1"), ("b", "b2")):
        threads.append(Thread(target=one, args=(belongs, name)))
        threads[-1].start()
        time.sleep(0.05)  # one after the other
    begun.set()
    for thread in threads:
        thread.join()
    assert order == ["a1", "a2", "b1", "c1", "a3", "b2"]
    with turns.turn("d"):
        pass  # the place is free again


# ---- on a scheduler


class Cluster:
    """A scheduler and workers as processes of their own, as they would run on other machines."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        quiet = ("--no-dashboard",)
        self.scheduler = self._begin("scheduler", "--host", "127.0.0.1", "--port", "0", "--no-show", "--scheduler-file", str(folder / "s.json"), *quiet)
        for _ in range(300):
            try:
                self.address = json.loads((folder / "s.json").read_text())["address"]
                break
            except (OSError, ValueError):
                time.sleep(0.1)
        self.workers = [self.worker() for _ in range(2)]

    def worker(self):
        return self._begin("worker", self.address, "--nthreads", "1", "--no-dashboard", "--no-nanny", "--local-directory", str(self.folder))

    def _begin(self, what, *arguments):
        environment = {**os.environ, "PYTHONPATH": os.pathsep.join(["src", "."])}
        return subprocess.Popen([sys.executable, "-m", f"distributed.cli.dask_{what}", *arguments], env=environment, stderr=subprocess.DEVNULL)

    def end(self):
        for process in (*self.workers, self.scheduler):
            process.kill()
            process.wait()


@pytest.fixture
def there(tmp_path, monkeypatch):
    pytest.importorskip("distributed")
    made = Cluster(tmp_path)
    yield made
    apart.use(None)
    made.end()


def test_a_scheduler_that_is_lost_while_it_is_joined_is_told(monkeypatch):
    distributed = pytest.importorskip("distributed")

    class Lost:
        status = "running"

        def __init__(self, *_, **__): ...
        def submit(self, *_, **__):
            return self

        def result(self, timeout):
            raise distributed.CancelledError("scheduler-connection-lost")

        def close(self): ...

    monkeypatch.setattr(distributed, "Client", Lost)
    with pytest.raises(ClusterLost, match="was lost"):
        Scheduler("tcp://127.0.0.1:1").join()


def test_on_a_scheduler_the_same_comes_out_and_losses_are_repeated_or_told(there, tmp_path, monkeypatch, capsys):
    apart.use(Scheduler(there.address))
    monkeypatch.setattr(gathering, "SMALL", 0)
    same_findings(gathering.findings(Results(DEMO), lambda *step: None))
    with pytest.raises(NetworkRefused):
        apart.each("Counting", refused, [(), ()])
    assert apart.each("Counting", steps, [(3,), (5,), (2,)]) == [3, 5, 2]
    # a worker that ends during its part: another does it again
    assert apart.each("A run", lost_once, [(str(tmp_path / "a"),)]) == ["done"]
    there.workers.append(there.worker())
    # the command line on the same scheduler, against its own run
    file = tmp_path / "n.northfell.json"
    file.write_text(northfell_json.write(DEMO))
    outs = []
    for more in ([], ["--scheduler", there.address], ["--beside"]):
        assert main(["run", "short_circuit", str(file), "--all-states", *more]) == 0
        outs.append(json.loads(capsys.readouterr().out))
    assert outs[0] == outs[1] == outs[2]
    # the scheduler goes during a run
    monkeypatch.setattr(cluster, "ANSWERS_S", 3.0)
    apart.use(Scheduler(there.address))
    Thread(target=lambda: (time.sleep(1.5), there.scheduler.kill())).start()
    with pytest.raises(ClusterLost, match="was lost"):
        apart.each("A run", busy_steps, [()])
    with pytest.raises(ClusterLost, match="does not answer"):
        Scheduler(there.address).join()


def test_a_scheduler_that_is_not_there_is_told(monkeypatch, tmp_path, capsys):
    monkeypatch.setattr(cluster, "ANSWERS_S", 0.5)
    file = tmp_path / "n.northfell.json"
    file.write_text(northfell_json.write(network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD])))
    for wrong in ("tcp://127.0.0.1:1", "nowhere"):
        assert main(["run", "load_flow", str(file), "--all-states", "--scheduler", wrong]) == 1
        assert "does not answer" in json.loads(capsys.readouterr().out)["messages"][0]
    apart.use(None)
    monkeypatch.setitem(sys.modules, "distributed", None)
    with pytest.raises(ClusterLost, match="optional extra"):
        Scheduler("tcp://127.0.0.1:1").join()


def test_a_network_can_be_sent_while_something_is_found_of_it():
    """Only what it was made of goes: what is found of it is found in other threads meanwhile."""
    network = DEMO.model_copy()
    assert network.adjacency
    assert network.id_of_name
    there = pickle.loads(pickle.dumps(network))
    assert there == network
    assert not {"adjacency", "id_of_name"} & there.__dict__.keys()
