"""The kinds of treatments, their parameters and the forms each can take. Data, in one place."""

from dataclasses import dataclass

SOFTWARE, OPENCL, VULKAN = "software", "opencl", "vulkan"
VAAPI, QSV, NVENC = "vaapi", "qsv", "nvenc"
PLACES = (SOFTWARE, OPENCL, VULKAN, VAAPI, QSV, NVENC)
PLACE_TITLES = {
    SOFTWARE: "software",
    OPENCL: "OpenCL",
    VULKAN: "Vulkan",
    VAAPI: "VAAPI",
    QSV: "QSV",
    NVENC: "NVENC / NVDEC",
}


@dataclass(frozen=True)
class Parameter:
    """One setting of a treatment.

    Fields: `name`; `title` as shown; `default`, a number or text; `low`, `high` of a number; `unit`,
    "" for none; `choices` of a text that is one of a few; `is_file`, True when the text names a file;
    `needed`, True when an empty text makes no sense.
    """

    name: str
    title: str
    default: float | str
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    choices: tuple[str, ...] = ()
    is_file: bool = False
    needed: bool = False


@dataclass(frozen=True)
class Form:
    """One implementation.

    Fields: `place`, one of `PLACES`; `filters` that the build must have; `method`, the value of the
    parameter of that name it belongs to, "" for any; `deep`, False when it works in 8 bits whatever
    comes in.
    """

    place: str
    filters: tuple[str, ...]
    method: str = ""
    deep: bool = True


@dataclass(frozen=True)
class Kind:
    """One kind of treatment.

    Fields: `key`; `title`; `about`, one sentence; `parameters`; `forms`; `whole`, False when it is
    done shot by shot, before the cut: over the whole programme it stands on every shot.
    """

    key: str
    title: str
    about: str
    parameters: tuple[Parameter, ...]
    forms: tuple[Form, ...]
    whole: bool = True


def _choice(name: str, title: str, *choices: str) -> Parameter:
    return Parameter(name, title, choices[0], choices=choices)


P = Parameter
SOFT = SOFTWARE

