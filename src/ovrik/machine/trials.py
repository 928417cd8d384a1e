"""Does an acceleration work here? Found out by trying, on known frames."""

import re
import subprocess
import tempfile
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.machine.builds import Build, locate
from ovrik.machine.devices import FELL_BACK, MORE_FORMATS, PATHS, PIXEL_FORMATS, DeviceFilter, DevicePath
from ovrik.machine.known_picture import FRAMES, input_arguments, psnr, raw_file
from ovrik.machine.trial import FAILS, FALLS_BACK, WORKS, WRONG, Trial
from ovrik.study.pixel_formats import sampling_of

TIMEOUT_S = 8
RIGHT_TREATMENT_DB = 40.0
RIGHT_ENCODE_DB = 26.0
RIGHT_DECODE_DB = 60.0
"""A decoder must give the software decoder's samples; a treatment may round; an encoder loses."""


REASONS: tuple[tuple[str, str], ...] = (
    (r"Cannot load (lib\S+)", "its driver library {0} is not installed"),
    (r"DLL (\S+) failed to open", "its driver library {0} is not installed"),
    (
        r"Cannot open DRM render node|No VA display found|Failed to initialise VAAPI|Cannot open a VA display",
        "there is no graphics device (no DRM render node)",
    ),
    (r"Error (?:creating|initializing) an? (?:internal )?MFX|MFX session", "no device here answers to QSV"),
    (r"Could not find a valid device", "the kernel offers no such encoding device"),
    (r"No (?:physical )?device(?:s)? (?:found|available)|device enumeration failed", "no device was found"),
    (r"Unable to (?:initialize|create) .*Vulkan|Vulkan.*not supported", "no Vulkan device can be opened"),
    (
        r"VK_KHR_video_encode\S* (?:extension )?(?:is )?not (?:supported|present)"
        r"|[Dd]evice does not support (?:encod|the VK_KHR_video_encode)",
        "this device can't encode",
    ),
    (r"[Dd]evice does not support (?:decod|the VK_KHR_video_decode)", "this device can't decode it"),
    (
        r"10.?bit.*not supported|No support for codec \S+ profile",
        "it does not take this bit depth or profile",
    ),
    (
        r"(?:pixel|input) format.*(?:not supported|is not supported|unsupported)|Unsupported format",
        "it does not take this pixel format",
    ),
    (r"Impossible to convert between the formats", "frames can't be handed to it in this format"),
    (r"Unknown (?:en|de)coder|(?:En|De)coder not found|No such filter", "this build does not have it"),
    (r"Not yet implemented", "the build does not do this on the device yet"),
)

AFTERMATH = (
    "conversion failed",
    "task finished",
    "terminating thread",
    "error opening output",
    "nothing was written",
    "error while filtering",
    "error reinitializing",
    "error sending frames",
    "could not open encoder before eof",
    "failed to inject frame",
    "not usable",
    "extension is required",
    "mapping function found",
    "not written into",
    "while opening encoder",
    "not found in",
    "statistics:",
    "decode errors",
    "exiting with",
    "failed to configure output pad",
    "could not write header",
)


def plain_reason(log: str) -> str:
    """A log in plain words; an unknown one gives its first informative line."""
    for pattern, words in REASONS:
        found = re.search(pattern, log)
        if found:
            return words.format(*found.groups())
    lines = [re.sub(r"^(?:\[[^]]*\] *)+", "", x).strip() for x in log.splitlines()]
    informative = [
        x
        for x in lines
        if re.search(r"error|fail|not |invalid|unable|cannot", x, re.IGNORECASE)
        and not any(a in x.lower() for a in AFTERMATH)
    ]
    return informative[0] if informative else (lines[-1] if lines else "it ended without a message")


NOISE = re.compile(r"Statistics:|packets|Input file|demuxed|VK_|extension|Supported layers|^\s*$")
LOG_LINES = 16


def _kept(log: str) -> tuple[str, ...]:
    """The lines of a log that may explain an answer."""
    return tuple([x.rstrip()[:300] for x in log.splitlines() if not NOISE.search(x)][-LOG_LINES:])


@dataclass(frozen=True)
class Outcome:
    """What a try gave. Fields: exit `code`, None when it took too long; `out`, standard output; `log`."""

    code: int | None
    out: bytes
    log: str


def run_trial(arguments: list[str]) -> Outcome:
    """Run a short try; one that takes too long has no exit code."""
    try:
        done = subprocess.run(
            arguments, capture_output=True, timeout=TIMEOUT_S, check=False, stdin=subprocess.DEVNULL
        )
    except subprocess.TimeoutExpired:
        return Outcome(None, b"", "")
    except OSError as exc:
        return Outcome(1, b"", str(exc))
    return Outcome(done.returncode, done.stdout, done.stderr.decode("utf-8", "replace"))


DEVICE_NAMES = (
    r"Device \d+ selected: (.+?) \((?:software|integrated|discrete|virtual)",
    r"\[OpenCL[^]]*\] \d+\.\d+: (.+)",
    r"\[AVHWDeviceContext[^]]*\] \d+\.\d+: (.+)",
    r"VAAPI driver: (.+?)\.?$",
    r"Driver: (.+)",
)
REALLY_PROCESSOR = re.compile(
    r"llvmpipe|lavapipe|softpipe|portable computing language|pocl|swiftshader", re.I
)


