"""Stand-in printers and the way to them: hours by hand, what fails, what answers nonsense, and nothing lost."""

from __future__ import annotations

import contextlib
import io
import json
import os
import re
import shutil
import socket
import subprocess
import sys
import threading
import time
import zipfile
from http.server import BaseHTTPRequestHandler, HTTPServer

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from deft_slab.commands.options import TOKEN
from deft_slab.core.errors import BadPlan, SaveFailed, UnreadableFile
from deft_slab.core.evaluate.evaluator import Evaluator
from deft_slab.core.exporting.beds import laid_with_job
from deft_slab.core.exporting.delivery import deliver
from deft_slab.core.exporting.options import Wished
from deft_slab.core.exporting.slices.images import ABOUT, png_of
from deft_slab.core.figures.print_time import layer_count, layers_of
from deft_slab.core.layers.sections import Levels
from deft_slab.core.plan.plan import Plan
from deft_slab.core.printers.profile import default_printer, shipped_printers
from deft_slab.core.printing.link import Link, NotThere, PrinterTrouble, status_in
from deft_slab.core.printing.messages import About, digest_of
from deft_slab.core.printing.outbox import Device, Outbox, job_id
from deft_slab.standin import folder as looking
from deft_slab.standin import server as serving
from deft_slab.standin.folder import STATUS, Watch, status_name
from deft_slab.standin.loads import Load, load_of
from deft_slab.standin.machine import Awaited, Machine
from deft_slab.standin.server import Server
from tests import fuzz_printing
from tests.core.test_commands import answer, call
from tests.shapes import box, model_of, solid_of

FILAMENT = default_printer()
RESIN = shipped_printers()["small-resin"].changed(layer_heights=(0.05,), line_width=0.1)


class Clock:
    def __init__(self) -> None:
        self.now = 1000.0

    def __call__(self) -> float:
        return self.now


def bed(folder, printer=RESIN, size=(10, 10, 37.35), layers=False):
    """(a bed in files, its job)."""
    model = model_of(solid_of(box(*size)))
    outcome = Evaluator(model).evaluate(Plan(model=model.ref), printer)
    laid, work = laid_with_job(outcome, printer)
    deliver(outcome.pieces, laid, printer, "Pillar", folder, Wished(pieces=(), layers=layers), work)
    return folder / ("bed-1-layers.zip" if layers else "bed-1.3mf"), work


@pytest.fixture(scope="module")
def pillar(tmp_path_factory):
    """747 layers of 0.05 mm on resin."""
    return bed(tmp_path_factory.mktemp("pillar"))[0]


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def machine(tmp_path, clock):
    return Machine(RESIN, tmp_path / "kept", now=clock)


def taken(machine, path, job="pillar-1", tmp=None):
    body = path.with_name(f"coming-{job}{path.suffix}")
    shutil.copyfile(path, body)
    return machine.take(job, "Pillar", digest_of(path), path.suffix, body)


# the printer


def test_747_layers_take_as_long_as_by_hand(machine, pillar, clock):
    """5 bottom layers of 30 s, the others 2.5 + 7.1 s; 9.6 s a layer, about 2 h (common practice)."""
    status, new = taken(machine, pillar)
    assert new
    assert (status.layers, status.state, status.layer) == (747, "waiting", 0)
    assert status.seconds_left == pytest.approx(5 * 30 + 742 * 9.6)
    assert status.grams == pytest.approx(10 * 10 * 37.35 / 1000 * RESIN.material_density, rel=1e-4)
    machine.order("pillar-1", "start")
    clock.now += 5 * 30 + 361 * 9.6 + 1
    half = machine.status("pillar-1")
    assert half.layer == 366
    clock.now += 1e6
    done = machine.status("pillar-1")
    assert (done.state, done.layer, done.seconds_left, done.problem) == ("done", 747, 0.0, "")
    assert machine.about().loaded == pytest.approx(1000 - status.grams)


def test_pictures_say_the_same_as_the_3mf(tmp_path):
    folder = tmp_path / "both"
    path, _ = bed(folder, size=(10, 10, 2), layers=True)
    by_pictures, by_bodies = load_of(path, RESIN), load_of(folder / "bed-1.3mf", RESIN)
    assert by_pictures.layers == by_bodies.layers == 40
    assert by_pictures.seconds == pytest.approx(by_bodies.seconds)
    assert by_pictures.grams == pytest.approx(by_bodies.grams, rel=0.03)


def test_filament_takes_as_long_as_the_job_said(tmp_path):
    """Without support, which is not in the file, the printer finds the hours of the job by itself."""
    path, work = bed(tmp_path / "f", FILAMENT, (40, 30, 60))
    load = load_of(path, FILAMENT)
    assert load.seconds == pytest.approx(work.seconds, rel=1e-4)
    assert load.grams == pytest.approx(work.material, rel=1e-4)
    assert load.layers == 300


