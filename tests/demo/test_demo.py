"""The demo ships whole, small, and measured; the film is made the same everywhere."""

import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from ovrik.demo import film, sound
from ovrik.demo.film import FPS, draw, make_film
from ovrik.demo.light import to_video
from ovrik.demo.place import film_path
from ovrik.demo.scenario import DATA, adopt_film, unpack_demo
from ovrik.demo.strokes import GLYPHS, distance_field, line_width
from ovrik.export.run.trace import Trace
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline
from ovrik.report.words.verdict import sentence_over
from ovrik.store.study import Study
from ovrik.study.facts.part import DECODE, ENCODE, SOUND, TREAT, WRITE
from ovrik.study.files.checksum import footage_checksum
from ovrik.study.question.plan import load_plan
from ovrik.work.answers.equal_curves import equal_curves
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.apart.parts import ladder_of
from ovrik.work.apart.whole_programme import whole_of
from ovrik.work.checking.playback import played
from ovrik.work.evidence.gathered import gather


@pytest.fixture
def demo(tmp_path: Path) -> Study:
    study = Study.open(unpack_demo(tmp_path))
    yield study
    study.close()


def test_it_is_small_enough() -> None:
    total = sum(f.stat().st_size for f in DATA.rglob("*") if f.is_file())
    assert 1_000_000 < total < 10_000_000


def test_every_station_is_full(demo: Study) -> None:
    evidence = gather(demo)
    timed = [s for s in evidence.summaries if s.counted]
    assert len(timed) >= 6
    for s in timed:
        assert len(s.counted) >= (3 if s.contender.outside else 5)
        assert s.score is not None
        assert len(s.score.of("vmaf")) == evidence.facts.excerpt.frames
        output = demo.outputs / (s.runs[-1].output or "")
        assert output.stat().st_size == s.bytes
    assert evidence.choice
    assert any(s.acceptable is False for s in timed)
    assert len(demo.thumbnails()) >= 24
    assert demo.programme().clips[0].path == str(film_path())


def test_its_scores_are_of_the_files_that_ship(demo: Study) -> None:
    from ovrik.study.files.checksum import file_sha256

    for s in gather(demo).summaries:
        if s.score:
            assert file_sha256(demo.outputs / (s.runs[-1].output or "")) == s.score.output_sha256


def test_its_machine_is_recorded(demo: Study) -> None:
    machines = demo.machines()
    assert len(machines) == 1
    assert next(iter(machines.values()))["processor"]


def test_unpacking_again_keeps_what_the_user_did(tmp_path: Path) -> None:
    path = unpack_demo(tmp_path)
    study = Study.open(path)
    study.set_plan("Mine", 2, 1, 0.02)
    study.close()
    again = Study.open(unpack_demo(tmp_path))
    assert again.facts().title == "Mine"
    again.close()


def test_the_plan_that_ships_is_the_studys_question(demo: Study) -> None:
    question = load_plan(DATA / "casting-day.toml")
    assert [c.recipe for c in question.contenders] == [c.recipe for c in demo.contenders()]
    assert question.limits == demo.facts().limits


def test_the_programme_is_an_edit_with_a_timeline_that_ships(demo: Study, tmp_path: Path) -> None:
    programme = demo.programme()
    assert len(programme.shots) >= 8
    assert sum(bool(s.treatments) for s in programme.shots) >= 8
    assert {t.kind for t in programme.every_treatment} >= {
        "grade",
        "title",
        "retime",
        "stabilise",
        "layers",
        "picture",
    }
    assert any(s.dissolve for s in programme.shots)
    shutil.copy(DATA / "casting-day.otio", tmp_path)
    shutil.copy(DATA / "foundry.cube", tmp_path)
    said = read_timeline(tmp_path / "casting-day.otio")
    assert said.missing == (film_path().name,)
    lut = dict(programme.treatments[0].checksums)["lut"]
    assert footage_checksum(DATA / "foundry.cube") == lut
    assert Path(programme.treatments[0]["lut"]).parent == demo.path.parent