def try_build(
    build: Build,
    samples: dict[tuple[str, str], Path],
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> list[Trial]:
    """Try every device path of a build. `samples` are clips by (codec, pixel format)."""
    opened = {p.key: _open(build, p) for p in PATHS}
    tries: list[Callable[[], Trial]] = []
    for path in PATHS:
        tries += _tries(build, path, opened[path.key], samples)
    out = [t for t in opened.values() if t.what]
    with ThreadPoolExecutor(2) as pool:
        for done, trial in enumerate(pool.map(lambda t: None if should_stop() else t(), tries), 1):
            if trial is not None:
                out.append(trial)
            on_share(done / len(tries))
    return out


def _open(build: Build, path: DevicePath) -> Trial:
    """Can the device be opened at all? All else needs that."""
    blank = Trial(build.key, path.key, "device", path.title, "", WORKS)
    if path.kind and path.kind not in build.devices:
        return replace(blank, answer=FAILS, reason=f"this build was made without {path.title}")
    if not path.opens:
        return replace(blank, what="")  # nothing to open: its encoders say for themselves
    outcome = run_trial(
        [
            build.path,
            "-nostdin",
            "-hide_banner",
            "-v",
            "verbose",
            "-init_hw_device",
            f"{path.opens}=d",
            "-f",
            "lavfi",
            "-i",
            "nullsrc=s=64x64",
            "-frames:v",
            "1",
            "-f",
            "null",
            "-",
        ]
    )
    log = _kept(outcome.log)
    if outcome.code is None:
        return replace(blank, answer=FAILS, reason=f"it gave no answer within {TIMEOUT_S} s", log=log)
    if outcome.code:
        return replace(blank, answer=FAILS, reason=plain_reason(outcome.log), log=log)
    name = next((m[1].strip() for p in DEVICE_NAMES if (m := re.search(p, outcome.log, re.M))), "")
    return replace(blank, device=name, processor=bool(REALLY_PROCESSOR.search(name)), log=log)


def _tries(
    build: Build, path: DevicePath, opened: Trial, samples: dict[tuple[str, str], Path]
) -> list[Callable[[], Trial]]:
    out: list[Callable[[], Trial]] = []
    base = replace(opened, reason="", log=())
    closed = None if opened.answer == WORKS else opened

    def add(blank: Trial, run: Callable[[], Trial]) -> None:
        # A device that can't be opened answers for all that would need it.
        out.append(
            run
            if closed is None
            else lambda: replace(blank, answer=FAILS, reason=closed.reason, log=closed.log)
        )

    for codec, encoder in path.encoders:
        for pixel_format in (*PIXEL_FORMATS, *MORE_FORMATS.get(encoder, ())):
            if encoder in build.encoders:
                blank = replace(base, place="encode", what=encoder, pixel_format=pixel_format)
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


def _judged(blank: Trial, outcome: Outcome, wanted: bytes, floor: float) -> Trial:
    log = _kept(outcome.log)
    if outcome.code is None:
        return replace(blank, answer=FAILS, reason=f"it gave no answer within {TIMEOUT_S} s", log=log)
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
    chain = f"format={surface},hwupload,{treatment.on_device},hwdownload,format={surface}"
    ours = run_trial(
        [
            *_head(build),
            "-init_hw_device",
            f"{path.opens}=d",
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
            treatment.software,
            *_raw(pixel_format),
        ]
    )
    return _judged(blank, ours, plain.out, RIGHT_TREATMENT_DB)


def _decode(build: Build, path: DevicePath, blank: Trial, sample: Path) -> Trial:
    pixel_format = blank.pixel_format
    if not path.hwaccel:
        return _decode_by_name(build, path, blank, sample)
    device = ["-init_hw_device", f"{path.opens}=d", "-hwaccel", path.hwaccel, "-hwaccel_device", "d"]
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
            log=_kept(kept.log),
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
    device = ["-init_hw_device", f"{path.opens}=d", "-filter_hw_device", "d"] if path.opens else []
    chain = f"format={surface}" + (",hwupload" if path.uploads else "")
    settings = ["-b:v", "4M"] if codec in CODED_TO_A_RATE else []
    if path.key == "standin":
        settings += ["-preset", "fast", "-pix_fmt", pixel_format]
    with tempfile.TemporaryDirectory(prefix="ovrik-trial-") as folder:
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
        _judged(blank, back, raw_file(pixel_format).read_bytes(), RIGHT_ENCODE_DB), log=_kept(made.log)
    )
    if judged.answer == WORKS and FELL_BACK.search(made.log):
        return replace(judged, answer=FALLS_BACK, reason="asked for the device, done in software")
    return judged


CODED_TO_A_RATE = ("h264", "hevc", "av1")


def summary(trials: Iterable[Trial]) -> dict[str, int]:
    """How many of each answer."""
    counts = dict.fromkeys((WORKS, FAILS, FALLS_BACK, WRONG), 0)
    for trial in trials:
        counts[trial.answer] += 1
    return counts
