"""Does an acceleration work here? Found out by trying, on known frames."""

from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from ovrik.errors import Ask
from ovrik.machine.builds.build import Build, locate
from ovrik.machine.devices import opening
from ovrik.machine.devices.known_picture import FRAMES, input_arguments, psnr, raw_file
from ovrik.machine.devices.opening import Opened, device_option, open_devices, run_trial
from ovrik.machine.devices.paths import (
    FELL_BACK,
    MORE_FORMATS,
    PATHS,
    PIXEL_FORMATS,
    DeviceFilter,
    DevicePath,
)
from ovrik.machine.devices.reasons import plain_reason
from ovrik.machine.devices.trial import FAILS, FALLS_BACK, NOT_KNOWN, UNTRIED, WORKS, WRONG, Trial
from ovrik.machine.processes.asking import Replied
from ovrik.study.encoder.pixel_formats import sampling_of
from ovrik.study.files.scratch import scratch_folder

ON_PROCESSOR = "this device is the processor itself, for which no encoder is tried"
RIGHT_TREATMENT_DB = 40.0
RIGHT_ENCODE_DB = 26.0
RIGHT_DECODE_DB = 60.0
"""A decoder must give the software decoder's samples; a treatment may round; an encoder loses."""


def try_build(
    build: Build,
    samples: dict[tuple[str, str], Path],
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
    known: Sequence[Trial] = (),
) -> list[Trial]:
    """Try every device path of a build. `samples` are clips by (codec, pixel format); of what is known already only
    what gave no answer is tried."""
    paths = [p for p in PATHS if not known or any(t.path == p.key and t.answer == NOT_KNOWN for t in known)]
    opened = {p.key: _opened(build, p) for p in paths}
    tries: list[Callable[[], Trial]] = []
    for path in paths:
        tries += _tries(build, path, opened[path.key][0], samples)
    keys = {p.key for p in paths}
    out = [t for t in known if t.path not in keys]
    out += [t for found in opened.values() for t in found if t.what]
    with ThreadPoolExecutor(2) as pool:
        for done, trial in enumerate(pool.map(lambda t: None if should_stop() else t(), tries), 1):
            if trial is not None:
                out.append(trial)
            on_share(done / len(tries))
    return out


def _opened(build: Build, path: DevicePath) -> list[Trial]:
    """Can its devices be opened at all? All else needs that, and uses the first."""
    blank = Trial(
        build=build.key, path=path.key, place="device", what=path.title, pixel_format="", answer=WORKS
    )
    if path.kind and path.kind not in build.devices:
        return [replace(blank, answer=FAILS, reason=f"this build was made without {path.title}")]
    if not path.opens:
        return [replace(blank, what="")]  # nothing to open: its encoders say for themselves
    return [_of_device(blank, made) for made in open_devices(build.path, path)]


def _of_device(blank: Trial, made: Opened) -> Trial:
    found = replace(
        blank,
        number=made.number,
        device=made.name,
        processor=made.processor,
        log=tuple(made.answer.log.splitlines()),
    )
    if made.answer.code is None:
        return replace(found, answer=NOT_KNOWN, reason=NO_ANSWER.format(opening.TIMEOUT_S))
    return found if made.works else replace(found, answer=FAILS, reason=plain_reason(made.answer.log))


def _tries(
    build: Build, path: DevicePath, opened: Trial, samples: dict[tuple[str, str], Path]
) -> list[Callable[[], Trial]]:
    out: list[Callable[[], Trial]] = []
    base = replace(opened, reason="", log=(), answer=WORKS)
    closed = None if opened.answer == WORKS else opened
    untried = NOT_KNOWN if opened.answer == NOT_KNOWN else UNTRIED

    def add(blank: Trial, run: Callable[[], Trial]) -> None:
        # Where no device can be opened nothing is tried, and its answer stands for all that would need it.
        out.append(
            run
            if closed is None
            else lambda: replace(blank, answer=untried, reason=closed.reason, log=closed.log)
        )

    for codec, encoder in path.encoders:
        for pixel_format in (*PIXEL_FORMATS, *MORE_FORMATS.get(encoder, ())):
            if encoder not in build.encoders:
                continue
            blank = replace(base, place="encode", what=encoder, pixel_format=pixel_format)
            if opened.processor:
                out.append(lambda b=blank: replace(b, answer=UNTRIED, reason=ON_PROCESSOR))  # type: ignore[misc]
                continue
            add(blank, lambda b=blank, c=codec: _encode(build, path, b, c))  # type: ignore[misc]
    for pixel_format in PIXEL_FORMATS:
        for codec in path.decodes:
            sample = samples.get((codec, pixel_format))
            if sample:
                blank = replace(base, place="decode", what=codec, pixel_format=pixel_format)
                add(blank, lambda b=blank, s=sample: _decode(build, path, b, s))  # type: ignore[misc]
        for treatment in path.treatments:
            if treatment.device in build.filters:
                blank = replace(base, place="treatment", what=treatment.name, pixel_format=pixel_format)
                add(blank, lambda b=blank, t=treatment: _treat(build, path, b, t))  # type: ignore[misc]
    return out


def _head(build: Build, level: str = "verbose") -> list[str]:
    return [build.path, "-nostdin", "-hide_banner", "-y", "-v", level]


def _raw(pixel_format: str) -> list[str]:
    return ["-pix_fmt", pixel_format, "-f", "rawvideo", "pipe:1"]


NO_ANSWER = "it gave no answer within {} s"


