"""The viewer, where to look, notes and blind comparison, driven by keys and mouse on outputs that are really
there."""

import itertools
import random
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QKeyEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from calm import CALM
from moving_clip import write_moving
from ovrik.desk.app.main import take_down
from ovrik.desk.app.shots import settle
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.looking import BESIDE, DIFFERENCE, LOSS, SPLIT, WATCHINGS, Looking
from ovrik.desk.stations.scrutiny.station import ScrutinyStation
from ovrik.desk.viewing.player import Player
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.made import make_reference
from ovrik.quality.viewing.frames import FrameReader
from ovrik.quality.viewing.screen import difference
from ovrik.report.words.reasons import reasons_words
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.notes import Spot
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.work.checking import blind as work_blind
from ovrik.work.checking.scoring import score_all
from ovrik.work.timing.schedule import further
from ovrik.work.timing.series import time_all

EXCERPT = Excerpt(5, 40)
LOOKED = ("mode", "other", "flipped", "beside", "gain", "loss", "speed", "loop")


@pytest.fixture(scope="module")
def scored(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A study with two outputs, timed once and scored."""
    folder = tmp_path_factory.mktemp("scrutiny")
    made = Study.create(
        folder / "s.ovrik", "S", of_clip(probe(write_moving(folder / "moving.mkv", 2))), EXCERPT, 1, 0
    )
    made.set_conduct(CALM)
    for contender in labelled(
        [Contender("bundled", recipe("libx264", *r)) for r in (("veryfast", 24), ("ultrafast", 38))]
    ):
        made.add_contender(contender)
    assert time_all(made, further(made, [1, 2], 1))
    assert score_all(made) == 2
    made.close()
    return folder / "s.ovrik"


@pytest.fixture(scope="module")
def window(scored: Path, qapp: QApplication) -> Iterator[MainWindow]:
    """One for all tests: they share the study as it is."""
    made = MainWindow(Study.open(scored))
    made.machine.probed = True
    made.idle.stop()
    made.show()
    made.go("scrutiny")
    settle(qapp, lambda: made.isActiveWindow() and not made.runner.small_jobs, 0.05, 60)
    yield made
    take_down(made)


@pytest.fixture
def station(window: MainWindow, qtbot: QtBot) -> Iterator[ScrutinyStation]:
    """The station as it opens, whatever the test before did to it."""
    window.go("scrutiny")
    window.activateWindow()
    made = window.stations["scrutiny"]
    assert isinstance(made, ScrutinyStation)
    made.window_ = window  # type: ignore[attr-defined]
    made.show_page(0)
    made.sheets.turn_to(0)
    made.looking.set(**{name: getattr(Looking(), name) for name in LOOKED})
    made.model.move(0)
    made.model.select(1)
    made.viewer.set_zoom(0.0)
    qtbot.waitUntil(lambda: made.viewer.image is not None and window.isActiveWindow(), timeout=20_000)
    made.viewer.setFocus()
    yield made
    made.looking.set_playing(False)


def pixels(image: QImage) -> np.ndarray:
    held = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = held.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asarray(held.sizeInBytes()), np.uint8).reshape(held.height(), -1)
    return rows[:, : 3 * held.width()].reshape(held.height(), held.width(), 3).astype(int)


def decoded(station: ScrutinyStation, frame: int) -> tuple[np.ndarray, np.ndarray]:
    """Reference and output at a frame, read by other means."""
    e, s = station.model.evidence, station.model.summary
    assert s is not None
    reference = make_reference(e.programme, e.facts.excerpt, delivery(e.programme, e.facts.excerpt))
    output = station.model.output_path(s)
    assert output is not None
    return FrameReader(reference).rgb(frame).astype(int), FrameReader(output).rgb(frame).astype(int)


def test_what_was_decoded_before_the_page_was_seen_is_shown(
    scored: Path, open_window: object, qtbot: QtBot
) -> None:
    """Stations are made while others are on show."""
    window: MainWindow = open_window(Study.open(scored))  # type: ignore[operator]
    window.go("footage")
    made = window.stations["scrutiny"]
    looked = made.look.looked(made.model.selection)
    assert looked is not None
    qtbot.waitUntil(lambda: window.pictures.at_hand(looked.path, 0) is not None, timeout=20_000)
    qtbot.wait(50)
    window.go("scrutiny")
    qtbot.waitUntil(lambda: made.viewer.image is not None, timeout=5_000)


def test_all_panes_show_the_same_frame(station: ScrutinyStation, qtbot: QtBot) -> None:
    """Reference, output and a further output, in one view, at one frame, whatever is stepped."""
    station.looking.set(mode=BESIDE)
    station.looking.toggle_beside(2, True)
    viewer = station.viewer
    for key, frame in ((Qt.Key.Key_Right, 1), (Qt.Key.Key_Right, 2), (Qt.Key.Key_Left, 1)):
        qtbot.keyClick(viewer, key)
        qtbot.waitUntil(lambda n=frame: all(f"frame {n}" in p.caption for p in viewer.panes), timeout=20_000)  # type: ignore[misc]
        assert len(viewer.panes) == 3
        reference, output = decoded(station, frame)
        for pane, wanted in zip(viewer.panes, (reference, output), strict=False):
            assert pane.image is not None
            assert np.abs(pixels(pane.image) - wanted).mean() < 1
    boxes = [viewer._box(viewer._tile(n)) for n in range(3)]
    viewer.set_zoom(4.0, boxes[2].center())
    sizes = {(round(viewer._box(viewer._tile(n)).width()), viewer._centre.x()) for n in range(3)}
    assert len(sizes) == 1


def test_keys_change_the_arrangement_and_hold_shows_the_other(station: ScrutinyStation, qtbot: QtBot) -> None:
    viewer = station.viewer
    for key, mode in (("3", SPLIT), ("4", DIFFERENCE), ("5", LOSS), ("2", BESIDE), ("1", "one")):
        qtbot.keyClick(viewer, key)
        assert station.looking.mode == mode
    assert viewer.caption.startswith("Output")
    for kind, wanted in ((QEvent.Type.KeyPress, "Reference"), (QEvent.Type.KeyRelease, "Output")):
        QApplication.sendEvent(viewer, QKeyEvent(kind, Qt.Key.Key_H, Qt.KeyboardModifier.NoModifier))
        qtbot.waitUntil(lambda w=wanted: viewer.caption.startswith(w), timeout=10_000)  # type: ignore[misc]
    qtbot.keyClick(viewer, "g")
    assert (station.looking.mode, station.looking.gain) == (DIFFERENCE, 8)
    assert all(b.accessibleName() for b in station.look.arrangement.mode_buttons)


def test_the_difference_is_the_difference(station: ScrutinyStation, qtbot: QtBot) -> None:
    station.model.move(7)
    station.looking.set(mode=DIFFERENCE, gain=8)
    qtbot.waitUntil(lambda: "minus Reference, ×8 · frame 7" in station.viewer.caption, timeout=20_000)
    assert station.viewer.image is not None
    reference, output = decoded(station, 7)
    wanted = np.clip(128 + 8 * (output - reference), 0, 255)
    assert np.abs(pixels(station.viewer.image) - wanted).mean() < 1
    same = difference(np.full((2, 2, 4), 50, np.uint8), np.full((2, 2, 4), 50, np.uint8), 32)
    assert (same[..., :3] == 128).all()


def test_the_split_is_dragged_and_turned(station: ScrutinyStation, qtbot: QtBot) -> None:
    viewer = station.viewer
    station.looking.set(mode=SPLIT)
    qtbot.waitUntil(lambda: viewer.split is not None, timeout=10_000)
    middle = QPoint(viewer.width() // 2, viewer.height() // 2)
    qtbot.mousePress(viewer, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(viewer, middle + QPoint(-viewer.width() // 4, 0))
    qtbot.mouseRelease(viewer, Qt.MouseButton.LeftButton)
    assert viewer.split is not None
    assert viewer.split.at.x() == pytest.approx(0.25, abs=0.02)
    qtbot.keyClick(viewer, "r")
    assert viewer.split.angle == 15
    # To the right of the line the output is shown, to its left the reference.
    viewer.split.angle, viewer.split.at = 0.0, QPointF(0.5, 0.5)
    viewer.repaint()
    shown, box = pixels(viewer.grab().toImage()), viewer._box()
    reference, output = decoded(station, station.model.frame)
    y = round(box.center().y())
    for x, wanted in ((box.x() + 0.3 * box.width(), reference), (box.x() + 0.8 * box.width(), output)):
        row, column = int((y - box.y()) / viewer.scale), int((x - box.x()) / viewer.scale)
        around = wanted[row - 2 : row + 3, column - 2 : column + 3].reshape(-1, 3)
        assert (shown[y, round(x)] >= around.min(axis=0) - 6).all()
        assert (shown[y, round(x)] <= around.max(axis=0) + 6).all()


def test_a_loss_map_lies_over_the_output(station: ScrutinyStation, qtbot: QtBot) -> None:
    station.looking.set(mode=LOSS, loss="loss_detail")
    station.model.move(9)
    qtbot.waitUntil(lambda: station.viewer.loss_map is not None, timeout=20_000)
    drawn = station.viewer.loss_map
    assert drawn is not None
    assert (drawn.width(), drawn.height()) == (320 // 16, 180 // 16)


def test_the_files_own_numbers_under_the_pointer(station: ScrutinyStation, qtbot: QtBot) -> None:
    viewer = station.viewer
    box = viewer._box()
    qtbot.mouseMove(
        viewer, QPoint(round(box.x() + 100.5 * viewer.scale), round(box.y() + 60.5 * viewer.scale))
    )
    qtbot.waitUntil(lambda: "Y′" in station.look.values.text(), timeout=5_000)
    output = station.model.output_path(station.model.summary)  # type: ignore[arg-type]
    assert output is not None
    said = station.look.values.text()
    x, y = (int(said.split(f"{n} ")[1].split(",")[0].split(":")[0]) for n in "xy")
    assert abs(x - 100) <= 1
    assert abs(y - 60) <= 1
    assert f"Y′ {FrameReader(output).luma(station.model.frame)[y, x]} " in said


def in_steps(player: Player) -> Callable[[], float]:
    """A clock that goes on by a hundredth of a second with each look, and stands while the next frame is decoded:
    so no frame is late, however busy the machine."""
    now = itertools.count(1)
    last = 1.0

    def look() -> float:
        nonlocal last
        if not player.running or player._ready(min(player._at + 1, player._last)):
            last = next(now) / 100
        return last

    return look


def test_playing_shows_every_frame_and_a_loop_stays_near(
    station: ScrutinyStation, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[int] = []
    station.model.frame_moved.connect(seen.append)
    monkeypatch.setattr(station.look.player, "clock", in_steps(station.look.player))
    station.looking.set(speed=0.5)
    qtbot.keyClick(station.viewer, "p")
    assert station.looking.playing
    qtbot.waitUntil(lambda: not station.looking.playing, timeout=30_000)
    assert seen == list(range(1, EXCERPT.frames))
    assert station.look.player.dropped == 0
    station.model.move(20)
    seen.clear()
    station.looking.set(speed=1.0, loop=True)
    station.look.player.start(20, 15, 25, 100, True, lambda _n: True, 1)
    qtbot.waitUntil(lambda: seen.count(16) > 1, timeout=20_000)
    station.look.player.stop()
    assert set(seen) <= set(range(15, 26))


def test_sound_begins_where_the_picture_is(
    station: ScrutinyStation, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whenever it has been decoded: before the clock starts, or a while after."""
    heard: list[float] = []
    monkeypatch.setattr(station.sound, "play", lambda samples, rate: heard.append(len(samples) / rate))
    whole = np.zeros((48_000 * 4, 2), np.float32)
    station.looking.set(speed=0.25)
    station.looking.set_playing(True)
    station.play_sound(whole)
    qtbot.waitUntil(lambda: bool(heard), timeout=10_000)
    assert heard[0] == pytest.approx(4, abs=0.1)
    qtbot.wait(400)
    station.play_sound(whole)
    position = station.look.player.position_s
    assert position is not None
    assert position > 0.35
    assert heard[1] == pytest.approx(4 - position, abs=0.05)


def test_watched_as_on_a_phone_it_is_smaller_than_as_on_a_television_near_by() -> None:
    phone, laptop, television = WATCHINGS
    assert phone.pixels_wide(0.25) == pytest.approx(600 * 132 / 320 / 0.25)
    assert phone.pixels_wide(0.25) < laptop.pixels_wide(0.25)
    assert television.pixels_wide(0.25) == pytest.approx(600 * 1218 / 2700 / 0.25)


def test_where_to_look_steps_through(station: ScrutinyStation, qtbot: QtBot) -> None:
    station.sheets.turn_to_key("moments")
    qtbot.waitUntil(lambda: bool(station.moments.found), timeout=30_000)
    found = station.moments.found
    values = station.model.summary.score.of("vmaf")  # type: ignore[union-attr]
    assert int(values.argmin()) in [m.frame for m in found]
    assert all(0 < m.picture.shape[1] <= 192 for m in found)
    qtbot.keyClick(station.viewer, "n")
    assert station.model.frame == found[0].frame
    assert station.look.area == found[0].area
    qtbot.keyClick(station.viewer, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert station.model.frame == found[-1].frame
    station.looking.set(other=2)
    qtbot.waitUntil(
        lambda: any("than x264 ultrafast" in m.words for m in station.moments.found), timeout=30_000
    )


def test_a_note_is_pinned_to_frame_and_region(station: ScrutinyStation, qtbot: QtBot) -> None:
    viewer, notes = station.viewer, station.notes
    station.model.move(11)
    station.sheets.turn_to_key("notes")
    box = viewer._box()
    first, last = box.topLeft() + QPointF(20, 20), box.center()
    qtbot.mousePress(viewer, Qt.MouseButton.RightButton, pos=first.toPoint())
    qtbot.mouseMove(viewer, last.toPoint())
    qtbot.mouseRelease(viewer, Qt.MouseButton.RightButton, pos=last.toPoint())
    notes.line.setFocus()
    qtbot.keyClicks(notes.line, 'the rim swims; "look" <here>')
    qtbot.keyClick(notes.line, Qt.Key.Key_Return)
    [pin] = station.model.evidence.pins
    assert (pin.frame, pin.contender_id, pin.words) == (11, 1, 'the rim swims; "look" <here>')
    assert pin.area[2] == pytest.approx(0.5 - 20 / box.width(), abs=0.02)
    assert pin.output_sha256 == station.model.summary.runs[-1].output_sha256  # type: ignore[union-attr]
    assert "the rim swims" in notes.list.item(0).text()  # type: ignore[union-attr]
    assert (
        len(Study.open(station.model.study.path).pins(station.model.evidence.programme.checksum, EXCERPT))
        == 1
    )
    station.model.move(0)
    notes.list.setCurrentRow(0)
    assert station.model.frame == 11
    notes.drop.click()
    assert station.model.evidence.pins == ()


def test_a_blind_comparison_by_keys(
    station: ScrutinyStation, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody who always finds the better one is believed; the sides are drawn anew, and names are not shown."""
    monkeypatch.setattr(work_blind.random, "SystemRandom", lambda: random.Random(8))
    station.turn_to("blind")
    blind = station.blind
    blind.other.setCurrentIndex(blind.other.findData(2))
    blind.who.setText("Ida")
    blind.most.setValue(12)
    blind.begin()
    qtbot.waitUntil(lambda: blind.series is not None, timeout=30_000)
    better = station.model.summary.runs[-1].output_sha256  # type: ignore[union-attr]
    lefts = []
    while blind.series is not None:
        number = blind.series.trial.number
        qtbot.waitUntil(lambda: blind.viewer.image is not None, timeout=20_000)
        assert [p.caption for p in blind.viewer.panes] == ["Left", "Right"]
        left = blind.series.trial.left == better
        lefts.append(left)
        qtbot.keyClick(blind.viewer, "1" if left else "2")
        assert blind.series is None or blind.series.trial.number == number + 1
    assert set(lefts) == {True, False}
    [kept] = station.model.evidence.blinds
    assert (kept.viewer, kept.ended, all(c.chose_one for c in kept.choices)) == ("Ida", "decided", True)
    assert "looked nearer to the reference" in blind.said.text()
    assert blind.table.rowCount() == 1


def test_nothing_is_answered_that_is_not_on_show(
    station: ScrutinyStation, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While the next trial is still being decoded, a key is no answer for the one before."""
    station.turn_to("blind")
    blind = station.blind
    blind.other.setCurrentIndex(blind.other.findData(2))
    monkeypatch.setattr(station.pictures, "kept", lambda *_a: None)
    blind.start([Spot(3)])
    assert blind.series is not None
    blind.answer(True)
    assert blind.series.blind.choices == ()
    assert blind.viewer.image is None
    blind.stop()


def test_the_limit_that_asks_for_it(station: ScrutinyStation) -> None:
    """Open until somebody looked; failed by one who told it from the reference, whoever else could not."""
    from dataclasses import replace

    from ovrik.study.facts.notes import REFERENCE as ITSELF
    from ovrik.study.facts.notes import Blind, BlindChoice

    model = station.model
    model.set_limits(replace(model.evidence.facts.limits, unseen=True))
    s = model.evidence.of(1)
    assert s is not None
    assert s.acceptable is None
    sha256, key = s.runs[-1].output_sha256, s.score.reference  # type: ignore[union-attr]

    def looked(viewer: str, right: int, trials: int) -> None:
        choices = tuple(BlindChoice(0, True, n >= right, 1.0) for n in range(trials))
        made = Blind(str(sha256), ITSELF, key, viewer, "Fit", (Spot(3),), 12, choices, "decided")
        model.study.keep_blind(made, model.evidence.programme, EXCERPT)
        model.refresh()

    looked("Ida", 6, 12)
    assert model.evidence.of(1).unseen is True  # type: ignore[union-attr]
    looked("Olaf", 8, 8)
    found = model.evidence.of(1)
    assert found is not None
    assert found.unseen is False
    assert any("told from the reference" in r for r in reasons_words(found.reasons))
    model.set_limits(replace(model.evidence.facts.limits, unseen=False))


def test_filling_the_screen_and_back(station: ScrutinyStation, qtbot: QtBot) -> None:
    look, viewer = station.look, station.viewer
    look.fill(False)
    filled = viewer.window()
    assert filled is not station.window_  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: filled.isActiveWindow() and viewer.width() > 640, timeout=10_000)
    viewer.setFocus()
    before = station.model.frame
    qtbot.keyClick(viewer, Qt.Key.Key_Right)
    assert station.model.frame == before + 1
    qtbot.keyClick(viewer, "f")
    assert station.looking.flipped
    qtbot.keyClick(viewer, Qt.Key.Key_Escape)
    assert viewer.window() is station.window_  # type: ignore[attr-defined]
