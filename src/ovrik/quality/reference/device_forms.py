"""Does a treatment's form on a device give the picture that software gives? Tried with the very parameters in use."""

import hashlib
import json
from contextlib import suppress
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.command.export import device_arguments
from ovrik.export.graph.builder import Canvas, GraphBuilder, is_deep, sampling
from ovrik.export.graph.nodes import Node, node
from ovrik.export.graph.treat import apply
from ovrik.machine.builds.build import Build
from ovrik.machine.devices.known_picture import HEIGHT, PEAKS, WIDTH, input_arguments, psnr
from ovrik.machine.devices.known_trials import device_numbers, state_key
from ovrik.machine.devices.opening import run_trial
from ovrik.machine.devices.reasons import plain_reason
from ovrik.quality.reference.form_trial import FormTrial
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
    return _kept(build, t, place, _pixel_format(programme))


def known_forms(build: Build, programme: Programme, place: str) -> list[FormTrial]:
    """Answers on file for the treatments of a programme; those not tried yet are missing."""
    found = (_kept(build, t, place, _pixel_format(programme)) for t in treatments_on(programme, place))
    return [f for f in found if f is not None]


def try_forms(
    build: Build, programme: Programme, place: str, should_stop: Ask = lambda: False
) -> list[FormTrial]:
    """Answers for all of them, tried now where there are none on file. Raises Stopped."""
    out = []
    for t in treatments_on(programme, place):
        if should_stop():
            raise Stopped
        pixel_format = _pixel_format(programme)
        known = _kept(build, t, place, pixel_format)
        if known is None:
            known = _tried(build, t, place, pixel_format)
            if known.answered:
                _keep(build, t, pixel_format, known)
        out.append(known)
    return out


def _pixel_format(programme: Programme) -> str:
    return f"yuv{sampling(programme.pixel_format)}p{'10le' if is_deep(programme.pixel_format) else ''}"


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
    ours = run_trial(_command(build, t, place, pixel_format))
    if ours.code or not ours.out:
        if ours.code is None:
            return FormTrial(place, t.words, None, "it gave no answer in time", answered=False)
        return FormTrial(place, t.words, None, plain_reason(ours.log))
    plain = run_trial(_command(build, t, SOFTWARE, pixel_format))
    db = psnr(ours.out, plain.out, pixel_format)
    return FormTrial(
        place, t.words, db, "" if db is not None else "another number of frames, or another size"
    )


def _command(build: Build, t: Treatment, place: str, pixel_format: str) -> list[str]:
    c = Canvas(WIDTH, HEIGHT, Fraction(25), pixel_format)
    w = GraphBuilder(place)
    w.open(input_arguments(pixel_format))
    shown = w.through("0:V:0", *_untouched(t), node("format", pix_fmts=pixel_format))
    made = apply(w, shown, t, c)
    devices = device_arguments((place,), device_numbers(build))
    chosen = ["-filter_hw_device", place] if devices else []
    inputs = [a for given in w.inputs for a in given]
    return [
        build.path,
        "-nostdin",
        "-hide_banner",
        "-v",
        "verbose" if devices else "error",  # why a device can't be opened is said at length only
        *devices,
        *chosen,
        *inputs,
        "-filter_complex",
        w.text(),
        "-map",
        f"[{made}]",
        "-f",
        "rawvideo",
        "-pix_fmt",
        pixel_format,
        "pipe:1",
    ]


STEPS = (0, 8, 20, 40, 80)


def _untouched(t: Treatment) -> list[Node]:
    """What the known frames must hold for a treatment to have something to do: a key gets its colour, and colours
    ever further from it."""
    if t.kind != "key":
        return []
    rgb = [int(t["colour"][n : n + 2], 16) for n in (1, 3, 5)]
    out = []
    for n, step in enumerate(STEPS):
        shade = "0x" + "".join(f"{min(255, v + step) if v < 128 else max(0, v - step):02x}" for v in rgb)
        out.append(node("drawbox", x=10 + 48 * n, y=30, w=40, h=80, color=shade, t="fill"))
    return out
