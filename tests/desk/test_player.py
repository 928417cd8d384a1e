"""The clock of the viewer, by a clock of the test's own."""

from pytestqt.qtbot import QtBot

from ovrik.desk.viewing.player import Player


def played(
    qtbot: QtBot, arrives_s: dict[int, float], last: int, loop_until: int = 0
) -> tuple[Player, list[int]]:
    """Play frames 0 to `last` at 10 a second, where some arrive late; the player and what it showed."""
    player, seen = Player(), list[int]()
    now = [100.0]

    def clock() -> float:
        now[0] += 0.01
        return now[0]

    def shown(frame: int) -> None:
        seen.append(frame)
        if loop_until and len(seen) >= loop_until:
            player.stop()

    player.clock = clock
    player.frame.connect(shown)
    ready = lambda n: now[0] - 100 >= arrives_s.get(n, 0.0)  # noqa: E731
    with qtbot.waitSignal(player.stopped, timeout=20_000):
        player.start(0, 0, last, 10.0, bool(loop_until), ready, 1)
    return player, seen


def test_every_frame_is_shown_when_all_are_there(qtbot: QtBot) -> None:
    player, seen = played(qtbot, {}, 12)
    assert seen == list(range(13))
    assert player.dropped == 0


def test_a_frame_that_comes_too_late_is_left_out_and_counted(qtbot: QtBot) -> None:
    player, seen = played(qtbot, {4: 0.75, 5: 0.75}, 12)
    assert seen[:4] == [0, 1, 2, 3]
    assert 5 not in seen
    assert seen == sorted(set(seen))
    assert player.dropped == 13 - len(seen) > 0


def test_the_clock_waits_for_the_first_frame(qtbot: QtBot) -> None:
    player, seen = played(qtbot, {0: 0.8}, 12)
    assert seen == list(range(13))
    assert player.dropped == 0


def test_a_loop_begins_again_at_its_first_frame(qtbot: QtBot) -> None:
    _player, seen = played(qtbot, {}, 4, loop_until=12)
    assert seen == [0, 1, 2, 3, 4, 0, 1, 2, 3, 4, 0, 1]
