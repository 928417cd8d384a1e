"""What an encoder, a preset or a profile is tied to: sizes, pixel formats, threads, B-frames. Data."""

SMALLEST: dict[str, tuple[int, int]] = {"dnxhd": (256, 120)}
"""The smallest frame that an encoder takes, where there is one; those not listed take 16×16."""

SMALLEST_BEFORE: dict[str, tuple[int, tuple[int, int]]] = {"libsvtav1": (9, (64, 64))}
"""The same of builds of ffmpeg before a major version."""

LARGEST: dict[str, tuple[int, int]] = {"libx264": (16384, 16384), "libsvtav1": (16384, 8704)}
"""The largest frame that an encoder takes, where it says so; no other gets more than `MOST_PIXELS` here."""

MOST_PIXELS = 16384 * 16384
"""Samples of a frame that decoders, scaling and memory bear."""

MOST_THREADS: dict[str, int] = {"libx265": 16}
"""Most threads that an encoder takes when it is given a number, where it refuses more."""

LOOKAHEAD: dict[tuple[str, str], int] = {
    ("libx265", "ultrafast"): 5,
    ("libx265", "superfast"): 10,
    **{("libx265", name): 15 for name in ("veryfast", "faster", "fast")},
    ("libx265", "medium"): 20,
}
"""How many frames a preset looks ahead, where B-frames in a row have to be fewer."""

NEEDS_WHOLE_CHROMA = ("libx264", "libx265")
"""Encoders, device encoders besides, that refuse sizes which do not come out even in subsampled chroma."""

_PRORES_422 = ("proxy", "lt", "standard", "hq")
PROFILE_CHROMA: dict[tuple[str, str], tuple[str, ...]] = {
    **{("prores_ks", name): ("yuv422p10le",) for name in _PRORES_422},
    ("prores_ks", "4444"): ("yuv444p10le", "yuva444p10le"),
    ("prores_ks", "4444xq"): ("yuv444p10le", "yuva444p10le"),
    **{("dnxhd", name): ("yuv422p",) for name in ("dnxhr_lb", "dnxhr_sq", "dnxhr_hq")},
    ("dnxhd", "dnxhr_hqx"): ("yuv422p10le",),
    ("dnxhd", "dnxhr_444"): ("yuv444p10le",),
}
"""Presets that are tied to a pixel format; those not listed go with all of the encoder's."""

REPORTED: dict[tuple[str, str], tuple[str, ...]] = {
    ("prores_ks", "yuv444p10le"): ("yuv444p10le", "yuv444p12le"),
    ("prores_ks", "yuva444p10le"): ("yuva444p10le", "yuva444p12le"),
}
"""What decoders report of an encoder's output where it is not the format that went in: ProRes 4444 is decoded at 12
bit, whatever it was coded from."""

PROFILE_FORMATS: dict[tuple[str, str], tuple[str, ...]] = {
    ("libx264", "baseline"): ("yuv420p",),
    ("libx264", "main"): ("yuv420p",),
    ("libx264", "high"): ("yuv420p",),
    ("libx264", "high10"): ("yuv420p", "yuv420p10le"),
    ("libx264", "high422"): ("yuv420p", "yuv420p10le", "yuv422p", "yuv422p10le"),
    ("libx265", "main"): ("yuv420p",),
    ("libx265", "main10"): ("yuv420p10le", "yuv420p"),
    ("libx265", "main12"): ("yuv420p12le",),
    ("libx265", "main422-10"): ("yuv422p10le", "yuv422p"),
    ("libx265", "main444-8"): ("yuv444p",),
    ("libx265", "main444-10"): ("yuv444p10le",),
    **{(f"hevc_{device}", "main"): ("yuv420p",) for device in ("nvenc", "qsv", "amf", "vaapi", "vulkan")},
    **{
        (f"hevc_{device}", "main10"): ("yuv420p10le",)
        for device in ("nvenc", "qsv", "amf", "vaapi", "vulkan")
    },
}
"""Profiles and the pixel formats they hold; those not listed hold all of the encoder's."""
