"""Every file of the shipped generator: its fault is found, and the sound ones pass."""

import time
from pathlib import Path

import pytest

from calm import CALM
from odd_clips import run
from ovrik.demo.faulty import FAULTY, FRAMES, Faulty, write_faulty
from ovrik.outside.watch import FIRST_BYTE, OutsideTime
from ovrik.quality.decode.probe import probe
from ovrik.report.words.reasons import reasons_words
from ovrik.store.study import Study
from ovrik.study.facts.point import RIGHT
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.exports import keep_outside, outside_contender


@pytest.fixture(scope="module")
def source(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Ten-bit colour that moves all the time, over speech-like sound."""
    path = tmp_path_factory.mktemp("faulty") / "source.mov"
    picture = "mandelbrot=s=320x180:r=25,format=gbrp10le"
    tagged = "scale=out_color_matrix=bt709,format=yuv422p10le,setparams=range=tv:colorspace=bt709:"
    tagged += "color_primaries=bt709:color_trc=bt709"
    hum = "anoisesrc=d=2.4:seed=3:a=0.3,highpass=f=200,lowpass=f=3000,volume='0.3+0.7*abs(sin(7*t*t))':eval=frame"
    given = ("-f", "lavfi", "-i", picture, "-f", "lavfi", "-i", hum, "-t", "2.4", "-vf", tagged)
    coded = ("-c:v", "prores_ks", "-profile:v", "hq", "-c:a", "pcm_s16le", "-ar", "48000", "-ac", "2")
    run(*given, *coded, str(path))
    return path


@pytest.mark.parametrize("faulty", FAULTY, ids=lambda f: f.name)
def test_each_is_found_and_the_sound_ones_pass(source: Path, tmp_path: Path, faulty: Faulty) -> None:
    path = write_faulty(source, tmp_path, faulty)
    study = Study.create(tmp_path / "s.ovrik", "S", of_clip(probe(source)), Excerpt(0, FRAMES), 1, 0)
    study.set_conduct(CALM)
    one = study.add_contender(outside_contender("Bell Yard", "1.0", {}, "mkv"))
    now = time.monotonic()
    size = path.stat().st_size
    keep_outside(
        study,
        one,
        OutsideTime(path, 2.0, 0.05, 0.0, FIRST_BYTE, now - 2, now, size, (path.name,), 0, 0, "bellyard"),
    )
    score_all(study)
    found = gather(study).summaries[0]
    study.close()
    assert found.score is not None
    said = "; ".join(reasons_words(found.reasons))
    assert faulty.found in said, said
    if not faulty.found:
        assert found.reasons == ()
        told = {p.name: p.answer for p in found.score.points}
        for name in ("each frame in its place", "levels", "colours", "loudness", "audio in sync", "frames"):
            assert told[name] == RIGHT, (name, found.score.points)
