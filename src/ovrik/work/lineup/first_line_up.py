"""A new study from four plain answers: which footage, what it is for, what may vary, what must hold."""

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.store.schema.file import outputs_folder
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.follow_source import all_following, allowed_formats
from ovrik.study.encoder.recipe import FOLLOWS, recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment_kinds import OPENCL
from ovrik.study.question.limits import READY_LIMITS

ENDING, MOST_NAME = ".ovrik", 60
USUAL = 1
"""The place of the preset that is taken where presets are not to vary."""


@dataclass(frozen=True)
class CodecToTry:
    """Fields: `title`; `encoder`; `presets`, a faster one, a usual one and a slower one; `quality`, None where the
    preset says it; `depths` that it can hold."""

    title: str
    encoder: str
    presets: tuple[str, ...]
    quality: float | None
    depths: tuple[int, ...] = (8, 10)


CODECS: dict[str, CodecToTry] = {
    "h264": CodecToTry("H.264", "libx264", ("veryfast", "medium", "slow"), 21.0),
    "hevc": CodecToTry("HEVC", "libx265", ("ultrafast", "fast", "medium"), 24.0),
    "av1": CodecToTry("AV1", "libsvtav1", ("10", "8", "6"), 30.0),
    "prores": CodecToTry("ProRes", "prores_ks", ("lt", "standard", "hq"), None, (10,)),
}
"""By key, what may be asked for; the first three in the first place."""
DEPTHS: dict[str, int] = {"as the footage": 0, "8 bit": 8, "10 bit": 10}
CONTAINERS_HELD: dict[str, str] = {
    "any": "",
    "MP4": "mp4",
    "QuickTime (.mov)": "mov",
    "Matroska (.mkv)": "mkv",
}


@dataclass(frozen=True)
class FourAnswers:
    """What was answered. Fields: `purpose`, a key of `READY_LIMITS`, "" for none; `codecs`, keys of `CODECS`;
    `presets`, whether a faster and a slower one are tried of each; `devices`, whether treatments are tried by OpenCL
    too; `depth`, bits that must hold, 0: as the footage; `container` that must hold, "" for any."""

    purpose: str = ""
    codecs: tuple[str, ...] = ("h264", "hevc", "av1")
    presets: bool = False
    devices: bool = False
    depth: int = 0
    container: str = ""


def first_line_up(asked: FourAnswers, programme: Programme) -> list[Contender]:
    """The contenders that the answers come to. Raises OvrikError where there is none."""
    made = [
        contender
        for key in asked.codecs
        for preset in (CODECS[key].presets if asked.presets else CODECS[key].presets[USUAL : USUAL + 1])
        if (contender := _contender(CODECS[key], preset, asked))
    ]
    if not made:
        raise OvrikError(
            "No codec that was chosen holds what must hold", "Choose another codec, bit depth or container"
        )
    if len(made) == 1:
        # One alone has nothing to be compared with: it is tried at a faster preset, too.
        faster = _contender(CODECS[asked.codecs[0]], CODECS[asked.codecs[0]].presets[0], asked)
        made += [faster] if faster else []
    if asked.devices and programme.every_treatment:
        made.append(replace(made[0], treat=OPENCL))
    return list(all_following(made, programme)) if asked.depth == 0 else list(labelled(made))


def _contender(codec: CodecToTry, preset: str, asked: FourAnswers) -> Contender | None:
    """One of them, None where it can't hold what must hold."""
    made = recipe(codec.encoder, preset, codec.quality, pixel_format=FOLLOWS)
    if asked.container:
        if asked.container not in made.facts.containers:
            return None
        made = recipe(codec.encoder, preset, codec.quality, pixel_format=FOLLOWS, container=asked.container)
    if asked.depth:
        formats = [f for f in allowed_formats(made) if ("10" in f) == (asked.depth == 10) and "12" not in f]
        if asked.depth not in codec.depths or not formats:
            return None
        made = replace(made, pixel_format=formats[0])
    return Contender("bundled", made)


def own_place(programme: Programme, name: str, folders: Sequence[Path] = ()) -> Path:
    """Where a new study of that name goes: beside the footage, or in the first of `folders` where nothing can be
    written there; under a name that no study has."""
    beside = Path(programme.clips[0].path).parent if programme.clips else Path.cwd()
    for folder in (beside, *folders, Path.home()):
        if folder.is_dir() and os.access(folder, os.W_OK):
            return _free(folder, name)
    raise OvrikError(
        "There is no folder for a new study", "Nothing can be written in your home folder: check it"
    )


def _free(folder: Path, name: str) -> Path:
    # A timeline may name its film in any way.
    plain = "".join(c if c.isprintable() and c != "/" else " " for c in name)[:MOST_NAME]
    stem = " ".join(plain.split()).strip(". -") or "study"
    for number in range(1, 10_000):
        place = folder / f"{stem}{f' {number}' if number > 1 else ''}{ENDING}"
        if not os.path.lexists(place) and not os.path.lexists(outputs_folder(place)):
            return place
    raise OvrikError(f"{folder} holds ten thousand studies of that name", "Choose another name")


def begin(programme: Programme, asked: FourAnswers, name: str, place: Path | None = None) -> Study:
    """A study of these answers under a name of its own beside the footage, or at a place. Raises OvrikError."""
    contenders = first_line_up(asked, programme)
    study = Study.create(place or own_place(programme, name), name, programme, whole(programme))
    study.set_conduct(replace(study.facts().conduct, until_decided=True))
    for contender in contenders:
        study.add_contender(contender)
    if asked.purpose:
        study.set_limits(READY_LIMITS[asked.purpose][1])
    return study


def purposes() -> Mapping[str, str]:
    """What a film may be for, and what that asks, in words."""
    return {name: about for name, (about, _limits) in READY_LIMITS.items()}
