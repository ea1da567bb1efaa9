"""Beds sent to printers from the window, as a person does it; a stand-in answers in this process, or as a program."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from deft_slab.core.exporting.piece_files import write_solid
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.core.printing.outbox import Outbox
from deft_slab.desk.dialogs.device import DeviceDialog
from deft_slab.logbook import home
from deft_slab.standin.machine import Awaited, Machine
from tests.core.test_sending import Clock, drips, running, slow
from tests.desk.conftest import PATIENCE, words
from tests.shapes import box, solid_of

RESIN = shipped_printers()["small-resin"].changed(layer_heights=(0.5,), line_width=0.2)


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def machine(tmp_path, clock):
    return Machine(RESIN, tmp_path / "kept", now=clock)


@pytest.fixture
def block(desk, tmp_path):
    """A block in Hand off, for a resin printer."""
    write_solid(solid_of(box(20, 10, 30)), "Block", tmp_path / "block.stl", replace=False)
    desk.open(tmp_path / "block.stl")
    desk.state.choose_printer(RESIN)
    desk.settle()
    desk.go(6)
    return desk


def section(desk):
    return desk.window.panels["Hand off"].printers


def wait(desk, ready):
    desk.qtbot.waitUntil(ready, timeout=PATIENCE)
    desk.qtbot.wait(30)


def job(desk):
    return desk.state.printing.outbox.jobs[-1]


def state_of(desk):
    """What the printer said of the latest job; "" before it has said anything."""
    jobs = desk.state.printing.outbox.jobs
    return jobs[-1].status.state if jobs and jobs[-1].status is not None else ""


def fill_in(desk, monkeypatch, **fields):
    """Presses the button that adds a printer, and types into the dialog."""
    said = []

    def typed(dialog):
        dialog.show()
        for name, value in fields.items():
            QTest.keyClicks(getattr(dialog, name), value)
        QTest.mouseClick(dialog.use, Qt.MouseButton.LeftButton)
        said.append(dialog.said.text())
        dialog.close()
        return 0

    monkeypatch.setattr(DeviceDialog, "exec", typed)
    desk.click(section(desk).add)
    return said[0]


@pytest.fixture
def server(machine, tmp_path):
    with running(machine, tmp_path / "kept") as found:
        yield found


def test_a_printer_is_added_and_prints_a_bed(block, monkeypatch, server, clock):
    assert "No printers yet" in words(section(block))
    assert "needs a name" in fill_in(block, monkeypatch, url=server.url, token="secret")
    assert "not both" in fill_in(block, monkeypatch, name="Bench")
    assert "cannot be added" in fill_in(block, monkeypatch, name="Bench", url="http://printer.example")
    assert fill_in(block, monkeypatch, name="Bench", url=server.url, token="secret") == ""
    wait(block, lambda: "1.00 kg of resin" in words(section(block)))
    block.click(section(block).sends["Bench", 0])
    wait(block, lambda: state_of(block) == "printing")
    assert "layer 0 of 60" in words(section(block))
    clock.now += 5 * 30 + 25 * 9.6 + 1
    wait(block, lambda: "layer 30 of 60" in words(section(block)))
    # the layer is shown: 20 × 10 mm of 130 × 80, fitted into its frame
    wait(block, lambda: job(block).id in block.state.printing.pictures)
    picture = block.state.printing.pictures[job(block).id]
    assert picture.width() / picture.height() == pytest.approx(130 / 80, rel=0.02)
    grey = [picture.pixelColor(x, y).value() for x in range(picture.width()) for y in range(picture.height())]
    assert sum(grey) / 255 / len(grey) == pytest.approx(20 * 10 / (130 * 80), rel=0.25)
    block.click(section(block).orders[job(block).id, "pause"])
    wait(block, lambda: (job(block).id, "resume") in section(block).orders)
    block.click(section(block).orders[job(block).id, "resume"])
    wait(block, lambda: state_of(block) == "printing")
    clock.now += 1e5
    wait(block, lambda: "printed, 60 layers" in words(section(block)))
    block.click(section(block).orders[job(block).id, "forget"])
    assert block.state.printing.outbox.jobs == ()
    assert not block.state.printing.outbox.active


def test_a_click_is_not_lost_while_the_list_changes(block, monkeypatch, server, clock):
    fill_in(block, monkeypatch, name="Bench", url=server.url, token="secret")
    block.click(section(block).sends["Bench", 0])
    wait(block, lambda: state_of(block) == "printing" and (job(block).id, "pause") in section(block).orders)
    pause = section(block).orders[job(block).id, "pause"]
    QTest.mousePress(pause, Qt.MouseButton.LeftButton)
    clock.now += 100
    wait(block, lambda: job(block).status.layer > 0)  # something has changed, and the list would be made anew
    block.state.printing.changed.emit()
    QTest.mouseRelease(pause, Qt.MouseButton.LeftButton)
    wait(block, lambda: state_of(block) == "paused")


def test_what_fails_is_told_and_goes_on(block, monkeypatch, server, machine, clock):
    fill_in(block, monkeypatch, name="Bench", url=server.url, token="secret")
    wait(block, lambda: "kg of resin" in words(section(block)))
    machine.load(-998.0)
    machine.await_trouble(Awaited(kind="island dropped", layer=40))
    block.click(section(block).sends["Bench", 0])
    wait(block, lambda: state_of(block) == "printing")
    clock.now += 1e5
    wait(block, lambda: "ran out at layer" in words(section(block)) and ("Bench", "load") in section(block).orders)
    block.click(section(block).orders["Bench", "load"])
    wait(block, lambda: ("Bench", "load") not in section(block).orders)
    block.click(section(block).orders[job(block).id, "resume"])
    wait(block, lambda: state_of(block) == "printing")
    clock.now += 1e5
    wait(block, lambda: "fell off; it lies on the film. (failed, layer 40 of 60)" in words(section(block)))
    assert job(block).over


def test_after_a_restart_it_is_still_there(block, monkeypatch, server, machine, clock):
    """The desk ends while a bed is printing; what lies on the disk goes on where it was."""
    fill_in(block, monkeypatch, name="Bench", url=server.url, token="secret")
    block.click(section(block).sends["Bench", 0])
    wait(block, lambda: state_of(block) != "")
    block.state.printing.close()
    clock.now += 1e5
    again = Outbox(home() / "outbox")
    for _ in range(4):
        again.go()
        clock.now += 1e5
    assert [one.status.state for one in again.jobs] == ["done"]
    assert [one.state for one in machine.about().jobs] == ["done"]


def test_a_wrong_token_and_nobody_there_are_said(block, monkeypatch, server):
    fill_in(block, monkeypatch, name="Locked", url=server.url, token="guess")
    wait(block, lambda: "The token is not the one of this printer." in words(section(block)))
    fill_in(block, monkeypatch, name="Gone", url="http://127.0.0.1:9", token="x")
    wait(block, lambda: "Is it switched on?" in words(section(block)))


def test_a_bed_that_was_forgotten_is_sent_again_only_by_a_person(block, monkeypatch, server, machine, clock):
    fill_in(block, monkeypatch, name="Bench", url=server.url, token="secret")
    block.click(section(block).sends["Bench", 0])
    wait(block, lambda: state_of(block) == "printing")
    forgotten = job(block).id
    machine._standing = machine._standing.model_copy(update={"jobs": ()})
    wait(block, lambda: (forgotten, "again") in section(block).orders)
    assert "it is unknown whether it was printed" in words(section(block))
    assert machine.about().jobs == ()
    block.click(section(block).orders[forgotten, "again"])
    wait(block, lambda: state_of(block) == "printing")
    assert job(block).id != forgotten
    assert len(block.state.printing.outbox.jobs) == 1


def test_a_printer_without_end_keeps_no_other_waiting(block, monkeypatch, server):
    endless, _ = slow(drips)
    with endless:
        fill_in(block, monkeypatch, name="Endless", url=f"http://127.0.0.1:{endless.getsockname()[1]}", token="x")
        fill_in(block, monkeypatch, name="Bench", url=server.url, token="secret")
        wait(block, lambda: "kg of resin" in words(section(block)))
        assert block.state.printing.outbox.trouble("Endless") == ""  # it is still being asked
        block.state.printing.close()


def test_a_stand_in_is_started_from_the_window(block):
    section(block).start_one(600.0)
    wait(block, lambda: "600 times as fast" in words(section(block)))
    device = block.state.printing.devices[0]
    assert device.name == "Small resin plate, stand-in"
    block.click(section(block).sends[device.name, 0])
    wait(block, lambda: "printed, 60 layers" in words(section(block)))
    section(block).close_children()
    assert not section(block)._children
    QApplication.processEvents()
