"""Three outputs scored in one pass, against three commands of the build's own filters."""

import json
import subprocess
import time
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.subject import work_folder
from ovrik.machine.builds.build import find_build
from ovrik.quality.scores.metric_table import MODEL
from ovrik.quality.scores.metrics import ToScore, scores_of
from ovrik.study.clip.footage import ColourTags
from ovrik.study.contender.delivery import Delivery

QUALITIES = (20, 28, 36)
FRAMES = 150
SOURCE = f"mandelbrot=s=1280x720:r=25,noise=alls=6:allf=t,trim=end_frame={FRAMES}"


def ratio(times: int = 3) -> tuple[float, float]:
    """Median of the ratios of one pass to three commands, in turn; and the largest gap between their VMAF scores."""
    folder = work_folder() / "scoring"
    folder.mkdir(parents=True, exist_ok=True)
    program = find_build("bundled").path
    quiet = [program, "-v", "error", "-y"]
    reference = folder / "reference.mkv"
    coded = ["-c:v", "ffv1", "-pix_fmt", "yuv420p", str(reference)]
    subprocess.run([*quiet, "-f", "lavfi", "-i", SOURCE, *coded], check=True)
    outputs = [folder / f"{q}.mp4" for q in QUALITIES]
    for quality, path in zip(QUALITIES, outputs, strict=True):
        coded = ["-c:v", "libx264", "-preset", "veryfast", "-crf", str(quality), str(path)]
        subprocess.run([*quiet, "-i", str(reference), *coded], check=True)
    wanted = Delivery(1280, 720, Fraction(25), FRAMES, ColourTags(), False, "yuv420p")
    ratios, gaps = [], []
    for _ in range(times):
        began = time.monotonic()
        together = scores_of([ToScore(p, wanted) for p in outputs], reference)
        one_pass = time.monotonic() - began
        began = time.monotonic()
        apart = [_command(program, p, reference, folder) for p in outputs]
        ratios.append(one_pass / (time.monotonic() - began))
        gaps += [float(np.abs(t["vmaf"].values - a).max()) for t, a in zip(together, apart, strict=True)]
    return float(np.median(ratios)), max(gaps)


def _command(program: str, output: Path, reference: Path, folder: Path) -> np.ndarray:
    """VMAF with PSNR, SSIM and XPSNR by one command, as it would be typed."""
    log = folder / "vmaf.json"
    vmaf = f"libvmaf=log_path={log}:log_fmt=json:n_threads=2:model=version={MODEL}:feature=name=psnr"
    graph = f"[0:v]split=3[a][b][c];[1:v]split=3[d][e][f];[a][d]{vmaf}[x];[b][e]ssim[y];[c][f]xpsnr[z]"
    ends = [word for end in "xyz" for word in ("-map", f"[{end}]", "-f", "null", "-")]
    inputs = ["-i", str(output), "-i", str(reference)]
    subprocess.run([program, "-v", "error", *inputs, "-filter_complex", graph, *ends], check=True)
    return np.array([f["metrics"]["vmaf"] for f in json.loads(log.read_text())["frames"]])


if __name__ == "__main__":
    print(ratio())
