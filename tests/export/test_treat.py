"""Treatments, rendered by a real build, against the same thing worked out in NumPy."""

import re
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from numbered import write_numbered
from ovrik.errors import OvrikError
from ovrik.export.graph.assembly import assemble
from ovrik.export.graph.grade import daylight_rgb, gains, saturation_matrix
from ovrik.machine.builds.build import find_build
from ovrik.machine.devices.probing import probe_builds
from ovrik.quality.decode.probe import probe
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, Shot, of_clip
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.programme.treatment_kinds import KINDS, SOFTWARE
from rendered import assembled, pictures
from tiny_clip import FRAMES


def treated(footage: Footage, *made: Treatment, frames: int = 6) -> Programme:
    """The first frames of a clip, treated as one shot."""
    return replace(of_clip(footage), shots=(Shot(0, 0, frames, treatments=made),), sound=())


def rgb(footage: Footage, *made: Treatment, build: str = "bundled") -> np.ndarray:
    """Colour frames, 0 to 1, of shape (n, h, w, 3)."""
    return pictures(treated(footage, *made), build=build, pixel_format="rgb24").astype(float) / 255


@pytest.fixture(scope="module")
def colours(tmp_path_factory: pytest.TempPathFactory) -> Footage:
    """A 4:4:4 10-bit clip of flat colours that survive the way through Y'CbCr."""
    import subprocess

    from ovrik.machine.builds.build import locate

    path = tmp_path_factory.mktemp("colours") / "colours.mkv"
    source = (
        "color=c=0x405060:s=64x64:r=25:d=0.4[a];color=c=0xa07050:s=64x64:r=25:d=0.4[b];"
        "color=c=0x808080:s=64x64:r=25:d=0.4[c];[a][b][c]hstack=3,"
        "scale=out_color_matrix=bt709:out_range=tv,format=yuv444p10le"
    )
    subprocess.run(
        [
            str(locate("bundled")),
            "-v",
            "error",
            "-filter_complex",
            source,
            "-c:v",
            "ffv1",
            "-colorspace",
            "bt709",
            str(path),
        ],
        check=True,
    )
    return probe(path)


def patches(found: np.ndarray) -> np.ndarray:
    """The three flat colours, shape (3, 3)."""
    return found[0, 32, 32::64][:3]


def test_a_grade_does_what_its_formulas_say(colours: Footage) -> None:
    plain = patches(rgb(colours))
    shown = patches(
        rgb(
            colours,
            treatment("grade", {"exposure": 0.5, "contrast": 1.2, "saturation": 0.7, "white_balance": 5000}),
        )
    )
    wanted = np.clip(0.435 * (plain * gains(0.5, 5000) / 0.435) ** 1.2, 0, 1) @ saturation_matrix(0.7).T
    np.testing.assert_allclose(shown, wanted, atol=0.012)


def test_white_balance_follows_the_daylight_locus() -> None:
    """CIE 015 gives D65 at 6504 K as x, y = 0.3127, 0.3290: neutral in BT.709."""
    np.testing.assert_allclose(daylight_rgb(6504), 1, atol=0.006)
    assert gains(0, 4500)[2] > gains(0, 4500)[1] > gains(0, 4500)[0]
    np.testing.assert_allclose(gains(1, 6504), 2 ** (1 / 2.4), rtol=1e-6)


def write_cube(path: Path, size: int = 17) -> Path:
    """A look-up table that swaps red and blue and squares green."""
    steps = np.linspace(0, 1, size)
    rows = [f"{b:.6f} {g * g:.6f} {r:.6f}" for b in steps for g in steps for r in steps]
    path.write_text(f'TITLE "swap"\nLUT_3D_SIZE {size}\n' + "\n".join(rows) + "\n")
    return path


