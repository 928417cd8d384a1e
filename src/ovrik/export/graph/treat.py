"""Treatments as filters: one function for each kind, and forms for the devices."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import ovrik
from ovrik.export.graph.builder import Canvas, GraphBuilder, on_device, shallow, surface
from ovrik.export.graph.grade import gains, saturation_matrix
from ovrik.export.graph.lut_nodes import lut_nodes
from ovrik.export.graph.nodes import Node, node
from ovrik.study.clip.address import CONTAINERS, PROTOCOLS, address
from ovrik.study.programme.treatment import Treatment
from ovrik.study.programme.treatment_kinds import NVENC, OPENCL, QSV, SOFTWARE, VAAPI, VULKAN

FONT = Path(ovrik.__file__).parent / "fonts" / "HankenGrotesk-Medium.ttf"
WITH_ALPHA = ("yuv420p", "yuv420p10le", "yuv422p", "yuv422p10le", "yuv444p", "yuv444p10le")
"""Formats that have a twin with transparency."""

Draw = Callable[[GraphBuilder, str, Treatment, Canvas], str]


def apply(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    """The stream after a treatment, in the canvas's own pixel format again."""
    made = DRAWN[t.kind](w, source, t, c)
    return w.through(made, node("format", pix_fmts=c.pixel_format))


def _place(w: GraphBuilder, t: Treatment) -> str:
    return t.form(w.place).place


def _one(w: GraphBuilder, source: str, t: Treatment, c: Canvas, by_place: dict[str, Node]) -> str:
    """A treatment that is one filter, wherever it is done."""
    form = t.form(w.place)
    if form.place == SOFTWARE:
        depth = [] if form.deep else [node("format", pix_fmts=shallow(c.pixel_format))]
        return w.through(source, *depth, by_place[SOFTWARE])
    return w.through(source, *on_device(surface(form.place, c.pixel_format, form.deep), by_place[form.place]))


