"""How long a whole film takes, forecast from segments of it, against exporting it: films of 1 to 10 minutes made of
shots of the day, each of another kind and length."""

import subprocess
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.seed import drawn
from bench.subject import work_folder
from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.work.apart.parts import Bench
from ovrik.work.apart.whole_programme import time_segments, time_whole

FILMS, RATE, SIZE = 10, 25, "320x180"
EXCERPT_S = 5
ENCODERS = (
    ("libx264", "veryfast", 23),
    ("libx264", "medium", 23),
    ("libx265", "ultrafast", 26),
    ("libsvtav1", "10", 35),
)
SHOTS = (
    "testsrc2=s={size}:r={rate}",
    "testsrc2=s={size}:r={rate},select=lt(n\\,1),loop=-1:1:0,setpts=N/{rate}/TB",
    "color=gray:s={size}:r={rate}",
    "color=0x101010:s={size}:r={rate}",
    "mandelbrot=s={size}:r={rate}:end_scale={small}",
    "cellauto=s={size}:r={rate}:seed={seed}",
    "gradients=s={size}:r={rate}:seed={seed}",
    "sierpinski=s={size}:r={rate}:seed={seed}",
    "testsrc2=s=640x360:r={rate},zoompan=z=1+0.002*on:d=1:s={size}:fps={rate}",
)


@dataclass(frozen=True)
class Forecast:
    """Fields: `encoder`; `minutes` of the film; `off`, the forecast over what it took, minus one; `within`, whether
    that lay in the interval; `close`, whether the interval said how long it takes."""

    encoder: str
    minutes: float
    off: float
    within: bool
    close: bool


def film(folder: Path, draw: np.random.Generator) -> Path:
    """A film of 1 to 10 minutes."""
    folder.mkdir(parents=True)
    left, shots = round(60 * 10 ** draw.uniform(0, 1) * RATE), list[Path]()
    while left > 0:
        frames = min(left, round(RATE * min(40.0, max(1.2, draw.lognormal(1.6, 0.8)))))
        shots.append(folder / f"{len(shots)}.mkv")
        _shot(shots[-1], frames, draw)
        left -= frames
    (folder / "shots.txt").write_text("".join(f"file '{shot}'\n" for shot in shots))
    whole = folder / "film.mkv"
    _run("-f", "concat", "-safe", "0", "-i", str(folder / "shots.txt"), "-c", "copy", str(whole))
    for shot in shots:
        shot.unlink()
    return whole


def _shot(path: Path, frames: int, draw: np.random.Generator) -> None:
    kind = SHOTS[int(draw.integers(len(SHOTS)))]
    small, seed = draw.choice(["0.3", "0.01", "0.0001"]), int(draw.integers(1, 10**6))
    chain = [kind.format(size=SIZE, rate=RATE, small=small, seed=seed), "format=yuv420p"]
    if (grain := int(draw.integers(19))) > 4:
        chain.append(f"noise=alls={grain}:allf=t")
    if draw.random() < 0.3:
        chain.append(f"gblur=sigma={draw.uniform(0.5, 3):.1f}")
    coded = ("-c:v", "libx264", "-preset", "ultrafast", "-crf", "6", "-g", "25", str(path))
    _run("-f", "lavfi", "-i", ",".join(chain), "-frames:v", str(frames), *coded)


def _run(*arguments: str) -> None:
    subprocess.run([find_build("bundled").path, "-v", "error", "-y", *arguments], check=True)


def forecast() -> list[Forecast]:
    """Each by an encoder of the day, from an excerpt of the day."""
    out, draw = [], drawn("films")
    for number in range(FILMS):
        clip = probe(film(work_folder() / f"film {number}", draw))
        encoder, preset, quality = ENCODERS[int(draw.integers(len(ENCODERS)))]
        frames = EXCERPT_S * RATE
        excerpt = Excerpt(int(draw.integers(clip.frames - frames)), frames)
        path = work_folder() / f"film {number}.ovrik"
        with closing(Study.create(path, "film", of_clip(clip), excerpt, rounds=1, warmup=0)) as study:
            made = study.add_contender(Contender("bundled", recipe(encoder, preset, quality)))
            said = time_segments(Bench(study), made).forecast
            found = time_whole(Bench(study), made).check
        assert said is not None
        assert found is not None
        minutes = clip.frames / RATE / 60
        out.append(Forecast(encoder, minutes, found.off, found.within, said.close))
        print(f"{encoder}, {minutes:.1f} min: {100 * found.off:+.1f} %, {said.segments} segments", flush=True)
    return out