@pytest.mark.parametrize("name", ["swap.cube", "it's 5%, a [b]; c.cube"])
def test_a_lut_is_applied_as_it_is_written(colours: Footage, tmp_path: Path, name: str) -> None:
    plain = patches(rgb(colours))
    shown = patches(rgb(colours, treatment("grade", {"lut": str(write_cube(tmp_path / name))})))
    wanted = np.stack([plain[:, 2], plain[:, 1] ** 2, plain[:, 0]], axis=1)
    np.testing.assert_allclose(shown, wanted, atol=0.012)


@pytest.mark.parametrize("build", ["bundled", "system"])
@pytest.mark.parametrize(
    ("ahead", "low", "high"),
    [
        ("", 0.0, 1.0),
        ("LUT_1D_INPUT_RANGE 0.0 1.0", 0.0, 1.0),
        ("LUT_1D_INPUT_RANGE -0.25 1.5", -0.25, 1.5),
        ("DOMAIN_MIN 0.2 0.2 0.2\nDOMAIN_MAX 0.9 0.9 0.9", 0.2, 0.9),
    ],
)
def test_a_curve_of_each_channel_over_its_range_of_inputs(
    colours: Footage, tmp_path: Path, ahead: str, low: float, high: float, build: str
) -> None:
    """By each channel's own interpolation between the points of the curve."""
    inputs = np.linspace(low, high, 33)
    curves = [np.clip(f(inputs), 0, 1) for f in (lambda v: v**2 * np.sign(v), lambda v: 1 - v, np.sin)]
    rows = "\n".join(" ".join(f"{c[n]:.6f}" for c in curves) for n in range(33))
    path = tmp_path / "curve.cube"
    path.write_text(f'TITLE "a # in it"\nLUT_1D_SIZE 33\n{ahead}\n{rows}\n')
    plain = patches(rgb(colours))
    shown = patches(rgb(colours, treatment("grade", {"lut": str(path)}), build=build))
    wanted = np.stack([np.interp(plain[:, n], inputs, curves[n]) for n in range(3)], axis=1)
    np.testing.assert_allclose(shown, wanted, atol=0.015)


def test_a_table_over_all_colours_has_a_range_of_inputs_too(colours: Footage, tmp_path: Path) -> None:
    steps = np.linspace(0, 1, 17)
    rows = "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for b in steps for g in steps for r in steps)
    for ahead in ("LUT_3D_INPUT_RANGE 0.1 0.8", "DOMAIN_MIN 0.1 0.1 0.1\nDOMAIN_MAX 0.8 0.8 0.8"):
        path = tmp_path / "range.cube"
        path.write_text(f"LUT_3D_SIZE 17\n{ahead}\n{rows}\n")
        plain = patches(rgb(colours))
        shown = patches(rgb(colours, treatment("grade", {"lut": str(path)})))
        np.testing.assert_allclose(shown, np.clip((plain - 0.1) / 0.7, 0, 1), atol=0.015)


def test_a_picture_in_a_picture_lies_where_it_should(footage: Footage, tmp_path: Path) -> None:
    small = probe(write_numbered(tmp_path / "small: 1.mkv", 10, first=5))
    plain = pictures(treated(footage))
    shown = pictures(
        treated(footage, treatment("picture", {"file": small.path, "size": 50, "x": 0, "y": 100}))
    )
    assert shown.shape == plain.shape
    np.testing.assert_array_equal(shown[:, :90], plain[:, :90])
    np.testing.assert_array_equal(shown[:, :, 160:], plain[:, :, 160:])
    assert np.abs(shown[0, 95:130, 2:14].astype(float) - 4 * 50).max() < 12, "the first bar of picture 5"


def test_layers_are_mixed_by_their_opacity(footage: Footage) -> None:
    flat = treated(footage, treatment("layers", {"count": 2, "opacity": 100}))
    base, top = pictures(treated(footage)).astype(float), pictures(flat).astype(float)
    shown = pictures(treated(footage, treatment("layers", {"count": 2, "opacity": 40}))).astype(float)
    assert np.abs(shown - (0.4 * top + 0.6 * base)).max() <= 1.01


