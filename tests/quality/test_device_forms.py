"""A treatment's form on a device, held against software with the parameters in use."""

import json
import stat
import sys
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np
import pytest

from calm import CALM
from ovrik.machine.builds.build import Build, find_build
from ovrik.machine.devices.known_picture import planes, psnr
from ovrik.machine.devices.known_trials import known_trials
from ovrik.machine.devices.trial import WRONG
from ovrik.machine.devices.trials import try_build
from ovrik.machine.processes.asking import Replied
from ovrik.quality.reference.device_forms import known_forms, try_forms
from ovrik.quality.reference.form_trial import FormTrial, form_trial
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.words.reasons import reason_words, reasons_words, wanting_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

SOFTWARE = (
    "transpose_opencl=dir=clock,transpose_opencl=dir=clock_flip",
    "unsharp_opencl",
    "hwupload",
    "hwdownload",
)
PROGRAM = """#!{python} -S
# Does in software what is asked of OpenCL; with a fault where one is wanted.
import os, sys
given = []
for word in sys.argv[1:]:
    if word == '-init_hw_device' or word.startswith('opencl='): continue
    given.append(word)
text = []
skip = False
for word in given:
    if skip: skip = False; continue
    if word == '-filter_hw_device': skip = True; continue
    fault = {fault!r} if 'unsharp_opencl' in word else ''
    word = word.replace(',hwupload', '').replace(',hwdownload', fault).replace('unsharp_opencl', 'unsharp')
    text.append(word)
os.execv({real!r}, ['ffmpeg', *text])
"""


def build(folder: Path, fault: str) -> Build:
    """The bundled build with a device of its own; `fault` is a filter that its sharpening ends with."""
    real = find_build("bundled")
    program = folder / f"device {len(fault)}"
    program.write_text(PROGRAM.format(python=sys.executable, fault=fault, real=real.path))
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    return replace(real, key=str(program), path=str(program), sha256=f"fault {fault} in {folder}")


FAULTS = (
    ("", ""),
    (",hue=s=0", "dB, 40 wanted"),
    (",eq=brightness=0.1", "dB, 40 wanted"),
    (",scale=128:72", "another number of frames"),
)


@pytest.mark.parametrize(("fault", "words"), FAULTS)
def test_a_form_is_judged_by_all_its_planes(tmp_path: Path, footage: Footage, fault: str, words: str) -> None:
    made = build(tmp_path, fault)
    programme = replace(
        of_clip(footage), treatments=(treatment("sharpen", {"amount": 0.7}), treatment("grain"))
    )
    assert known_forms(made, programme, "opencl") == []
    found = try_forms(made, programme, "opencl")
    assert [f.words for f in found] == ["sharpen, amount 0.7"], "grain has no form there"
    assert bool(found[0].differs) is bool(words), found
    assert words in found[0].differs
    assert known_forms(made, programme, "opencl") == found
    other = replace(programme, treatments=(treatment("sharpen", {"amount": 0.9}),))
    assert known_forms(made, other, "opencl") == [], "other parameters are another question"


def test_lost_colours_are_not_exact() -> None:
    for pixel_format in ("yuv420p", "yuv422p10le", "yuv444p"):
        right = planes(pixel_format)
        grey = right.copy()
        grey[:, 256 * 144 :] = 128 if right.dtype == np.uint8 else 512
        found = psnr(grey.tobytes(), right.tobytes(), pixel_format)
        assert found is not None
        assert found < 20
        assert psnr(right.tobytes(), right.tobytes(), pixel_format) == 100


def test_the_trial_of_a_device_sees_lost_colours(tmp_path: Path) -> None:
    program = tmp_path / "grey"
    program.write_text(
        PROGRAM.format(python=sys.executable, fault="", real=find_build("bundled").path).replace(
            "text.append(word)",
            "text.append(word.replace('avgblur_opencl=sizeX=2', 'avgblur=sizeX=2,hue=s=0'))",
        )
    )
    program.chmod(0o755)
    made = Build("grey", str(program), "1", "x", (), ("avgblur_opencl",), devices=("opencl",))
    blur = [t for t in try_build(made, {}) if (t.path, t.what) == ("opencl", "blur")]
    assert [t.answer for t in blur] == [WRONG, WRONG]
    assert known_trials(made) is None


