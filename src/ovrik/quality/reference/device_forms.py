"""Does a treatment's form on a device give the picture that software gives? Tried with the very parameters in use."""

import hashlib
import json
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.machine.builds.build import Build
from ovrik.machine.devices.known_picture import PEAKS, psnr
from ovrik.machine.devices.known_trials import state_key
from ovrik.machine.devices.reasons import plain_reason
from ovrik.quality.reference.form_trial import FormTrial
from ovrik.quality.reference.known_render import format_of, rendered
from ovrik.study.files.kept import cache_folder, read_json
from ovrik.study.files.whole_file import write_whole
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment import Treatment
from ovrik.study.programme.treatment_kinds import SOFTWARE

METHOD = 2
"""Raised when forms are tried another way."""


def treatments_on(programme: Programme, place: str) -> list[Treatment]:
    """The treatments of a programme that have a form for a place."""
    return [t for t in programme.every_treatment if place != SOFTWARE and t.form(place).place == place]


def known_form(build: Build, programme: Programme, t: Treatment, place: str) -> FormTrial | None:
    """The answer on file for one treatment, None where it was not tried with these parameters."""
    return _kept(build, t, place, format_of(programme))


def known_forms(build: Build, programme: Programme, place: str) -> list[FormTrial]:
    """Answers on file for the treatments of a programme; those not tried yet are missing."""
    found = (_kept(build, t, place, format_of(programme)) for t in treatments_on(programme, place))
    return [f for f in found if f is not None]


def try_forms(
    build: Build, programme: Programme, place: str, should_stop: Ask = lambda: False
) -> list[FormTrial]:
    """Answers for all of them, tried now where there are none on file. Raises Stopped."""
    out = []
    for t in treatments_on(programme, place):
        if should_stop():
            raise Stopped
        pixel_format = format_of(programme)
        known = _kept(build, t, place, pixel_format)
        if known is None:
            known = _tried(build, t, place, pixel_format)
            if known.answered:
                _keep(build, t, pixel_format, known)
        out.append(known)
    return out


def _place(build: Build, t: Treatment, place: str, pixel_format: str) -> Path:
    said = f"{METHOD}|{state_key(build)}|{place}|{pixel_format}|{json.dumps(t.to_json(), sort_keys=True)}"
    return cache_folder("trials", "forms") / f"{hashlib.sha256(said.encode()).hexdigest()[:32]}.json"


def _kept(build: Build, t: Treatment, place: str, pixel_format: str) -> FormTrial | None:
    try:
        return FormTrial(**read_json(_place(build, t, place, pixel_format)))
    except TypeError:
        return None


def _keep(build: Build, t: Treatment, pixel_format: str, made: FormTrial) -> None:
    with suppress(OSError):  # tried again next time
        write_whole(_place(build, t, made.place, pixel_format), json.dumps(asdict(made)))


def _tried(build: Build, t: Treatment, place: str, pixel_format: str) -> FormTrial:
    if pixel_format not in PEAKS:
        raise OvrikError(f"{t.words} can't be tried in {pixel_format}", "")
    ours = rendered(build, t, place, pixel_format)
    if ours.code or not ours.out:
        if ours.code is None:
            return FormTrial(place, t.words, None, "it gave no answer in time", answered=False)
        return FormTrial(place, t.words, None, plain_reason(ours.log))
    plain = rendered(build, t, SOFTWARE, pixel_format)
    db = psnr(ours.out, plain.out, pixel_format)
    return FormTrial(
        place, t.words, db, "" if db is not None else "another number of frames, or another size"
    )