def test_a_box_blur_is_a_mean(footage: Footage) -> None:
    from scipy.ndimage import uniform_filter

    plain = pictures(treated(footage))[0].astype(float)
    shown = pictures(treated(footage, treatment("blur", {"method": "box", "radius": 3})))[0].astype(float)
    inside = np.s_[10:-10, 10:-10]
    assert np.abs(shown[inside] - uniform_filter(plain, 7)[inside]).max() <= 2


def test_grain_is_new_in_every_frame_and_as_strong_as_asked(colours: Footage) -> None:
    plain = pictures(treated(colours)).astype(float)
    added = pictures(treated(colours, treatment("grain", {"strength": 12}))).astype(float) - plain
    assert abs(added.mean()) < 3
    assert 8 < added.std() < 4 * 12
    assert abs(np.corrcoef(added[0].ravel(), added[1].ravel())[0, 1]) < 0.1


def test_a_key_shows_the_background_where_its_colour_was(colours: Footage) -> None:
    shown = rgb(
        colours, treatment("key", {"colour": "#405060", "background": "#e0e0e0", "similarity": 8, "blend": 0})
    )
    np.testing.assert_allclose(patches(shown)[0], 224 / 255, atol=0.03)
    np.testing.assert_allclose(patches(shown)[1], patches(rgb(colours))[1], atol=0.03)


def test_a_title_takes_any_text(footage: Footage) -> None:
    plain = pictures(treated(footage))
    shown = pictures(treated(footage, treatment("title", {"text": "50%: it's a [bell], \\ {x} ; 'q'"})))
    changed = np.flatnonzero((shown != plain).any(axis=(0, 2)))
    assert 110 < changed.min() < changed.max() < 175


def test_another_rate_and_back_repeats_frames(footage: Footage) -> None:
    shown = pictures(treated(footage, treatment("rate", {"rate": 12.5})))
    assert len(shown) == 6
    np.testing.assert_array_equal(shown[0], shown[1])
    np.testing.assert_array_equal(shown[2], shown[3])
    assert (shown[1] != shown[2]).any()


def test_stabilising_makes_its_analysis_first(footage: Footage) -> None:
    shaky = treated(footage, treatment("stabilise"), frames=12)
    made = assembled(shaky)
    assert [a.result.suffix for a in made.analyses] == [".trf"]
    assert made.analyses[0].result.stat().st_size > 0
    assert len(pictures(shaky)) == 12


@pytest.mark.parametrize("kind", [k for k in KINDS if k not in ("retime", "stabilise")])
def test_every_kind_keeps_size_and_length_over_the_whole(footage: Footage, kind: str) -> None:
    given = {"text": "x"} if kind == "title" else {}
    made = replace(of_clip(footage), treatments=(treatment(kind, given),), sound=())
    shown = pictures(made)
    assert shown.shape == (FRAMES, 180, 320)
    if kind not in ("grade", "depth", "key", "rate"):
        assert (shown != pictures(treated(footage, frames=FRAMES))).any()


def every_method() -> list[Treatment]:
    """One treatment for every form that is not software."""
    out = []
    for kind in KINDS.values():
        for form in kind.forms:
            if form.place != SOFTWARE:
                out.append(treatment(kind.key, {"method": form.method} if form.method else {}))
    return list(dict.fromkeys(out))