@given(st.integers(1, 3000), st.integers(0, 20), st.floats(0, 60), st.floats(0.1, 60), st.floats(0, 1))
@settings(deadline=None)
def test_layers_and_seconds_are_each_other_s_inverse(layers, bottoms, first, rest, share):
    load = Load(layers, min(bottoms, layers), first, rest, 1.0)
    number = int(share * layers)
    assert load.layer_at(load.until(number) + 1e-6) >= number
    assert load.layer_at(load.seconds + 1e-6) == layers
    assert load.until(load.layer_at(share * load.seconds)) <= share * load.seconds + 1e-3


def test_paused_resumed_cancelled_and_asked_twice(machine, pillar, clock):
    taken(machine, pillar)
    for _ in range(2):  # asked again, as after an answer that got lost
        assert machine.order("pillar-1", "start").state == "printing"
    clock.now += 600
    before = machine.order("pillar-1", "pause").layer
    clock.now += 1e5
    assert machine.status("pillar-1").layer == before
    with pytest.raises(BadPlan, match="it is paused"):
        machine.order("pillar-1", "start")
    assert machine.status("pillar-1").resumable
    machine.order("pillar-1", "resume")
    taken(machine, pillar, "pillar-2")
    with pytest.raises(BadPlan, match="is printing"):
        machine.order("pillar-2", "start")
    assert machine.order("pillar-1", "cancel").state == "cancelled"
    assert machine.order("pillar-2", "start").state == "printing"
    with pytest.raises(KeyError):
        machine.order("pillar-3", "start")
    with pytest.raises(BadPlan, match="cannot melt"):
        machine.order("pillar-2", "melt")


def test_the_material_runs_out_and_it_goes_on_with_more(tmp_path, pillar, clock):
    machine = Machine(RESIN, tmp_path / "kept", loaded=2.0, now=clock)
    status, _ = taken(machine, pillar)
    machine.order("pillar-1", "start")
    clock.now += 1e6
    out = machine.status("pillar-1")
    assert (out.state, out.resumable) == ("paused", True)
    assert out.layer == pytest.approx(747 * 2.0 / status.grams, abs=20)  # bottom layers take longer
    assert f"ran out at layer {out.layer}" in out.problem
    assert machine.about().loaded == 0
    with pytest.raises(BadPlan, match="no material"):
        machine.order("pillar-1", "resume")
    machine.load(100)
    machine.order("pillar-1", "resume")
    clock.now += 1e6
    assert machine.status("pillar-1").state == "done"


def test_jobs_that_are_long_over_are_forgotten(machine, pillar, tmp_path):
    for number in range(24):
        taken(machine, pillar, f"job-{number}")
        machine.order(f"job-{number}", "cancel")
    taken(machine, pillar, "last")
    jobs = [job.id for job in machine.about().jobs]
    assert len(jobs) == 21
    assert jobs[-1] == "last"
    assert "job-0" not in jobs
    assert {one.stem for one in (tmp_path / "kept").glob("*.3mf")} == set(jobs)


@pytest.mark.parametrize(
    ("kind", "state", "words"),
    [("island dropped", "failed", "fell off"), ("film torn", "failed", "a cup"),
     ("out of material", "paused", "ran out at layer 100")],
)
def test_it_fails_when_told_to(machine, pillar, clock, kind, state, words):
    taken(machine, pillar)
    machine.await_trouble(Awaited(kind=kind, layer=100))
    machine.order("pillar-1", "start")
    clock.now += 1e6
    status = machine.status("pillar-1")
    assert (status.state, status.layer) == (state, 100)
    assert words in status.problem


def test_what_is_no_bed_of_this_printer_is_refused(machine, tmp_path, pillar):
    machine.await_trouble(Awaited(kind="wrong unit"))
    with pytest.raises(BadPlan, match="unit must be wrong"):
        taken(machine, pillar)
    assert taken(machine, pillar)[1]  # it comes once
    large, _ = bed(tmp_path / "large", RESIN.changed(bed_x=4000, bed_y=4000, height=4000), (2540, 30, 60))
    with pytest.raises(UnreadableFile, match="unit must be wrong"):
        taken(machine, large, "large")
    wide, _ = bed(tmp_path / "wide", RESIN.changed(bed_x=400), (200, 30, 5))
    with pytest.raises(UnreadableFile, match="sticks out"):
        taken(machine, wide, "wide")
    pictures, _ = bed(tmp_path / "fine", RESIN.changed(line_width=0.05), (10, 10, 1), layers=True)
    with pytest.raises(UnreadableFile, match="pixels of 0.05 mm"):
        taken(machine, pictures, "pictures")
    junk = tmp_path / "junk.3mf"
    junk.write_bytes(b"PK\x03\x04 nothing of the kind")
    with pytest.raises(UnreadableFile, match="no 3MF"):
        taken(machine, junk, "junk")
    with pytest.raises(UnreadableFile, match="cannot expose"):
        load_of(pictures, FILAMENT)