def test_its_excerpts_are_both_measured(demo: Study) -> None:
    assert [e.name for e in demo.excerpts()] == ["usual", "calm"]
    for named in demo.excerpts():
        demo.set_excerpt(named.excerpt)
        summaries = gather(demo).summaries
        driven = [s for s in summaries if not s.contender.outside]
        assert sum(len({r.round for r in s.counted}) == 5 for s in driven) == 9
        assert sum(bool(r.disturbed) for s in summaries for r in s.counted) < 5, "measured on a quiet machine"
    assert demo.complexity() is not None


def test_it_was_gone_through_twice_by_two_builds(demo: Study) -> None:
    over = gather_sittings(demo)
    assert [s.sitting.name for s in over.each] == ["the system's build", "the bundled build"]
    pair = over.pair(1, 2)
    changed = {c.label: c for c in pair.changed}
    assert pair.new_builds
    assert changed["x264 medium"].new_build
    assert not changed["x264 medium, system build"].new_build
    assert sum(c.change is not None for c in pair.changed) == 9
    assert over.shift.freedom == 1, "one build was timed in both"


def test_where_its_time_goes_is_measured_too(demo: Study) -> None:
    said = {c.label: (ladder_of(demo, c), whole_of(demo, c)) for c in demo.contenders()}
    for label in ("x264 medium", "SVT-AV1 11 10 bit mp4"):
        found, whole = said[label]
        assert found is not None
        assert {s.name for s in found.shares} == {DECODE, TREAT, ENCODE, SOUND, WRITE}
        assert whole.check is not None
        assert whole.check.within
    assert said["x265 fast"][0] is None
    run = next(r for r in demo.runs() if r.counts)
    data = demo.series(run.id)
    assert data is not None
    assert Trace.unpacked(data).columns["frames"].max() > 0


def test_a_pre_render_of_the_demo_pays_for_itself(demo: Study) -> None:
    paid = [s.payoff for s in gather(demo).summaries if s.payoff]
    assert len(paid) == 1
    assert paid[0].exports


def test_frames_are_repeatable_and_different() -> None:
    first, again = draw(61, 62)[0], draw(61, 62)[0]
    assert all((a == b).all() for a, b in zip(first, again, strict=True))
    later = draw(75, 76)[0]
    assert np.abs(first[0].astype(int) - later[0]).mean() > 4


@pytest.mark.parametrize("shot", range(5))
def test_each_shot_uses_the_range_and_stays_legal(shot: int) -> None:
    luma, cb, cr = draw(shot * film.SHOT_FRAMES + 40, shot * film.SHOT_FRAMES + 41)[0]
    assert luma.shape == (720, 1280)
    assert cb.shape == cr.shape == (720, 640)
    assert luma.min() >= 64
    assert luma.max() <= 940
    assert luma.std() > 40  # light and depth, not a flat card
    assert len(np.unique(luma)) > 256  # really ten bits


def test_neutral_light_has_no_colour() -> None:
    luma, cb, cr = to_video(np.full((3, 720, 1280), 0.4, np.float32))
    assert np.all(cb == 512)
    assert np.all(cr == 512)
    assert len(np.unique(luma)) == 1


def test_a_short_film_is_what_it_should_be(tmp_path: Path) -> None:
    shares: list[float] = []
    path = make_film(shares.append, tmp_path / "short.mov", frames=4)
    read = probe(path)
    assert (read.width, read.height, float(read.rate), read.frames) == (1280, 720, 25.0, 4)
    assert (read.pixel_format, read.bit_depth, read.chroma) == ("yuv422p10le", 10, "4:2:2")
    assert read.sounds[0].channels == 2
    assert shares[-1] == 1.0
    assert shares == sorted(shares)
    assert not list(tmp_path.glob("*.partial"))