FORMS = [(made, form.place) for made in every_method() for form in made.forms if form.place != SOFTWARE]
NO_DEVICE = "no such device here, or one that gives wrong pictures when it is tried"
DEVICE_FILTERS = {
    ("denoise", "heavy spatial", "opencl"): ["nlmeans_opencl=s=3:p=5:r=9"],
    ("denoise", "heavy spatial", "vulkan"): ["nlmeans_vulkan=s=3:p=5:r=9"],
    ("sharpen", "", "opencl"): ["unsharp_opencl=lx=5:ly=5:la=0.8:cx=5:cy=5:ca=0"],
    # A kernel of 6 sigma + 1 holds all of a Gaussian but 0.3 %.
    ("blur", "gaussian", "vulkan"): ["gblur_vulkan=sigma=3:size=19"],
    ("blur", "box", "opencl"): ["avgblur_opencl=sizeX=3:sizeY=3"],
    ("blur", "box", "vulkan"): ["avgblur_vulkan=sizeX=3:sizeY=3"],
    ("upscale", "bilinear", "vulkan"): ["scale_vulkan=w=320:h=180:scaler=bilinear"],
    ("upscale", "lanczos", "vulkan"): ["libplacebo=w=320:h=180:upscaler=lanczos"],
    ("key", "", "opencl"): ["colorkey_opencl=color=0x2f8f5b:similarity=0.2:blend=0.05"],
    ("picture", "", "opencl"): ["overlay_opencl=x=216:y=8"],
    ("picture", "", "vulkan"): ["overlay_vulkan=x=216:y=8"],
    ("denoise", "light spatial", "vaapi"): ["denoise_vaapi=denoise=10"],
    ("denoise", "light spatial", "qsv"): ["vpp_qsv=denoise=15"],
    ("deinterlace", "bwdif", "vulkan"): ["bwdif_vulkan=mode=send_frame:deint=all"],
    ("deinterlace", "bwdif", "vaapi"): ["deinterlace_vaapi=mode=motion_adaptive:rate=frame"],
    ("deinterlace", "bwdif", "qsv"): ["vpp_qsv=deinterlace=advanced:rate=frame"],
    ("deinterlace", "bwdif", "nvenc"): ["bwdif_cuda=mode=send_frame:deint=all"],
    ("deinterlace", "yadif", "nvenc"): ["yadif_cuda=mode=send_frame:deint=all"],
    ("upscale", "bicubic", "vaapi"): ["scale_vaapi=w=320:h=180:mode=hq"],
    ("upscale", "bicubic", "qsv"): ["scale_qsv=w=320:h=180:mode=hq"],
    ("upscale", "bicubic", "nvenc"): ["scale_cuda=w=320:h=180:interp_algo=bicubic"],
    ("upscale", "lanczos", "nvenc"): ["scale_cuda=w=320:h=180:interp_algo=lanczos"],
    ("upscale", "bilinear", "nvenc"): ["scale_cuda=w=320:h=180:interp_algo=bilinear"],
    ("layers", "", "vulkan"): 2 * ["blend_vulkan=all_mode=normal:all_opacity=0.3"],
}
OWN_WAYS = ("vaapi", "qsv")
TRIED_AS = {"blur": "blur", "denoise": "denoise", "upscale": "scale", "deinterlace": "deinterlace"}
"""Which trial says that a treatment can be done on the device; of the others whether it gives frames back at all."""


@pytest.mark.parametrize("place", sorted({place for _made, place in FORMS}))
def test_a_device_gives_the_picture_that_software_gives(footage: Footage, place: str) -> None:
    trials = [t for t in probe_builds([find_build("bundled")]) if t.path == place]
    works = {t.what for t in trials if t.place == "treatment" and t.answer == "works"}
    forms = [made for made, at in FORMS if at == place and TRIED_AS.get(made.kind, "mirror") in works]
    if not forms:
        said = next(t.reason for t in trials if t.place == "treatment" and t.answer != "works")
        pytest.skip(f"{NO_DEVICE}: {place}, {said}")
    off = {}
    for made in forms:
        # Heavy spatial noise reduction takes seconds a frame.
        few = Excerpt(4, 1 if dict(made.values).get("method") == "heavy spatial" else 5)
        plain, shown = pictures(treated(footage, made), few), pictures(treated(footage, made), few, place)
        error = np.mean((plain.astype(float) - shown.astype(float)) ** 2)
        off[made.words] = 10 * np.log10(1023**2 / max(error, 1e-9))
    assert {words: db for words, db in off.items() if db <= 30} == {}