KINDS: dict[str, Kind] = {
    k.key: k
    for k in (
        Kind(
            "grade",
            "Grade",
            "Exposure, contrast, white balance and saturation, then a LUT file.",
            (
                P("exposure", "Exposure", 0.0, -4, 4, "stops"),
                P("contrast", "Contrast", 1.0, 0.2, 3),
                P("saturation", "Saturation", 1.0, 0, 2),
                P("white_balance", "White balance", 6504.0, 4000, 12000, "K"),
                P("lut", "LUT (.cube)", "", is_file=True),
            ),
            (Form(SOFT, ("lutrgb", "colorchannelmixer", "lut3d", "lut1d")),),
        ),
        Kind(
            "denoise",
            "Noise reduction",
            "Light or heavy, within a frame or across frames.",
            (
                _choice(
                    "method", "Method", "light spatial", "light temporal", "heavy spatial", "heavy temporal"
                ),
                P("strength", "Strength", 3.0, 0.5, 20),
            ),
            (
                Form(SOFT, ("hqdn3d",), "light spatial"),
                Form(SOFT, ("hqdn3d",), "light temporal"),
                Form(SOFT, ("nlmeans",), "heavy spatial", deep=False),
                Form(OPENCL, ("nlmeans_opencl",), "heavy spatial", deep=False),
                Form(VULKAN, ("nlmeans_vulkan",), "heavy spatial"),
                Form(SOFT, ("atadenoise",), "heavy temporal"),
                Form(VAAPI, ("denoise_vaapi",), "light spatial"),
                Form(QSV, ("vpp_qsv",), "light spatial"),
            ),
        ),
        Kind(
            "deinterlace",
            "Deinterlace",
            "Two fields become one frame, by what moves between them.",
            (_choice("method", "Method", "bwdif", "yadif"),),
            (
                Form(SOFT, ("bwdif",), "bwdif"),
                Form(SOFT, ("yadif",), "yadif"),
                Form(VULKAN, ("bwdif_vulkan",), "bwdif"),
                Form(VAAPI, ("deinterlace_vaapi",), "bwdif"),
                Form(QSV, ("vpp_qsv",), "bwdif"),
                Form(NVENC, ("bwdif_cuda",), "bwdif"),
                Form(NVENC, ("yadif_cuda",), "yadif"),
            ),
        ),
        Kind(
            "sharpen",
            "Sharpen",
            "Unsharp mask on luma.",
            (P("amount", "Amount", 0.8, 0, 3), P("size", "Matrix size", 5.0, 3, 13, "px")),
            (Form(SOFT, ("unsharp",)), Form(OPENCL, ("unsharp_opencl",))),
        ),
        Kind(
            "blur",
            "Blur",
            "Gaussian, or a plain average over a box.",
            (_choice("method", "Method", "gaussian", "box"), P("radius", "Radius", 3.0, 1, 30, "px")),
            (
                Form(SOFT, ("gblur",), "gaussian"),
                Form(VULKAN, ("gblur_vulkan",), "gaussian"),
                Form(SOFT, ("avgblur",), "box"),
                Form(OPENCL, ("avgblur_opencl",), "box"),
                Form(VULKAN, ("avgblur_vulkan",), "box"),
            ),
        ),
        Kind(
            "retime",
            "Retime",
            "Slower or faster; missing frames by motion interpolation.",
            (
                P("speed", "Speed", 50.0, 1, 2000, "%"),
                _choice("method", "Method", "motion interpolation", "frame blending", "nearest frame"),
            ),
            (
                Form(SOFT, ("minterpolate", "tpad"), "motion interpolation"),
                Form(SOFT, ("minterpolate", "tpad"), "frame blending"),
                Form(SOFT, ("fps",), "nearest frame"),
            ),
            whole=False,
        ),
        Kind(
            "stabilise",
            "Stabilise",
            "Two passes: motion is analysed first, then evened out.",
            (
                P("shakiness", "Shakiness", 5.0, 1, 10),
                P("smoothing", "Smoothing", 10.0, 1, 100, "frames"),
                _choice("method", "Interpolation", "bicubic", "bilinear", "linear", "no"),
            ),
            (Form(SOFT, ("vidstabtransform", "vidstabdetect"), deep=False),),
            whole=False,
        ),
        Kind(
            "upscale",
            "Upscale",
            "The middle of the picture, enlarged to its full size.",
            (
                P("zoom", "Zoom", 150.0, 101, 400, "%"),
                _choice("method", "Kernel", "lanczos", "bicubic", "bilinear", "spline", "area", "neighbor"),
            ),
            (
                Form(SOFT, ("scale", "crop"), "lanczos"),
                Form(SOFT, ("scale", "crop"), "bicubic"),
                Form(SOFT, ("scale", "crop"), "bilinear"),
                Form(SOFT, ("scale", "crop"), "spline"),
                Form(SOFT, ("scale", "crop"), "area"),
                Form(SOFT, ("scale", "crop"), "neighbor"),
                Form(VULKAN, ("scale_vulkan", "crop"), "bilinear"),
                Form(VULKAN, ("libplacebo", "crop"), "lanczos"),
                Form(VAAPI, ("scale_vaapi", "crop"), "bicubic"),
                Form(QSV, ("scale_qsv", "crop"), "bicubic"),
                Form(NVENC, ("scale_cuda", "crop"), "bicubic"),
                Form(NVENC, ("scale_cuda", "crop"), "lanczos"),
                Form(NVENC, ("scale_cuda", "crop"), "bilinear"),
            ),
        ),
        Kind(
            "key",
            "Colour key",
            "One colour becomes transparent over a background.",
            (
                P("colour", "Colour", "#2f8f5b"),
                P("similarity", "Similarity", 20.0, 1, 100, "%"),
                P("blend", "Edge", 5.0, 0, 100, "%"),
                P("background", "Background", "#30343a"),
                P("background_file", "Background clip", "", is_file=True),
            ),
            (
                Form(SOFT, ("colorkey", "overlay"), deep=False),
                Form(OPENCL, ("colorkey_opencl", "overlay"), deep=False),
            ),
        ),
        Kind(
            "title",
            "Title",
            "A line of text in the typeface that ships with Ovrik.",
            (
                P("text", "Text", "Title", needed=True),
                P("size", "Size", 8.0, 1, 50, "% of height"),
                P("x", "Across", 50.0, 0, 100, "%"),
                P("y", "Down", 85.0, 0, 100, "%"),
                P("colour", "Colour", "#f6f1e6"),
                P("opacity", "Opacity", 100.0, 0, 100, "%"),
            ),
            (Form(SOFT, ("drawtext",)),),
        ),
        Kind(
            "picture",
            "Picture in a picture",
            "A second picture, smaller, over the first.",
            (
                P("file", "Clip", "", is_file=True),
                P("size", "Size", 30.0, 5, 95, "%"),
                P("x", "Across", 96.0, 0, 100, "%"),
                P("y", "Down", 6.0, 0, 100, "%"),
            ),
            (
                Form(SOFT, ("overlay",)),
                Form(OPENCL, ("overlay_opencl",), deep=False),
                Form(VULKAN, ("overlay_vulkan",)),
            ),
        ),
        Kind(
            "layers",
            "Layers",
            "Copies of the picture layered over one another, each a little larger.",
            (P("count", "Layers", 3.0, 2, 8), P("opacity", "Opacity", 30.0, 1, 100, "%")),
            (Form(SOFT, ("blend", "crop", "scale")), Form(VULKAN, ("blend_vulkan", "crop", "scale"))),
        ),
        Kind(
            "grain",
            "Grain",
            "Added grain, new in every frame.",
            (P("strength", "Strength", 8.0, 1, 60),),
            (Form(SOFT, ("noise", "blend")),),
        ),
        Kind(
            "depth",
            "Bit depth and chroma",
            "Through another pixel format and back.",
            (
                _choice(
                    "format",
                    "Pixel format",
                    "yuv420p",
                    "yuv422p",
                    "yuv444p",
                    "yuv420p10le",
                    "yuv422p10le",
                    "yuv444p10le",
                    "yuv422p12le",
                ),
            ),
            (Form(SOFT, ("format",)),),
        ),
        Kind(
            "rate",
            "Frame rate",
            "Through another frame rate and back.",
            (
                P("rate", "Rate", 12.5, 1, 240, "fps"),
                _choice("method", "Method", "nearest frame", "frame blending", "motion interpolation"),
            ),
            (
                Form(SOFT, ("fps",), "nearest frame"),
                Form(SOFT, ("minterpolate", "tpad"), "frame blending"),
                Form(SOFT, ("minterpolate", "tpad"), "motion interpolation"),
            ),
        ),
    )
}