def test_after_the_power_was_lost_it_can_go_on(tmp_path, pillar, clock):
    machine = Machine(RESIN, tmp_path / "kept", now=clock)
    taken(machine, pillar)
    machine.order("pillar-1", "start")
    clock.now += 3000
    before = machine.status("pillar-1").layer
    del machine
    clock.now += 10_000
    again = Machine(RESIN, tmp_path / "kept", now=clock)
    status = again.status("pillar-1")
    assert (status.state, status.layer) == ("paused", before)
    assert "power was lost" in status.problem
    again.order("pillar-1", "resume")
    clock.now += 1e6
    assert again.status("pillar-1").state == "done"
    (tmp_path / "kept" / "printer.json").write_text("{")
    with pytest.raises(BadPlan, match="not what a printer keeps"):
        Machine(RESIN, tmp_path / "kept")


def test_rounding_of_a_file_makes_no_further_layer():
    assert layers_of(120.000003, 0.2) == layer_count(120.000003, FILAMENT) == 600
    assert layers_of(120.01, 0.2) == 601
    assert Levels(5.0, 0.2, 125.000003).count == 600


# over the network


@pytest.fixture
def served(machine, tmp_path, monkeypatch):
    monkeypatch.setattr(serving._Handler, "timeout", 0.5)
    with running(machine, tmp_path / "kept") as server:
        yield server


@contextlib.contextmanager
def running(machine, folder, port=0):
    server = Server(machine, "secret", folder, port)
    thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.02})
    thread.start()
    try:
        yield server
    finally:
        server.shutdown()
        thread.join()
        server.server_close()


def link_to(server):
    return Link(server.url, "secret", patience=20.0)


def test_sent_printed_and_its_layers_seen(served, pillar, clock):
    link = link_to(served)
    about = link.about()
    assert (about.name, about.kind, about.pixel, about.bed) == (RESIN.name, "resin", 0.1, (130, 80, 160))
    assert link.send("a-1", "Pillar “one”/ü", pillar).name == "Pillar “one”/ü"
    assert link.send("a-1", "Pillar", pillar).state == "waiting"  # again: taken once
    assert len(link.about().jobs) == 1
    assert link.order("a-1", "start").state == "printing"
    with Image.open(io.BytesIO(link.picture("a-1", 400))) as picture:
        white = np.asarray(picture)
    assert white.sum() * 0.01 == pytest.approx(100, abs=2.1)
    clock.now += 1e6
    assert link.status("a-1").state == "done"
    assert link.load(50).loaded > 0
    for wrong in (lambda: link.status("b"), lambda: link.picture("a-1", 900), lambda: link.order("a-1", "pause")):
        with pytest.raises(PrinterTrouble):
            wrong()


def test_by_curl(served, pillar):
    def curl(*given):
        done = subprocess.run(
            ["curl", "-s", "-w", "\n%{http_code}", *given], capture_output=True, check=True, text=True
        )
        body, _, code = done.stdout.rpartition("\n")
        return int(code), json.loads(body) if body else None

    token = ("-H", "Authorization: Bearer secret")
    assert curl(served.url)[0] == 401
    assert curl("-H", "Authorization: Bearer wrong", served.url) == (
        401, {"problem": "The token is not the one of this printer."}
    )
    code, about = curl(*token, served.url)
    assert (code, About.model_validate(about).kind) == (200, "resin")
    assert curl(*token, "-T", pillar, "-H", "Content-Type: model/3mf", f"{served.url}/jobs/c-1?name=C")[0] == 201
    assert curl(*token, "-T", pillar, "-H", "Content-Type: text/plain", f"{served.url}/jobs/c-2")[0] == 415
    assert curl(*token, "--path-as-is", f"{served.url}/jobs/../../../etc/passwd")[0] == 404
    assert curl(*token, f"{served.url}/jobs/%2e%2e%2fprinter.json")[0] == 404
    assert curl(*token, "-H", "Host: printer.example", served.url)[0] == 403
    assert curl(*token, "-d", '{"grams": true}', f"{served.url}/load")[0] == 400
    assert curl(*token, "-d", "[1]", f"{served.url}/load")[0] == 400
    assert curl(*token, "-d", '{"kind": "fire"}', f"{served.url}/trouble")[0] == 400
    assert curl(*token, "-X", "PUT", "-H", "Transfer-Encoding: chunked", "-d", "x", "-H", "Content-Type: model/3mf",
                f"{served.url}/jobs/c-3")[0] == 411
    assert [job["id"] for job in curl(*token, served.url)[1]["jobs"]] == ["c-1"]


def raw(server, text, body=b"", close=True):
    """What is answered to bytes on a socket."""
    with socket.create_connection(("127.0.0.1", server.server_address[1]), timeout=20) as one:
        one.sendall(text.replace("\n", "\r\n").encode() + body)
        if close:
            one.shutdown(socket.SHUT_WR)
        found = b""
        while piece := one.recv(65536):
            found += piece
    return found