def test_another_processors_film_is_adopted(
    demo: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = gather(demo)
    path = make_film(path=tmp_path / "other.mov", frames=2)
    monkeypatch.setattr("ovrik.demo.scenario.film_path", lambda: path)
    assert not adopt_film(demo)  # the study's footage is another file
    demo.move_footage(path)
    assert adopt_film(demo)
    after = gather(demo)
    assert after.set_aside == before.set_aside > 50, "those of the other excerpt"
    assert [s.median_s for s in after.summaries] == [s.median_s for s in before.summaries]
    assert [bool(s.score) for s in after.summaries] == [bool(s.score) for s in before.summaries]


def test_the_bell_rings_when_it_should() -> None:
    made = sound.sound(12.0, film.SEED, film.STRIKES)
    assert made.shape == (12 * sound.RATE, 2)
    around = [int(t * sound.RATE) for t in film.STRIKES]
    loud = np.abs(made[around[0] + 400 : around[0] + 4400].astype(float)).mean()
    quiet = np.abs(made[around[0] - 4400 : around[0] - 400].astype(float)).mean()
    assert loud > 2 * quiet
    assert all(0 <= a < len(made) for a in around)
    assert film.FRAMES / FPS == 12


def test_letters_are_cut_where_they_belong() -> None:
    wide = line_width("CASTING DAY", 50)
    field = distance_field((80, int(wide) + 40), "CASTING DAY", 20, 15, 50, 8)
    ink = np.argwhere(field < 3)
    assert ink[:, 0].min() >= 10
    assert ink[:, 0].max() <= 70
    assert ink[:, 1].max() <= wide + 26
    for text in ("ANNO SANCTI IOHANNIS . VIVOS VOCO", "A FILM OF THE BELL FOUNDRY"):
        assert set(text) <= set(GLYPHS)


def test_outside_exports_and_playback_come_with_it(demo: Study) -> None:
    outside = [s for s in gather(demo).summaries if s.contender.outside]
    assert [s.contender.label for s in outside] == ["Bell Yard 1.0 (simulated)", "Bell Yard 2.0 (simulated)"]
    for s in outside:
        assert s.rounds == 3
        assert all(r.conditions["ticked"] for r in s.counted)
        assert s.doubt_s == pytest.approx(0.12, abs=0.05)
        assert s.score is not None
        assert s.score.points
        assert s.conforms
    sizes = {
        size
        for (_c, output), by_size in played(gather(demo).playbacks).items()
        if not output
        for size in by_size
    }
    assert sizes == {"full", "half", "quarter"}


def test_a_film_that_was_rounded_another_way_keeps_all_its_evidence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another processor may give the film another checksum: scores, searches and every kind of footage go with it."""
    study = Study.open(unpack_demo(tmp_path))
    old = study.programme().clips[0]
    before = gather_kinds(study)
    assert before is not None
    there = tmp_path / "film.mov"
    there.write_bytes(b"")
    study.move_footage(there)
    monkeypatch.setattr("ovrik.demo.scenario.film_path", lambda: there)
    monkeypatch.setattr(
        "ovrik.quality.decode.probe.probe", lambda _path: replace(old, path=str(there), checksum="other")
    )
    assert adopt_film(study)
    after = gather_kinds(study)
    assert after is not None
    assert sentence_over(after) == sentence_over(before)
    for one, other in zip(before.each, after.each, strict=True):
        assert [s.quality.keys() for s in one.summaries] == [s.quality.keys() for s in other.summaries]
    e = after.each[0]
    curves = equal_curves(e, study.search_points(e.programme.checksum, e.facts.excerpt), "vmaf_mean")
    known = study.search_points(e.programme.checksum, e.facts.excerpt)
    assert len(known) >= 6
    assert {p.recipe.quality for p in known} <= {p.setting for c in curves for p in c.points if p.searched}
    study.close()


def test_searches_belong_to_the_series_that_they_were_made_for(demo: Study) -> None:
    """The same recipe by another build, or from a pre-render, was not searched."""
    e = gather(demo)
    points = demo.search_points(e.programme.checksum, e.facts.excerpt)
    labels = {c.contender_id: c.label for c in demo.contenders()}
    searched = {labels[p.contender_id] for p in points}
    found = {
        c.contender.label for c in equal_curves(e, points, "vmaf_mean") if any(p.searched for p in c.points)
    }
    assert found == searched == {"x264 medium", "x265 fast", "SVT-AV1 11 10 bit mp4"}