@pytest.mark.parametrize("refused", [False, True])
def test_a_form_that_differs_is_said_and_can_be_refused(
    tmp_path: Path, footage: Footage, refused: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    bad = FormTrial("opencl", "sharpen", 17.0)
    monkeypatch.setattr("ovrik.work.prepare.preparing.try_forms", lambda *_a: [bad])
    monkeypatch.setattr("ovrik.work.lineup.able.Judge._treating", lambda *_a: [])
    programme = replace(of_clip(footage), treatments=(treatment("sharpen"),))
    study = Study.create(tmp_path / "s.ovrik", "S", programme, Excerpt(0, 10), rounds=1, warmup=0)
    study.set_conduct(replace(CALM, refuse_forms=refused))
    c = Contender("bundled", recipe("libx264", "ultrafast"), treat="opencl")
    study.add_contender(c)
    monkeypatch.setattr("ovrik.work.prepare.export_plan.Plan.straight", _in_software)
    assert time_all(study, remaining(study, [1], 1)) is not refused
    evidence = gather(study)
    if refused:
        assert "sharpen by OpenCL differs from software's picture: 17 dB" in reason_words(
            evidence.summaries[0].reasons[0]
        )
    else:
        assert evidence.summaries[0].other_forms == (bad.differs,)
        assert bad.differs in verdict_text(evidence)
    study.close()


@pytest.mark.parametrize(
    ("proof", "acceptable", "said"),
    [
        (FormTrial("opencl", "key", 60.0), True, ""),
        (FormTrial("opencl", "key", 31.0), True, ""),
        (FormTrial("opencl", "key", 12.0), False, "key by OpenCL differs from software's picture: 12 dB"),
        (
            FormTrial("opencl", "key", None, "it gave no answer in time", answered=False),
            None,
            "have not been compared",
        ),
    ],
)
def test_what_was_not_proved_is_timed_and_is_no_choice(
    tmp_path: Path,
    footage: Footage,
    monkeypatch: pytest.MonkeyPatch,
    proof: FormTrial,
    acceptable: bool | None,
    said: str,
) -> None:
    """Whatever the limits are: none are set."""
    monkeypatch.setattr("ovrik.work.timing.series.proofs_of", lambda *_a: [proof])
    monkeypatch.setattr("ovrik.work.prepare.preparing.proofs_of", lambda *_a: [])
    monkeypatch.setattr("ovrik.work.lineup.able.Judge._treating", lambda *_a: [])
    monkeypatch.setattr("ovrik.work.prepare.export_plan.Plan.straight", _in_software)
    programme = replace(of_clip(footage), treatments=(treatment("sharpen"),))
    study = Study.create(tmp_path / "s.ovrik", "S", programme, Excerpt(0, 10), rounds=1, warmup=0)
    study.set_conduct(CALM)
    c = study.add_contender(Contender("bundled", recipe("libx264", "ultrafast"), treat="opencl"))
    assert time_all(study, remaining(study, [1], 1))
    score_all(study)
    again = Study.open(study.path)
    e = gather(again)
    [found] = e.summaries
    assert found.acceptable is acceptable
    assert (e.verdict.choice == c.contender_id) is (acceptable is True)
    told = [*reasons_words(found.reasons), wanting_words(found.place.by.wanting)]
    assert any(said in words for words in told)
    again.close()
    study.close()


def test_no_answer_in_time_is_not_kept(
    tmp_path: Path, footage: Footage, monkeypatch: pytest.MonkeyPatch
) -> None:
    programme = replace(of_clip(footage), treatments=(treatment("sharpen"),))
    build, asked = find_build("bundled"), []

    def late(command: list[str]) -> Replied:
        asked.append(command)
        return Replied(None, b"", "")

    monkeypatch.setattr("ovrik.quality.reference.known_render.run_trial", late)
    for count in (1, 2):
        [found] = try_forms(build, programme, "opencl")
        assert (found.answered, found.db) == (False, None)
        assert len(asked) == count, "asked again, and software not at all"
    assert known_forms(build, programme, "opencl") == []


def _in_software(plan: object) -> object:
    from ovrik.export.command.export import Export

    c, by = plan.contender, plan.build  # type: ignore[attr-defined]
    return Export(by.path, plan.programme, plan.excerpt, c.recipe, by.options)  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    "said", [None, 3, "x", {}, {"place": "opencl"}, {"place": "opencl", "words": "key", "db": "low"}, [["a"]]]
)
def test_what_is_no_proof_in_a_strangers_study_is_none(said: object) -> None:
    assert form_trial(said) is None


def test_a_proof_is_read_as_it_was_kept() -> None:
    one = FormTrial("opencl", "key", 31.5, "why", answered=False)
    assert form_trial(json.loads(json.dumps(asdict(one)))) == one