def test_half_messages_gigabytes_and_other_digests(served, tmp_path):
    put = "PUT /jobs/h-1 HTTP/1.1\nHost: 127.0.0.1\nAuthorization: Bearer secret\nContent-Type: model/3mf\n"
    assert b" 413 " in raw(served, f"{put}Content-Length: {2**30 + 1}\n\n")
    assert b"ends in the middle" in raw(served, f"{put}Content-Length: 1000\n\n", b"half of it")
    assert b" 408 " in raw(served, f"{put}Content-Length: 1000\n\n", b"half of it", close=False)
    assert b"its digest is another" in raw(served, f"{put}Content-Digest: sha-256=:AAAA:\nContent-Length: 2\n\n", b"xy")
    assert b"no 3MF" in raw(served, f"{put}Content-Length: 2\n\n", b"xy")
    for length in ("9" * 5000, "\u00b2", "-1", "1e3"):
        answered = raw(served, f"{put}Content-Length: {length}\n\n")
        assert b" 413 " in answered or b" 400 " in answered
        assert b'{"problem"' in answered
    load = "POST /load HTTP/1.1\nHost: 127.0.0.1\nAuthorization: Bearer secret\n"
    deep = b'{"grams":' + b"[" * 60_000
    assert b" 400 " in raw(served, f"{load}Content-Length: {len(deep)}\n\n", deep)
    assert b'{"problem"' in raw(served, "\x00\x01\x02 nonsense\n\n")
    assert b" 414 " in raw(served, "GET /" + "a" * 70_000 + " HTTP/1.1\n\n")
    assert link_to(served).about().jobs == ()  # it is still there, and has taken nothing
    assert [one.name for one in (tmp_path / "kept").iterdir()] == ["printer.json"]


def ended(one):
    """Whether the other end has hung up; waits a moment for it."""
    try:
        return one.recv(1) == b""
    except TimeoutError:
        return False


def test_a_head_that_drips_in_is_dropped(served, monkeypatch):
    monkeypatch.setattr(serving, "_LONGEST", 0.3)
    for start in (b"GET / HTTP/1.1\r\n", b"GET / HTTP/1.1\r\nAuthorization: Bearer secret\r\n"):
        with socket.create_connection(("127.0.0.1", served.server_address[1]), timeout=60) as one:
            one.sendall(start)
            one.settimeout(0.02)
            with contextlib.suppress(BrokenPipeError, ConnectionResetError):
                while not ended(one):
                    one.sendall(b"X: y\r\n")
    assert link_to(served).about().jobs == ()


@contextlib.contextmanager
def answering(content, length=None, status=200):
    """A server that answers the same to everything."""

    class Says(BaseHTTPRequestHandler):
        def do_GET(self):
            self.send_response(status)
            self.send_header("Content-Length", str(len(content) if length is None else length))
            self.end_headers()
            self.wfile.write(content)

        def log_message(self, *_):
            pass

    with HTTPServer(("127.0.0.1", 0), Says) as server:
        thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.02})
        thread.start()
        try:
            yield Link(f"http://127.0.0.1:{server.server_address[1]}", "t", patience=20.0)
        finally:
            server.shutdown()
            thread.join()


@pytest.mark.parametrize("content", [b"", b"<html>", b"[]", b'{"speaks": 1}', b"\xff\xfe", b"9" * 5_000_000])
def test_a_printer_that_answers_nonsense(content):
    with answering(content) as link, pytest.raises(PrinterTrouble) as told:
        link.about()
    assert "cannot be understood" in str(told.value) or "far too long" in str(told.value)


def test_half_answers_refusals_and_nobody_there():
    with answering(b'{"speaks": 1', length=500) as link, pytest.raises(NotThere):
        link.about()
    with answering(b"\x00", status=500) as link, pytest.raises(PrinterTrouble, match="refuses"):
        link.about()
    newer = About(speaks=7, name="N", kind="resin", bed=(1, 1, 1), pixel=0, material="", loaded=0, speed=1)
    with (
        answering(newer.model_dump_json().encode()) as link,
        pytest.raises(PrinterTrouble, match="another version"),
    ):
        link.about()
    with answering(b"no picture") as link, pytest.raises(PrinterTrouble, match="did not answer with a picture"):
        link.picture("a", 1)
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        nobody = Link(f"http://127.0.0.1:{unused.getsockname()[1]}", "t")
    with pytest.raises(NotThere, match="switched on"):
        nobody.about()


@pytest.mark.parametrize("url", ["ftp://127.0.0.1", "http://printer.example:80", "127.0.0.1", "http://127.0.0.1:x", ""])
def test_only_this_machine_is_spoken_to(url):
    with pytest.raises(PrinterTrouble):
        Link(url, "t")