def _grade(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    by_channel = gains(t["exposure"], t["white_balance"])
    curve = {
        name: f"maxval*clip(0.435*pow(val/maxval*{gain:.6f}/0.435,{t['contrast']:.6f}),0,1)"
        for name, gain in zip("rgb", by_channel, strict=True)
    }
    rows = saturation_matrix(t["saturation"])
    mixed = {f"{out}{into}": float(rows[i][j]) for i, out in enumerate("rgb") for j, into in enumerate("rgb")}
    nodes = [
        node("scale", in_color_matrix=c.matrix, flags="accurate_rnd+full_chroma_int+full_chroma_inp"),
        node("format", pix_fmts="gbrp16le"),
        node("lutrgb", **curve),
    ]
    if t["saturation"] != 1:
        nodes.append(node("colorchannelmixer", **mixed))
    if t["lut"]:
        nodes += lut_nodes(t["lut"])
    back = node("scale", out_color_matrix=c.matrix, out_range="tv", flags="accurate_rnd+full_chroma_int")
    return w.through(source, *nodes, back)


LIGHT_OFF = 0.01


def _denoise(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    s, method = t["strength"], t["method"]
    on_its_own = {VAAPI: node("denoise_vaapi", denoise=_of_64(s)), QSV: node("vpp_qsv", denoise=round(5 * s))}
    if _place(w, t) in on_its_own:
        return _one(w, source, t, c, on_its_own)
    if method.startswith("light"):
        within, across = (s, LIGHT_OFF) if method == "light spatial" else (LIGHT_OFF, 1.5 * s)
        return w.through(
            source,
            node(
                "hqdn3d",
                luma_spatial=within,
                chroma_spatial=0.75 * within,
                luma_tmp=across,
                chroma_tmp=0.75 * across,
            ),
        )
    if method == "heavy temporal":
        strong = {f"{n}{ab}": (0.006 if ab == "a" else 0.012) * s for n in range(3) for ab in "ab"}
        return w.through(
            source, Node("atadenoise", (*((k, f"{v:.6f}") for k, v in strong.items()), ("s", "9")))
        )
    options = {"s": s, "p": 5, "r": 9}
    return _one(w, source, t, c, {p: node(f.filters[0], **options) for f in t.forms for p in (f.place,)})


def _of_64(strength: float) -> int:
    return min(64, round(3.2 * strength))


def _deinterlace(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    usual = {"mode": "send_frame", "deint": "all"}
    made = {
        VAAPI: node("deinterlace_vaapi", mode="motion_adaptive", rate="frame"),
        QSV: node("vpp_qsv", deinterlace="advanced", rate="frame"),
    }
    own = {f.place: node(f.filters[0], **usual) for f in t.forms}
    return _one(w, source, t, c, {**own, **made})


def _sharpen(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    size = int(t["size"]) | 1
    options = {"lx": size, "ly": size, "la": t["amount"], "cx": size, "cy": size, "ca": 0.0}
    return _one(w, source, t, c, {f.place: node(f.filters[0], **options) for f in t.forms})


def _blur(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    radius = t["radius"]
    if t["method"] == "box":
        made = {f.place: node(f.filters[0], sizeX=round(radius), sizeY=round(radius)) for f in t.forms}
    else:
        made = {
            "software": node("gblur", sigma=radius, steps=6),
            "vulkan": node("gblur_vulkan", sigma=radius, size=_odd(6 * radius)),
        }
    return _one(w, source, t, c, made)


def _odd(width: float) -> int:
    return min(int(width) | 1, 127)


def _upscale(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    wide, high = _even(c.width * 100 / t["zoom"]), _even(c.height * 100 / t["zoom"])
    middle = node("crop", w=wide, h=high)
    if _place(w, t) == SOFTWARE:
        kernel = f"{t['method']}+accurate_rnd+full_chroma_int"
        return w.through(source, middle, node("scale", w=c.width, h=c.height, flags=kernel))
    size = {"w": c.width, "h": c.height}
    scaled = {
        (VULKAN, "bilinear"): node("scale_vulkan", **size, scaler="bilinear"),
        (VULKAN, "lanczos"): node("libplacebo", **size, upscaler="lanczos"),
        (VAAPI, "bicubic"): node("scale_vaapi", **size, mode="hq"),
        (QSV, "bicubic"): node("scale_qsv", **size, mode="hq"),
        (NVENC, t["method"]): node("scale_cuda", **size, interp_algo=t["method"]),
    }[w.place, t["method"]]
    return w.through(source, middle, *on_device(surface(w.place, c.pixel_format, True), scaled))


def _even(value: float) -> int:
    return max(2, round(value / 2) * 2)


def _key(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    if t["background_file"]:
        ground = _clip_of(w, t["background_file"], c, c.width, c.height)
    else:
        ground = w.join(
            (),
            node("color", c=_colour(t["background"]), s=f"{c.width}x{c.height}", r=c.rate),
            node("format", pix_fmts=c.pixel_format),
            *_no_longer(c),
        )
    options = {"color": _colour(t["colour"]), "similarity": t["similarity"] / 100, "blend": t["blend"] / 100}
    ahead = (node("scale", in_color_matrix=c.matrix), node("format", pix_fmts="rgba"))
    if _place(w, t) == OPENCL:
        cut = w.through(
            source,
            *ahead,
            node("hwupload"),
            node("colorkey_opencl", **options),
            node("hwdownload"),
            node("format", pix_fmts="rgba"),
        )
    else:
        cut = w.through(source, *ahead, node("colorkey", **options))
    cut = w.through(
        cut,
        node("scale", out_color_matrix=c.matrix, out_range="tv"),
        node("format", pix_fmts=_with_alpha(c.pixel_format)),
    )
    return w.join((ground, cut), node("overlay", shortest=1, format="auto"))


def _with_alpha(pixel_format: str) -> str:
    return pixel_format.replace("yuv4", "yuva4", 1) if pixel_format in WITH_ALPHA else "yuva420p"


def _colour(text: str) -> str:
    return text.replace("#", "0x")


def _title(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    return w.through(
        source,
        node(
            "drawtext",
            fontfile=str(FONT),
            text=t["text"],
            expansion="none",
            fontsize=round(c.height * t["size"] / 100),
            fontcolor=f"{_colour(t['colour'])}@{t['opacity'] / 100:g}",
            x=f"(w-text_w)*{t['x'] / 100:g}",
            y=f"(h-text_h)*{t['y'] / 100:g}",
        ),
    )


def _clip_of(w: GraphBuilder, path: str, c: Canvas, wide: int, high: int) -> str:
    """A clip from its beginning, over and over, at the canvas's rate."""
    number = w.open(
        [
            "-protocol_whitelist",
            PROTOCOLS,
            "-format_whitelist",
            CONTAINERS,
            "-stream_loop",
            "-1",
            "-i",
            address(path),
        ]
    )
    return w.through(
        f"{number}:V:0",
        node("fps", fps=c.rate),
        node("scale", w=wide, h=high),
        node("setsar", r=1),
        node("format", pix_fmts=c.pixel_format),
        *_no_longer(c),
    )


def _no_longer(c: Canvas) -> tuple[Node, ...]:
    """What goes on for ever is cut off where the picture ends: not every filter on a device ends with its first
    input, and one that goes on can hold up all others."""
    return (node("trim", end_frame=c.frames),) if c.frames else ()


def _picture(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    wide, high = _even(c.width * t["size"] / 100), _even(c.height * t["size"] / 100)
    if t["file"]:
        small = _clip_of(w, t["file"], c, wide, high)
    else:
        source, again = w.split(source, 2)
        small = w.through(again, node("scale", w=wide, h=high))
    x, y = _even_or_zero((c.width - wide) * t["x"] / 100), _even_or_zero((c.height - high) * t["y"] / 100)
    form = t.form(w.place)
    if form.place == SOFTWARE:
        return w.join((source, small), node("overlay", x=x, y=y, shortest=1, format="auto"))
    there = surface(form.place, c.pixel_format, form.deep)
    up = (node("format", pix_fmts=there), node("hwupload"))
    over = node(form.filters[0], x=x, y=y)
    joined = w.join((w.through(source, *up), w.through(small, *up)), over)
    return w.through(joined, node("hwdownload"), node("format", pix_fmts=there))


def _even_or_zero(value: float) -> int:
    """Chroma is coarser than luma: a place between two chroma samples would be moved by the filter."""
    return round(value / 2) * 2


LAYER_STEP = 0.08


def _layers(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    base, *copies = w.split(source, int(t["count"]))
    form = t.form(w.place)
    mix = {"all_mode": "normal", "all_opacity": t["opacity"] / 100}
    for number, copy in enumerate(copies, 1):
        share = 1 - LAYER_STEP * number
        layer = w.through(
            copy,
            node("crop", w=_even(c.width * share), h=_even(c.height * share)),
            node("scale", w=c.width, h=c.height),
        )
        if form.place == SOFTWARE:
            base = w.join((layer, base), node("blend", **mix))
            continue
        there = surface(form.place, c.pixel_format, form.deep)
        up = (node("format", pix_fmts=there), node("hwupload"))
        both = w.join((w.through(layer, *up), w.through(base, *up)), node("blend_vulkan", **mix))
        base = w.through(both, node("hwdownload"), node("format", pix_fmts=there))
    return base


def _grain(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    grey = w.join(
        (),
        node("color", c="black", s=f"{c.width}x{c.height}", r=c.rate),
        node("format", pix_fmts="yuv444p"),
        node("lutyuv", y=128, u=128, v=128),
        node("noise", c0s=round(t["strength"]), c0f="t"),
        node("format", pix_fmts=c.pixel_format),
        *_no_longer(c),
    )
    return w.join((source, grey), node("blend", all_mode="grainmerge", shortest=1))


def _depth(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    return w.through(source, node("format", pix_fmts=t["format"]))


def _rate(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    rate = Fraction(t["rate"]).limit_denominator(1001)
    return w.through(source, *at_other_rate(rate, t["method"], c), node("fps", fps=c.rate))


def at_other_rate(rate: Fraction, method: str, c: Canvas) -> tuple[Node, ...]:
    """Filters that bring a stream to a rate; interpolation gets frames to look ahead to."""
    if method == "nearest frame":
        return (node("fps", fps=rate, round="up", start_time=0),)
    mode = (
        {"mi_mode": "blend"}
        if method == "frame blending"
        else {"mi_mode": "mci", "mc_mode": "aobmc", "me_mode": "bidir", "vsbmc": 1}
    )
    return (node("tpad", stop=4, stop_mode="clone"), node("minterpolate", fps=rate, **mode))


def _stabilise(w: GraphBuilder, source: str, t: Treatment, c: Canvas) -> str:
    raise AssertionError("stabilising needs its analysis: see assembly")


DRAWN: dict[str, Draw] = {
    "grade": _grade,
    "denoise": _denoise,
    "deinterlace": _deinterlace,
    "sharpen": _sharpen,
    "blur": _blur,
    "upscale": _upscale,
    "key": _key,
    "title": _title,
    "picture": _picture,
    "layers": _layers,
    "grain": _grain,
    "depth": _depth,
    "rate": _rate,
    "stabilise": _stabilise,
}
