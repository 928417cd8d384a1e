"""A study to send: what is in it, what is not, and that it opens elsewhere."""

import hashlib
import shutil
import sqlite3
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest

from ovrik.cli import main
from ovrik.errors import OvrikError, Stopped
from ovrik.report.forms.privacy import bare
from ovrik.store.study import Study
from ovrik.store.tables.carried import OUTPUT, PIECE, REFERENCE
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import latest_output, output_path
from ovrik.work.evidence.sending import load_of, send, unpack
from ovrik.work.evidence.shown_files import output_of, reference_of


@pytest.fixture(scope="module")
def timed(tmp_path_factory: pytest.TempPathFactory, clip: Path) -> Path:
    """One contender timed and checked, in a folder of its own."""
    folder = tmp_path_factory.mktemp("private folder")
    shutil.copy(clip, folder / "a film.mkv")
    (folder / "p.toml").write_text(
        '[study]\ntitle = "Sent"\nfootage = "a film.mkv"\nrounds = 1\nwarmup = 0\n'
        "[timing]\nrest = false\nrepeat_disturbed = false\n"
        '[[contender]]\nencoder = "libx264"\npreset = "ultrafast"\n'
    )
    path = folder / "study.ovrik"
    assert main(["run", str(folder / "p.toml"), "-o", str(path)]) == 0
    return path


@pytest.fixture
def study_(timed: Path) -> Study:
    study = Study.open(timed)
    yield study
    study.close()


def test_the_size_is_said_beforehand_and_is_right(study_: Study, tmp_path: Path) -> None:
    load = load_of(study_)
    assert {f.kind for f in load.files} == {OUTPUT, REFERENCE}
    for outputs, references in ((False, False), (True, False), (True, True)):
        into = tmp_path / f"{outputs}{references}.ovrik"
        size = send(study_, into, bare, outputs, references)
        assert size == into.stat().st_size
        assert size == pytest.approx(load.bytes(outputs, references), abs=80_000)
    assert (tmp_path / "FalseFalse.ovrik").stat().st_size < (tmp_path / "TrueFalse.ovrik").stat().st_size


def test_it_opens_elsewhere_with_the_same_numbers_and_outputs(study_: Study, tmp_path: Path) -> None:
    into = tmp_path / "else where" / "sent.ovrik"
    into.parent.mkdir()
    send(study_, into, bare, True, True)
    run = latest_output(study_, 1)
    assert run is not None
    wanted = hashlib.sha256(output_path(study_, run).read_bytes()).hexdigest()
    with closing(Study.open(into)) as there:
        ours, theirs = gather(study_), gather(there)
        assert [s.usual_s for s in theirs.summaries] == [s.usual_s for s in ours.summaries]
        assert theirs.summaries[0].vmaf == ours.summaries[0].vmaf
        shown = output_of(there, theirs.summaries[0], theirs)
        assert shown is None or shown.path.parent != there.outputs
        assert unpack(there) == 2
        [found] = list(there.outputs.glob("01-*"))
        assert hashlib.sha256(found.read_bytes()).hexdigest() == wanted
        assert unpack(there) == 2
        names = [p.name for p in there.outputs.iterdir() if p.suffix == ".mkv"]
        assert len(names) == 1
        assert names[0].startswith("reference ")


def test_a_reference_that_was_sent_is_looked_at_where_there_is_no_own(
    study_: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    into = tmp_path / "sent.ovrik"
    send(study_, into, bare, True, True)
    with closing(Study.open(into)) as there:
        unpack(there)
        e = gather(there)
        own = reference_of(there, e.summaries[0], e)
        assert own.path.parent != there.outputs
        monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "no cache"))
        assert reference_of(there, e.summaries[0], e).path.parent == there.outputs


def test_no_folder_is_named_unless_that_is_wanted(study_: Study, tmp_path: Path) -> None:
    secret = "private folder"
    into = tmp_path / "sent.ovrik"
    send(study_, into, bare, True)
    assert secret.encode() not in into.read_bytes()
    assert str(Path.home()).encode() + b"/" not in into.read_bytes()
    told = tmp_path / "told.ovrik"
    send(study_, told, None, True)
    assert secret.encode() in told.read_bytes()
    with closing(Study.open(into)) as there:
        assert Path(there.programme().clips[0].path).name == "a film.mkv"