READY_SETS: dict[str, tuple[str, tuple[tuple[str, tuple[tuple[str, float | str], ...]], ...]]] = {
    "straight cut": ("no treatment at all: the encoder is all the load", ()),
    "light finish": (
        "a grade, a little sharpening and a title on the first shot",
        (
            ("grade", (("exposure", 0.15), ("contrast", 1.08), ("saturation", 1.08))),
            ("sharpen", (("amount", 0.5),)),
        ),
    ),
    "heavy finish": (
        "noise reduction, grade, sharpening, layers and grain on every frame",
        (
            ("denoise", (("method", "heavy spatial"), ("strength", 3.0))),
            (
                "grade",
                (("exposure", 0.2), ("contrast", 1.15), ("saturation", 0.9), ("white_balance", 5800.0)),
            ),
            ("sharpen", (("amount", 0.8),)),
            ("layers", (("count", 3.0), ("opacity", 25.0))),
            ("grain", (("strength", 8.0),)),
        ),
    ),
    "slow motion": (
        "every shot at half speed, missing frames by motion interpolation",
        (("retime", (("speed", 50.0), ("method", "motion interpolation"))),),
    ),
}
"""By name: what it is, and its treatments as kind and values. A title is added to the first shot of
*light finish* and *heavy finish*."""