def _judged(blank: Trial, outcome: Replied, wanted: bytes, floor: float) -> Trial:
    log = tuple(outcome.log.splitlines())
    if outcome.code is None:
        return replace(blank, answer=NOT_KNOWN, reason=NO_ANSWER.format(opening.TIMEOUT_S), log=log)
    if outcome.code or not outcome.out:
        return replace(blank, answer=FAILS, reason=plain_reason(outcome.log), log=log)
    db = psnr(outcome.out, wanted, blank.pixel_format)
    if db is None:
        return replace(
            blank, answer=WRONG, reason="it gave another number of frames or another size", log=log
        )
    if db < floor:
        why = f"its picture is {db:.0f} dB from the software's; {floor:.0f} dB is wanted"
        return replace(blank, answer=WRONG, db=db, log=log, reason=why)
    return replace(blank, answer=WORKS, db=db, log=log)


def _treat(build: Build, path: DevicePath, blank: Trial, treatment: DeviceFilter) -> Trial:
    pixel_format = blank.pixel_format
    surface = dict(path.surfaces)[pixel_format]
    after = f",{treatment.after}" if treatment.after else ""
    chain = f"format={surface},hwupload,{treatment.on_device},hwdownload,format={surface}{after}"
    ours = run_trial(
        [
            *_head(build),
            "-init_hw_device",
            device_option(path, blank.number, "d"),
            "-filter_hw_device",
            "d",
            *input_arguments(pixel_format),
            "-vf",
            chain,
            *_raw(pixel_format),
        ]
    )
    plain = run_trial(
        [
            *_head(build, "error"),
            *input_arguments(pixel_format),
            "-vf",
            treatment.software + after,
            *_raw(pixel_format),
        ]
    )
    return _judged(blank, ours, plain.out, treatment.floor)


def _decode(build: Build, path: DevicePath, blank: Trial, sample: Path) -> Trial:
    pixel_format = blank.pixel_format
    if not path.hwaccel:
        return _decode_by_name(build, path, blank, sample)
    device = [
        "-init_hw_device",
        device_option(path, blank.number, "d"),
        "-hwaccel",
        path.hwaccel,
        "-hwaccel_device",
        "d",
    ]
    kept = run_trial(
        [
            *_head(build),
            *device,
            "-hwaccel_output_format",
            path.surface,
            "-i",
            str(sample),
            "-vf",
            f"hwdownload,format={dict(path.surfaces)[pixel_format]}",
            *_raw(pixel_format),
        ]
    )
    plain = run_trial([*_head(build, "error"), "-i", str(sample), *_raw(pixel_format)])
    if not plain.out:
        return replace(blank, answer=FAILS, reason="this build can't decode it in software either")
    if kept.code == 0 and not FELL_BACK.search(kept.log):
        return _judged(blank, kept, plain.out, RIGHT_DECODE_DB)
    eased = run_trial([*_head(build), *device, "-i", str(sample), *_raw(pixel_format)])
    if eased.code == 0 and eased.out:
        why = plain_reason(kept.log)
        return replace(
            blank,
            answer=FALLS_BACK,
            reason=f"asked for the device, done in software ({why})",
            db=psnr(eased.out, plain.out, pixel_format),
            log=tuple(kept.log.splitlines()),
        )
    return _judged(blank, kept, plain.out, RIGHT_DECODE_DB)


def _decode_by_name(build: Build, path: DevicePath, blank: Trial, sample: Path) -> Trial:
    """A device whose decoders go by names of their own."""
    ours = run_trial(
        [*_head(build), "-c:v", f"{blank.what}_{path.key}", "-i", str(sample), *_raw(blank.pixel_format)]
    )
    plain = run_trial([*_head(build, "error"), "-i", str(sample), *_raw(blank.pixel_format)])
    return _judged(blank, ours, plain.out, RIGHT_DECODE_DB)


def _encode(build: Build, path: DevicePath, blank: Trial, codec: str) -> Trial:
    pixel_format, encoder = blank.pixel_format, blank.what
    surface = dict(path.surfaces).get(pixel_format, pixel_format)
    if codec in ("ffv1", "prores"):
        surface = pixel_format if codec == "ffv1" or sampling_of(pixel_format) != "4:2:0" else "yuv422p10le"
    device = (
        ["-init_hw_device", device_option(path, blank.number, "d"), "-filter_hw_device", "d"]
        if path.opens
        else []
    )
    chain = f"format={surface}" + (",hwupload" if path.uploads else "")
    settings = ["-b:v", "4M"] if codec in CODED_TO_A_RATE else []
    if path.key == "standin":
        settings += ["-preset", "fast", "-pix_fmt", pixel_format]
    with scratch_folder("trial") as folder:
        coded = Path(folder) / "out.mkv"
        made = run_trial(
            [
                *_head(build),
                *device,
                *input_arguments(pixel_format),
                "-vf",
                chain,
                "-c:v",
                encoder,
                *settings,
                "-frames:v",
                str(FRAMES),
                str(coded),
            ]
        )
        if made.code != 0 or not coded.exists():
            return _judged(blank, replace(made, out=b""), b"", RIGHT_ENCODE_DB)
        reader = str(locate("bundled")) if path.key == "standin" else build.path
        back = run_trial([reader, "-nostdin", "-v", "error", "-i", str(coded), *_raw(pixel_format)])
    judged = replace(
        _judged(blank, back, raw_file(pixel_format).read_bytes(), RIGHT_ENCODE_DB),
        log=tuple(made.log.splitlines()),
    )
    if judged.answer == WORKS and FELL_BACK.search(made.log):
        return replace(judged, answer=FALLS_BACK, reason="asked for the device, done in software")
    return judged


CODED_TO_A_RATE = ("h264", "hevc", "av1")


def summary(trials: Iterable[Trial]) -> dict[str, int]:
    """How many of each answer."""
    counts = dict.fromkeys((WORKS, FAILS, FALLS_BACK, WRONG, UNTRIED, NOT_KNOWN), 0)
    for trial in trials:
        counts[trial.answer] += 1
    return counts