def test_one_that_is_to_be_read_only_is(study_: Study, tmp_path: Path) -> None:
    into = tmp_path / "sealed.ovrik"
    send(study_, into, bare, sealed=True)
    with closing(Study.open(into)) as there:
        assert there.read_only
        with pytest.raises(OvrikError, match="sent to be read only"):
            there.set_tie_band(0.05)
        assert gather(there).summaries[0].usual_s
    assert main(["again", str(into)]) == 2
    assert main(["verdict", str(into)]) == 0


def test_what_is_there_is_not_overwritten_and_a_stop_leaves_nothing(study_: Study, tmp_path: Path) -> None:
    into = tmp_path / "there.ovrik"
    into.write_text("mine")
    with pytest.raises(OvrikError, match="there already"):
        send(study_, into, bare)
    assert into.read_text() == "mine"
    with pytest.raises(Stopped):
        send(study_, tmp_path / "new.ovrik", bare, True, True, should_stop=lambda: True)
    with pytest.raises(OvrikError):
        send(study_, tmp_path / "no folder" / "new.ovrik", bare)
    assert [p.name for p in tmp_path.iterdir()] == ["there.ovrik"]


@pytest.mark.parametrize("name", ["../out.mp4", "/etc/x.mp4", "a/b.mkv", ".hold", "x.sh", "a\n.mp4"])
def test_a_name_from_a_stranger_is_not_written_by(study_: Study, tmp_path: Path, name: str) -> None:
    into = tmp_path / "in" / "sent.ovrik"
    into.parent.mkdir()
    send(study_, into, bare, True)
    with closing(sqlite3.connect(into)) as db:
        db.execute("UPDATE carried SET name = ?", (name,))
        db.commit()
    with closing(Study.open(into)) as there, pytest.raises(OvrikError, match="no name of a film file"):
        unpack(there)
    assert {p.name for p in tmp_path.rglob("*") if p.is_file()} <= {"sent.ovrik", ".hold"}


def test_contents_that_were_changed_are_refused(study_: Study, tmp_path: Path) -> None:
    into = tmp_path / "sent.ovrik"
    send(study_, into, bare, True)
    with closing(sqlite3.connect(into)) as db:
        db.execute("UPDATE carried SET data = zeroblob(length(data))")
        db.commit()
    with closing(Study.open(into)) as there:
        with pytest.raises(OvrikError, match="damaged in the study"):
            unpack(there)
        assert not list(there.outputs.glob("*01-*"))


def test_files_longer_than_a_piece(study_: Study, tmp_path: Path) -> None:
    large = tmp_path / "large.mkv"
    large.write_bytes(bytes(range(256)) * (2 * PIECE // 256 + 7))
    into = tmp_path / "sent.ovrik"
    send(study_, into, bare)
    with closing(Study.open(into)) as there:
        there.carry(OUTPUT, large, "large.mkv")
        [one] = there.carried()
        assert one.bytes == large.stat().st_size
        assert there.put_down(one, tmp_path / "out").read_bytes() == large.read_bytes()


def test_by_command(timed: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    into = tmp_path / "it's sent.ovrik"
    assert main(["send", str(timed), "--size", "--outputs"]) == 0
    assert "about" in capsys.readouterr().out
    assert main(["send", str(timed)]) == 2
    assert main(["send", str(timed), "-o", str(into), "--outputs", "--reference", "--read-only"]) == 0
    assert main(["unpack", str(into)]) == 0
    assert "2 files" in capsys.readouterr().out
    assert main(["send", str(timed), "-o", str(into)]) == 2


def test_where_a_study_says_that_outputs_go_is_not_written_to(study_: Study, tmp_path: Path) -> None:
    """The sender's folder does not go along, and one that a stranger put in is not used."""
    elsewhere, into = tmp_path / "elsewhere", tmp_path / "in" / "sent.ovrik"
    elsewhere.mkdir()
    into.parent.mkdir()
    before = study_.facts().conduct
    study_.set_conduct(replace(before, outputs=str(elsewhere)))
    try:
        send(study_, into, None)
    finally:
        study_.set_conduct(before)
    with closing(Study.open(into)) as there:
        assert there.facts().conduct.outputs == ""
        there.set_conduct(replace(there.facts().conduct, outputs=str(elsewhere)))
        film = tmp_path / "film.mkv"
        film.write_bytes(b"x" * 1000)
        there.carry(OUTPUT, film, "film.mkv")
    with closing(Study.open(into)) as there:
        assert unpack(there) == 1
    assert list(elsewhere.iterdir()) == []
    assert (into.parent / "sent outputs" / "film.mkv").exists()