# the outbox


@pytest.fixture
def outbox(tmp_path, served):
    box_ = Outbox(tmp_path / "outbox")
    box_.add(Device(name="Stand-in", url=served.url, token="secret"))
    return box_


def test_a_bed_is_printed_once_whatever_ends_in_between(tmp_path, served, outbox, pillar, clock):
    """After each step the desk ends and begins anew with what lies on the disk."""
    outbox.put(pillar, "Pillar", "Stand-in")
    states = []
    for _ in range(6):
        again = Outbox(tmp_path / "outbox")
        again.go()
        job = again.jobs[0]
        states.append(job.status.state if job.status else job.state)
        clock.now += 3000
    assert states[0] in ("waiting", "printing")
    assert states[-1] == "done"
    assert [job.state for job in served.machine.about().jobs] == ["done"]
    again = Outbox(tmp_path / "outbox")
    assert not again.active
    again.forget(again.jobs[0].id)
    assert [one.name for one in (tmp_path / "outbox").iterdir()] == ["outbox.json"]
    assert Outbox(tmp_path / "outbox").jobs == ()


def test_an_answer_that_got_lost_sends_it_no_second_time(served, outbox, pillar):
    sent = outbox.put(pillar, "Pillar", "Stand-in")
    link_to(served).send(sent.id, sent.name, pillar)  # it has arrived, and the desk does not know
    outbox.go()
    assert outbox.jobs[0].state == "sent"
    assert len(served.machine.about().jobs) == 1


def test_a_lost_connection_is_waited_for(tmp_path, served, pillar, clock):
    real = Clock()
    outbox = Outbox(tmp_path / "outbox", now=real)
    outbox.add(Device(name="Stand-in", url=served.url, token="secret"))
    outbox.put(pillar, "Pillar", "Stand-in")
    served.machine.await_trouble(Awaited(kind="lost connection", seconds=100))
    outbox.go()
    assert "does not answer" in outbox.trouble("Stand-in")
    assert outbox.jobs[0].state == "to send"
    clock.now += 200
    outbox.go()
    assert outbox.jobs[0].state == "to send"  # not yet: it is asked after a second
    real.now += 1.5
    outbox.go()
    assert outbox.trouble("Stand-in") == ""
    outbox.go()
    assert outbox.jobs[0].status.state == "printing"


def test_two_beds_wait_for_each_other_and_what_is_forgotten_is_not_printed_again(served, outbox, pillar, clock):
    outbox.put(pillar, "First", "Stand-in")
    outbox.put(pillar, "Second", "Stand-in")
    for _ in range(3):
        outbox.go()
    assert [job.status.state for job in outbox.jobs] == ["printing", "waiting"]
    outbox.order(outbox.jobs[0].id, "pause")
    outbox.go()
    assert outbox.jobs[0].status.resumable
    outbox.order(outbox.jobs[0].id, "resume")
    clock.now += 1e5
    outbox.go()
    outbox.go()
    assert [job.status.state for job in outbox.jobs] == ["done", "printing"]
    with pytest.raises(BadPlan, match="still has something"):
        outbox.remove("Stand-in")
    there = served.machine._standing
    served.machine._standing = there.model_copy(update={"jobs": ()})
    for _ in range(3):
        outbox.go()
    lost = outbox.jobs[1]
    assert (lost.state, lost.over) == ("forgotten", True)
    assert "whether it was printed" in lost.problem
    assert served.machine.about().jobs == ()
    served.machine._standing = there  # it remembers after all
    outbox.go()
    assert (outbox.jobs[1].state, outbox.jobs[1].problem) == ("sent", "")
    served.machine._standing = there.model_copy(update={"jobs": ()})
    outbox.go()
    outbox.send_again(lost.id)
    assert [job.id for job in outbox.jobs if job.id == lost.id] == []
    for _ in range(3):
        outbox.go()
    assert outbox.jobs[-1].status.state == "printing"
    outbox.order(outbox.jobs[-1].id, "cancel")
    assert outbox.jobs[-1].over
    outbox.remove("Stand-in")


def test_a_bed_that_ended_among_many_others_is_not_printed_twice(served, outbox, pillar, clock, tmp_path):
    """The printer lists its last twenty jobs only."""
    outbox.put(pillar, "Pillar", "Stand-in")
    for _ in range(2):
        outbox.go()
    mine = outbox.jobs[0].id
    assert outbox.jobs[0].status.state == "printing"
    clock.now += 1e5
    for number in range(25):
        taken(served.machine, pillar, f"other-{number}")
        served.machine.order(f"other-{number}", "start")
        clock.now += 1e5
    assert mine not in [job.id for job in served.machine.about().jobs]
    outbox.go()
    assert outbox.jobs[0].status.state == "done"
    again = Machine(RESIN, tmp_path / "kept", now=clock)  # also after a restart, also where the bed is sent anew
    assert taken(again, pillar, mine) == (outbox.jobs[0].status, False)


