"""An intermediate of the delivery's own codec is copied into it: the same frames, and no encode."""

from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest
from test_programmes import clips, cut, study_of, time_it  # noqa: F401

from ovrik.errors import OvrikError
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.report.words.numbers import estimate_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.as_table import contender_of, intermediate_text, parse_intermediate, table_of
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.passing import passes_into, passing_fault
from ovrik.study.encoder.intermediate import INTERMEDIATES, intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.programme import Programme
from ovrik.work.answers.estimate import estimate
from ovrik.work.apart.parts import Bench, time_parts
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import latest_output, output_path
from ovrik.work.lineup.able import barred

HQ = recipe("prores_ks", "hq", pixel_format="yuv422p10le", sound="aac")
PASSED = Contender("bundled", HQ, prerendered=intermediate("prores-hq", passed=True))


def packets(path: Path) -> list[bytes]:
    with av.open(str(path)) as box:
        return [bytes(p) for p in box.demux(video=0) if p.size]


@pytest.mark.usefixtures("clips")
def test_its_frames_are_copied_and_judged_as_any(tmp_path: Path, cut: Programme) -> None:  # noqa: F811
    again = replace(PASSED, prerendered=intermediate("prores-hq"))
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", HQ), again, PASSED)
    assert "known" in estimate_words(estimate(study, gather(study), [1, 2, 3], 1))
    time_it(study)
    direct, twice, passed = gather(study).summaries
    assert [s.score.faults for s in (direct, twice, passed) if s.score] == [(), (), ()]
    [made] = [p for p in (study.outputs / "prerendered").iterdir() if p.is_file()]
    outputs = [output_path(study, run) for run in (latest_output(study, n) for n in (1, 2, 3)) if run]
    assert packets(outputs[2]) == packets(made) == packets(outputs[0]), "as if it had been coded directly"
    assert packets(outputs[1]) != packets(made)
    frames = [np.stack([f.to_ndarray() for f in decoded_frames(p)]) for p in (outputs[0], outputs[2])]
    assert np.array_equal(*frames)
    assert "copy" in passed.runs[0].argv
    assert passed.runs[0].argv[-1].endswith(".mov")
    assert (passed.score.facts.audio if passed.score else ()) == ("aac",)
    assert passed.first_s == twice.first_s, "it is made once for both"
    assert passed.quality["vmaf"].mean == direct.quality["vmaf"].mean
    with pytest.raises(OvrikError, match="codes nothing"):
        time_parts(Bench(study, lambda _s, _w: None, lambda: False), study.contenders()[2])
    study.close()


def test_without_sound_there_is_none(tmp_path: Path, cut: Programme) -> None:  # noqa: F811
    silent = replace(PASSED, recipe=replace(HQ, sound="none", container="mkv"))
    study = study_of(tmp_path / "s.ovrik", cut, silent)
    time_it(study)
    [only] = gather(study).summaries
    assert only.score is not None
    assert only.score.faults == ()
    assert "-an" in only.runs[0].argv
    study.close()


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"recipe": recipe("prores_ks", "lt", pixel_format="yuv422p10le")}, "only the delivery's own codec"),
        ({"recipe": recipe("libx264", "medium", 20)}, "only the delivery's own codec"),
        ({"recipe": replace(HQ, pixel_format="yuv444p10le")}, "it is yuv422p10le, the delivery yuv444p10le"),
        ({"recipe": replace(HQ, width=64, height=48)}, "another size or rate"),
        ({"recipe": replace(HQ, rate="50")}, "another size or rate"),
        ({"prerendered": intermediate("prores-hq", 64, 48, passed=True)}, "another size or rate"),
        ({"recipe": replace(HQ, quality=9.0)}, "settings of an encoder have no effect"),
        ({"recipe": replace(HQ, raw=(("mbs_per_slice", "4"),))}, "settings of an encoder have no effect"),
    ],
)
def test_what_can_not_be_passed_says_why(study: Study, change: dict[str, object], why: str) -> None:
    made = study.add_contender(replace(PASSED, **change))  # type: ignore[arg-type]
    assert why in barred(study)[made.contender_id]


def test_what_can_is_not_barred(study: Study, footage: Footage) -> None:
    assert passing_fault(PASSED) == ""
    made = study.add_contender(PASSED)
    assert made.contender_id not in barred(study)
    assert passes_into(HQ) == ["prores-hq"]
    assert passes_into(recipe("libx264", "medium", 20)) == []
    assert passes_into(recipe("ffv1", "3")) == ["ffv1"]
    assert "dnxhr-sq" in passes_into(recipe("dnxhd", "dnxhr_sq"))


def test_it_is_written_down_and_read_again(study: Study, tmp_path: Path) -> None:
    for text in ("prores-hq passed", "ffv1 960x540 yuv420p passed", "prores-hq"):
        into = parse_intermediate(text)
        assert into is not None
        assert intermediate_text(into) == text
        assert into.passed == text.endswith("passed")
    study.add_contender(PASSED)
    [kept] = [c for c in study.contenders() if c.prerendered]
    assert kept.prerendered == PASSED.prerendered
    assert contender_of(table_of(kept), tmp_path).prerendered == PASSED.prerendered
    assert "from ProRes HQ, passed through" in labelled([Contender("bundled", HQ), PASSED])[1].label
    plain = intermediate("prores-hq")
    assert "passed" not in plain.to_json(), "a study without it is as it was"
    assert plain.name == str(replace(plain)).replace(", passed=False", ""), "and finds what was made before"
    assert {f.encoder for f in INTERMEDIATES.values()} == {"prores_ks", "dnxhd", "ffv1"}