def test_two_fields_of_different_moments_become_one_frame(tmp_path: Path) -> None:
    combed = tmp_path / "combed.mkv"
    program = find_build("bundled").path
    made = "testsrc2=s=320x180:r=50,scroll=h=0.02,tinterlace=mode=interleave_top"
    subprocess.run(
        [program, "-v", "error", "-f", "lavfi", "-i", made, "-t", "1", "-c:v", "ffv1", str(combed)],
        check=True,
    )
    clip = probe(combed)

    def combs(*treatments: Treatment) -> float:
        """How much a line differs from the next one, against the one after that: above 1 where two moments mix."""
        lines = pictures(treated(clip, *treatments)).astype(float)
        return float(np.mean(np.abs(np.diff(lines, axis=1))) / np.mean(np.abs(lines[:, 2:] - lines[:, :-2])))

    assert combs() > 1.3
    for method in ("bwdif", "yadif"):
        assert combs(treatment("deinterlace", {"method": method})) < 0.9


def test_every_device_form_has_its_known_filters() -> None:
    assert {(m.kind, dict(m.values).get("method", ""), place) for m, place in FORMS} == set(DEVICE_FILTERS)


@pytest.mark.parametrize(("made", "place"), FORMS, ids=lambda v: v.words if isinstance(v, Treatment) else v)
def test_the_graph_of_a_device_form_needs_no_device(footage: Footage, made: Treatment, place: str) -> None:
    """What it asks of the device, in which format it goes there and comes back, and that nothing else is asked."""
    programme = treated(footage, made)
    graphs = [
        assemble(programme, Excerpt(0, programme.frames), where, with_sound=False).graph
        for where in (SOFTWARE, place)
    ]
    key = (made.kind, str(dict(made.values).get("method", "")), place)
    filters = [re.sub(r"\[[\w:]+\]", "", part) for part in re.split(r"[,;]", graphs[1])]
    on_device = [
        f for f in filters if f.split("=")[0] in made.form(place).filters and f in DEVICE_FILTERS[key]
    ]
    assert on_device == DEVICE_FILTERS[key]
    assert "hwupload" not in graphs[0]
    there, back = (len(re.findall(word, graphs[1])) for word in ("hwupload", "hwdownload"))
    inputs = 2 if made.kind in ("picture", "layers") else 1
    assert (there, back) == (inputs * len(on_device), len(on_device))
    formats = re.findall(r"format=pix_fmts=(\w+),hwupload", graphs[1])
    assert formats
    assert set(formats) == set(re.findall(r"hwdownload,format=pix_fmts=(\w+)", graphs[1]))
    if place == "vulkan":
        assert set(formats) == {programme.pixel_format}, "nothing is lost on the way"
    # What both forms call by the same name has the same value.
    plain, asked = (
        dict(re.findall(r"[=:](\w+)=([\w.]+)", text)) for text in (graphs[0], ";".join(on_device))
    )
    if place in OWN_WAYS:
        return  # its makers' filters have values of their own
    assert {n: plain[n] for n in asked.keys() & plain.keys() - {"w", "h", "r"}}.items() <= asked.items()


@pytest.mark.parametrize(
    ("kind", "given", "said"),
    [
        ("grde", {}, "no treatment"),
        ("blur", {"sigma": 2}, 'no "sigma"'),
        ("blur", {"radius": 400}, "range"),
        ("blur", {"method": "round"}, "can't be"),
        ("title", {"text": ""}, "needs"),
        ("grade", {"lut": "/nowhere.cube"}, "not there"),
        ("grain", {"strength": "much"}, "number"),
    ],
)
def test_wrong_treatments_are_reported_apart(kind: str, given: dict[str, object], said: str) -> None:
    with pytest.raises(OvrikError, match=said):
        treatment(kind, given)
