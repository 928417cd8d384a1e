"""What programs do with their files becomes exports with a start and an end, whatever the habit."""

from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from ovrik.outside.folder import _between
from ovrik.outside.sightings import CLOSED, CREATED, DELETED, GREW, MOVED, Candidate, Sighting, Sightings

ROOT = Path("/armed")


def seen(*what: tuple[float, str, str] | tuple[float, str, str, str]) -> list[Candidate]:
    """Candidates after these sightings: moment, kind, name and, of a move, the new name."""
    model = Sightings()
    for at, kind, name, *to in what:
        model.see(Sighting(at, 0.01, kind, ROOT / name, ROOT / to[0] if to else None))
    return model.candidates()


def test_straight_into_the_file() -> None:
    [one] = seen((1, CREATED, "a.mp4"), (2, GREW, "a.mp4"), (9, GREW, "a.mp4"), (9.1, CLOSED, "a.mp4"))
    assert (one.first_s, one.last_s, one.open) == (1, 9.1, False)


def test_a_name_of_its_own_at_the_end() -> None:
    [one] = seen((1, CREATED, "~a.part"), (8, CLOSED, "~a.part"), (8.2, MOVED, "~a.part", "a.mp4"))
    assert (one.path.name, one.first_s, one.last_s) == ("a.mp4", 1, 8.2)
    assert [p.name for p in one.names] == ["~a.part", "a.mp4"]


def test_a_header_written_anew_is_the_end() -> None:
    [one] = seen((1, CREATED, "a.mp4"), (5, CLOSED, "a.mp4"), (7, GREW, "a.mp4"), (7.1, CLOSED, "a.mp4"))
    assert one.last_s == 7.1
    [still] = seen((1, CREATED, "a.mp4"), (5, CLOSED, "a.mp4"), (7, GREW, "a.mp4"))
    assert still.open


def test_parts_that_are_joined_begin_it() -> None:
    [one] = seen(
        (1, CREATED, "a parts/part 0.bin"),
        (2, CLOSED, "a parts/part 0.bin"),
        (2.5, CREATED, "a parts/part 1.bin"),
        (3, CLOSED, "a parts/part 1.bin"),
        (4, CREATED, "a.mp4"),
        (6, CLOSED, "a.mp4"),
        (5, DELETED, "a parts/part 0.bin"),
        (5.1, DELETED, "a parts/part 1.bin"),
    )
    assert one.began == (1, 0.01)
    assert (one.last_s, len(one.parts)) == (6, 2)


def test_a_folder_of_parts_is_the_first_thing_that_is_made() -> None:
    [one] = [
        c
        for c in seen(
            (1, CREATED, "a parts"),
            (1, CLOSED, "a parts"),
            (1.2, CREATED, "a parts/0.bin"),
            (2, CLOSED, "a parts/0.bin"),
            (3, CREATED, "a.mp4"),
            (4, CLOSED, "a.mp4"),
        )
        if c.path.suffix == ".mp4"
    ]
    assert one.began == (1, 0.01)


def test_another_export_of_a_like_name_is_not_a_part() -> None:
    names = [c.path.name for c in seen((1, CREATED, "a.mp4"), (3, CREATED, "a 2.mp4"), (4, CLOSED, "a.mp4"))]
    assert names == ["a.mp4", "a 2.mp4"]


def test_deleted_and_made_anew_at_once_is_the_same_and_later_another() -> None:
    [same] = seen((1, CREATED, "a.mp4"), (1.1, DELETED, "a.mp4"), (1.5, CREATED, "a.mp4"))
    assert (same.first_s, same.begun_again) == (1, 1)
    [other] = seen((1, CREATED, "a.mp4"), (2, DELETED, "a.mp4"), (9, CREATED, "a.mp4"))
    assert (other.first_s, other.begun_again) == (9, 0)


def test_a_folder_that_is_renamed_takes_its_files_along() -> None:
    [one] = seen((1, CREATED, "tmp/a.mp4"), (2, CLOSED, "tmp/a.mp4"), (3, MOVED, "tmp", "done"))
    assert one.path == ROOT / "done/a.mp4"
    assert one.last_s == 3


def test_a_queue_is_told_apart() -> None:
    found = seen(
        (1, CREATED, "a.mp4"),
        (3, CLOSED, "a.mp4"),
        (3.1, CREATED, "b.mp4"),
        (5, CLOSED, "b.mp4"),
        (5.1, CREATED, "c.mp4"),
    )
    assert [(c.path.name, c.first_s, c.open) for c in found] == [
        ("a.mp4", 1, False),
        ("b.mp4", 3.1, False),
        ("c.mp4", 5.1, True),
    ]


EVENTS = st.tuples(
    st.sampled_from([CREATED, GREW, CLOSED, DELETED]), st.sampled_from(["a.mp4", "b.mov", "c/d.mkv"])
)


@given(st.lists(EVENTS, max_size=40))
def test_no_export_ends_before_it_begins(events: list[tuple[str, str]]) -> None:
    model = Sightings()
    for at, (kind, name) in enumerate(events):
        model.see(Sighting(float(at), 0.0, kind, ROOT / name))
    for c in model.candidates():
        assert c.began[0] <= c.last_s
        assert c.gone_s is None


def test_looking_finds_growth_ends_and_renames_between_two_looks() -> None:
    a, b = ROOT / "a.mp4", ROOT / "b.mp4"
    still: set[Path] = set()
    kinds = lambda before, after: [s.kind for s in _between(before, after, still, 1.0, 0.1)]  # noqa: E731
    assert kinds({}, {a: (1, 1)}) == [CREATED]
    assert kinds({a: (1, 1)}, {a: (2, 2)}) == [GREW]
    [ended] = _between({a: (2, 2)}, {a: (2, 2)}, still, 2.0, 0.1)
    assert (ended.kind, ended.at_s) == (CLOSED, 1.8)
    assert kinds({a: (2, 2)}, {a: (2, 2)}) == []
    [moved] = _between({a: (2, 2)}, {b: (2, 2)}, still, 3.0, 0.1)
    assert (moved.kind, moved.path, moved.to) == (MOVED, a, b)
    assert kinds({b: (2, 2)}, {}) == [DELETED]