def test_what_a_printer_refuses_is_told_and_not_sent_again(outbox, tmp_path):
    junk = tmp_path / "junk.3mf"
    junk.write_bytes(b"nothing")
    outbox.put(junk, "Junk", "Stand-in")
    outbox.go()
    job = outbox.jobs[0]
    assert (job.state, job.over) == ("refused", True)
    assert "no 3MF" in job.problem
    with pytest.raises(PrinterTrouble, match="no folder"):
        outbox.add(Device(name="F", folder=str(tmp_path / "none")))
    with pytest.raises(PrinterTrouble, match="an address, or a folder"):
        outbox.add(Device(name="F"))
    with pytest.raises(SaveFailed):
        outbox.put(tmp_path / "none.3mf", "None", "Stand-in")


def test_a_damaged_book_is_laid_aside(tmp_path, outbox):
    (tmp_path / "outbox" / "outbox.json").write_text('{"version": 9}')
    again = Outbox(tmp_path / "outbox")
    assert "could not be read" in again.problem
    assert (tmp_path / "outbox" / "outbox-unreadable.json").exists()


def slow(answers, seconds=30):
    """A link to a server that does as it is told with each connection, one at a time."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve():
        with contextlib.suppress(OSError):
            while True:
                one, _ = server.accept()
                with one, contextlib.suppress(OSError):
                    for piece in answers():
                        one.sendall(piece)

    threading.Thread(target=serve, daemon=True).start()
    return server, Link(f"http://127.0.0.1:{server.getsockname()[1]}", "t", patience=seconds, longest=0.5)


def drips():
    """An answer of a byte every now and then, without end."""
    yield b"HTTP/1.1 200 OK\r\nContent-Length: 1000000\r\n\r\n"
    while True:
        time.sleep(0.05)
        yield b" "


def continues():
    """Announcements of an answer that never comes (RFC 9110, 15.2.1)."""
    while True:
        time.sleep(0.01)
        yield b"HTTP/1.1 100 Continue\r\n\r\n"


def heads():
    yield b"HTTP/1.1 200 OK\r\n"
    while True:
        time.sleep(0.05)
        yield b"X: y\r\n"


@pytest.mark.parametrize("answers", [drips, continues, heads])
def test_an_answer_without_end_is_given_up(answers):
    server, link = slow(answers)
    with server, pytest.raises(NotThere):
        link.about()


def test_no_printer_waits_for_another(tmp_path, served, outbox, pillar):
    server, link = slow(drips)
    with server:
        outbox.add(Device(name="Endless", url=f"http://127.0.0.1:{link._port}", token="t"))
        outbox.put(pillar, "Pillar", "Stand-in")
        stuck = threading.Thread(target=outbox.visit, args=(outbox.devices[1],))
        stuck.start()
        for _ in range(3):
            outbox.visit(outbox.devices[0])
        assert outbox.jobs[0].status.state == "printing"
        assert stuck.is_alive()
        outbox.drop_links()
        stuck.join()
        assert "stopped in the middle" in outbox.trouble("Endless")


def test_beds_documents_and_answers_that_say_odd_things():
    """The short form of ``./deft fuzz``."""
    assert fuzz_printing.odd_beds(8) == []
    assert fuzz_printing.odd_answers(12) == []
    read, told = fuzz_printing.odd_documents(100)
    assert read > 20
    assert told > 50


def test_a_printer_that_writes_to_the_terminal():
    said = About(speaks=1, name="A\x1b[2J\nok: all printed\u202e", kind="resin", bed=(1, 1, 1), pixel=0, material="m",
                 loaded=0, speed=1)
    assert said.name == "A?[2J ok: all printed?"
    content = json.dumps({"problem": "no\x1b]0;x\x07\r\ndone" + "!" * 900}).encode()
    with answering(content, status=500) as link, pytest.raises(PrinterTrouble) as told:
        link.about()
    assert told.value.what.startswith("no?]0;x?  done!!")
    assert len(told.value.what) == 500


# the folder


def repacked(source, target, change):
    """Copies an archive; change : gets each (name, content) and gives them as they are to be, or None to leave out"""
    with zipfile.ZipFile(source) as old, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as new:
        for entry in old.infolist():
            made = change(entry.filename, old.read(entry))
            if made is not None:
                new.writestr(*made)


def with_told(source, target, **changed):
    """An archive whose "layers.json" says something else."""

    def change(name, content):
        if name != ABOUT:
            return name, content
        return name, json.dumps(json.loads(content) | changed)

    repacked(source, target, change)


def harmful(layers, folder):
    """Writes beds that are made to do harm. Yields (path, what is said of it)."""
    nothing = [0.0] * 40
    for field in ("layer_mm", "pixel_mm", "bottom_seconds", "exposure_seconds", "lift_seconds", "bottom_layers"):
        for number, value in enumerate((float("nan"), float("inf"), -1e300)):
            with_told(layers, folder / f"{field}-{number}.zip", **{field: value})
            yield folder / f"{field}-{number}.zip", field
    with_told(layers, folder / "areas.zip", areas_mm2=[float("nan"), *nothing[1:]])
    yield folder / "areas.zip", "areas_mm2"
    with_told(layers, folder / "pixels.zip", columns=10**30)
    yield folder / "pixels.zip", "columns"
    repacked(layers, folder / "deep.zip", lambda n, c: (n, b"[" * 900_000 if n == ABOUT else c))
    yield folder / "deep.zip", "makes no sense"
    # 3 GB of a picture, and of what is said of the layers, in a few MB
    repacked(layers, folder / "large.zip", lambda n, c: (n, c + bytes(300_000_000) if n == "00001.png" else c))
    yield folder / "large.zip", "unpacks to 286 MB"
    repacked(layers, folder / "about.zip", lambda n, c: (n, c + b" " * 300_000_000 if n == ABOUT else c))
    yield folder / "about.zip", "unpacks to 286 MB"
    huge = png_of(np.zeros((1, 7500), np.uint8), 60_000)[:20] + (60_000).to_bytes(4, "big")
    repacked(layers, folder / "huge.zip", lambda n, c: (n, huge + c[24:] if n == "00001.png" else c))
    yield folder / "huge.zip", "60000 × 60000 pixels"
    repacked(layers, folder / "jpeg.zip", lambda n, c: (n, b"\xff\xd8\xff" + c if n == "00001.png" else c))
    yield folder / "jpeg.zip", "no PNG"
    repacked(layers, folder / "short.zip", lambda n, c: (n, c[:40] if n == "00001.png" else c))
    yield folder / "short.zip", "cannot be read"
    content = bytearray(layers.read_bytes())
    for at in [found.start() for found in re.finditer(rb"PK\x03\x04", content)]:
        content[at + 6] |= 1  # encrypted, by the general purpose flags of the ZIP format (APPNOTE 4.4.4)
    for at in [found.start() for found in re.finditer(rb"PK\x01\x02", content)]:
        content[at + 8] |= 1
    (folder / "secret.zip").write_bytes(content)
    yield folder / "secret.zip", "encrypted"
    content = bytearray(layers.read_bytes())
    for sign, at in ((rb"PK\x03\x04", 8), (rb"PK\x01\x02", 10)):
        for found in re.finditer(sign, content):
            content[found.start() + at] = 99  # a method of compression that is not known
    (folder / "method.zip").write_bytes(content)
    yield folder / "method.zip", "cannot be read"


def test_beds_made_to_do_harm_are_refused_with_a_reason(machine, tmp_path):
    layers, _ = bed(tmp_path / "both", size=(10, 10, 2), layers=True)
    (tmp_path / "bad").mkdir()
    for path, why in harmful(layers, tmp_path / "bad"):
        with pytest.raises(UnreadableFile) as told:
            taken(machine, path, path.stem.lower().replace("_", "-"))
        assert why in str(told.value), path.name
    assert taken(machine, layers)[1]


def test_a_watched_folder_puts_bad_files_aside_and_goes_on(tmp_path, machine, pillar, clock):
    folder = tmp_path / "in"
    watch = Watch(machine, folder, tmp_path / "kept")
    long_name, no_text = "x" * 246 + ".3mf", os.fsdecode(b"\xff\xfe.3mf")
    for name in (long_name, no_text):
        shutil.copyfile(pillar, folder / name)
    (folder / "junk.zip").write_bytes(b"PK\x03\x04 nothing")
    (folder / "secret.3mf").write_bytes(b"")
    (folder / "secret.3mf").chmod(0)
    os.mkfifo(folder / "pipe.3mf")
    (folder / "folder.3mf").mkdir()
    for _ in range(3):
        watch.look()
    for name in ("junk.zip", "secret.3mf"):
        assert json.loads((folder / status_name(name)).read_text())["state"] == "failed"
    for name in (long_name, no_text):
        assert json.loads((folder / status_name(name)).read_text())["state"] in ("printing", "waiting")
    shutil.copyfile(pillar, folder / "junk.zip")  # something else in its place is looked at again
    (folder / "junk.zip").rename(folder / "better.3mf")
    for number in range(30):
        shutil.copyfile(pillar, folder / f"b-{number}.3mf")
    for _ in range(80):
        watch.look()
        clock.now += 1e6
        machine.load(1000)
    states = [json.loads((folder / f"b-{n}.3mf{STATUS}").read_text())["state"] for n in range(30)]
    assert states == ["done"] * 30


def test_a_full_disk_ends_no_watch(tmp_path, machine, pillar, monkeypatch, caplog):
    watch = Watch(machine, tmp_path / "in", tmp_path / "kept")
    monkeypatch.setattr(looking, "_EVERY", 0.01)
    shutil.copyfile(pillar, tmp_path / "in" / "a.3mf")
    real, full = looking.write_whole, [True]

    def written(path, content):
        if full:
            raise SaveFailed("The disk is full.")
        real(path, content)

    monkeypatch.setattr(looking, "write_whole", written)
    thread = threading.Thread(target=watch.run)
    thread.start()
    try:
        wait_until(lambda: "The disk is full" in caplog.text)
        full.clear()
        wait_until((tmp_path / "in" / f"a.3mf{STATUS}").exists)
    finally:
        watch.stop()
        thread.join()


def wait_until(so, seconds=60.0):
    end = time.monotonic() + seconds
    while not so():
        assert time.monotonic() < end
        time.sleep(0.01)


def test_a_watched_folder(tmp_path, machine, pillar, clock):
    folder = tmp_path / "in"
    watch = Watch(machine, folder, tmp_path / "kept")
    outbox = Outbox(tmp_path / "outbox")
    outbox.add(Device(name="Folder", folder=str(folder)))
    outbox.put(pillar, "Pillar", "Folder", job="one")
    outbox.go()
    assert (folder / "one.3mf").read_bytes() == pillar.read_bytes()
    watch.look()
    assert machine.about().jobs == ()  # it may still grow
    watch.look()
    outbox.go()
    assert outbox.jobs[0].status.state == "printing"
    (folder / "junk.3mf").write_bytes(b"nothing")
    (folder / "link.3mf").symlink_to(pillar)
    watch.look()
    watch.look()
    said = json.loads((folder / f"junk.3mf{STATUS}").read_text())
    assert (said["state"], "no 3MF" in said["problem"]) == ("failed", True)
    assert len(machine.about().jobs) == 1
    with pytest.raises(PrinterTrouble, match="cannot be told"):
        outbox.order("one", "pause")
    clock.now += 1e6
    watch.look()
    outbox.go()
    assert outbox.jobs[0].status.state == "done"
    outbox.put(pillar, "Again", "Folder", job="two")
    outbox.go()
    watch.look()
    watch.look()
    outbox.go()
    outbox.order("two", "cancel")
    watch.look()
    assert machine.about().jobs[-1].state == "cancelled"
    (folder / f"one.3mf{STATUS}").write_text("[]")
    with pytest.raises(PrinterTrouble, match="cannot be understood"):
        status_in(folder, "one.3mf")


# by command


def test_from_a_file_to_a_finished_print_by_command(tmp_path, monkeypatch):
    block, out = tmp_path / "block.stl", tmp_path / "out"
    box(20, 10, 3).export(block)
    answer("handoff", block, "--printer", "small-resin", "--layers", "--out", out)
    program = [sys.executable, "-m", "deft_slab.cli", "printer", "--kind", "resin", "--token", "secret", "--speed",
               "100000", "--keep", tmp_path / "kept", "--folder", tmp_path / "in", "--json"]
    with subprocess.Popen([str(one) for one in program], stdout=subprocess.PIPE, text=True) as printer:
        try:
            said = json.loads(printer.stdout.readline())
            done = answer("send", out / "bed-1-layers.zip", "--to", said["url"], "--token", "secret", "--wait")
            assert (done["state"], done["layer"], done["layers"]) == ("done", 60, 60)
            again = answer("send", out / "bed-1-layers.zip", "--to", said["url"], "--token", "secret")
            assert again["id"] == done["id"] == job_id(out / "bed-1-layers.zip")
            wrong = call("send", out / "bed-1.3mf", "--to", said["url"], "--token", "other")
            assert (wrong.returncode, "token" in wrong.stderr) == (1, True)
            (tmp_path / "token").write_text("secret\n")
            by_file = answer("send", out / "bed-1-layers.zip", "--to", said["url"], "--token-file", tmp_path / "token")
            assert by_file == again
            monkeypatch.setenv(TOKEN, "secret")
            assert answer("send", out / "bed-1-layers.zip", "--to", said["url"]) == again
            monkeypatch.delenv(TOKEN)
            none = call("send", out / "bed-1-layers.zip", "--to", said["url"])
            assert (none.returncode, "--token-file" in none.stderr) == (2, True)
            shutil.copy(out / "bed-1.3mf", tmp_path / "in")
            status = tmp_path / "in" / f"bed-1.3mf{STATUS}"
            end = time.monotonic() + 60
            while time.monotonic() < end and not (
                status.exists() and json.loads(status.read_text())["state"] == "done"
            ):
                time.sleep(0.1)
            assert json.loads(status.read_text())["state"] == "done"
            taken_ = call("printer", "--port", said["url"].rpartition(":")[2], "--keep", tmp_path / "other")
            assert (taken_.returncode, "cannot listen" in taken_.stderr) == (1, True)
        finally:
            printer.terminate()
    assert call("printer", "--profile", "small-resin", "--kind", "filament").returncode == 2
