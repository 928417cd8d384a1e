"""Named ways to use a device, in three places. Data: what each is called and how it is asked for."""

import re
from dataclasses import dataclass


@dataclass(frozen=True)
class DeviceFilter:
    """A picture filter on a device and the same thing in software.

    Fields: `name`; `device`, the filter's name on the device; `on_device`, its full text;
    `software`, the software filter with the same result; `floor`, the PSNR in dB from it that is wanted at least:
    what every maker does in a way of its own is near software's result, not equal to it; `after`, software filters
    that follow both.
    """

    name: str
    device: str
    on_device: str
    software: str
    floor: float = 40.0
    after: str = ""


NEAR = 24.0
"""For filters of a device that no software filter does in the same way."""
MIDDLE = "crop=iw/2:ih/2"
DOUBLED, DOUBLED_BILINEAR = "scale=iw*2:ih*2:flags=bicubic", "scale=iw*2:ih*2:flags=bilinear"


NV12 = (("yuv420p", "nv12"), ("yuv420p10le", "p010le"))
PLANAR = (("yuv420p", "yuv420p"), ("yuv420p10le", "yuv420p16le"))
MORE_FORMATS: dict[str, tuple[str, ...]] = {
    "ffv1_vulkan": ("yuv422p", "yuv422p10le", "yuv444p", "yuv444p10le"),
    "prores_ks_vulkan": ("yuv422p10le", "yuv444p10le"),
    "h264_nvenc": ("yuv444p",),
    "hevc_nvenc": ("yuv444p",),
}
"""What device encoders take beyond 4:2:0."""
PIXEL_FORMATS = ("yuv420p", "yuv420p10le")
"""What is tried, 8 and 10 bit; a path's surfaces say in which format its device takes them."""


@dataclass(frozen=True)
class DevicePath:
    """One named way to use a device.

    Fields: `key`; `title`; `opens`, what a build is asked to open ("" when there is nothing to open
    beforehand); `kind`, the device kind a build must have been built for ("" where the encoder's
    name decides); `decodes` codecs on the device, by `hwaccel` name and `surface` format, or by a decoder
    named CODEC_KEY where `hwaccel` is "";
    `encoders`, name by codec; `uploads`, True when frames must be put on the device before they
    are encoded; `treatments`; `surfaces`, the device's own format by pixel format.
    """

    key: str
    title: str
    opens: str
    kind: str
    hwaccel: str
    surface: str
    decodes: tuple[str, ...]
    encoders: tuple[tuple[str, str], ...]
    uploads: bool
    treatments: tuple[DeviceFilter, ...] = ()
    surfaces: tuple[tuple[str, str], ...] = NV12


FELL_BACK = re.compile(
    r"falling back|hwaccel initialisation returned error|Failed setup for format|No device available for decoder",
    re.IGNORECASE,
)
"""What a build's log says when it does in software what a device was asked for."""
CODECS = ("h264", "hevc", "av1")
CODEC_TITLES = {"h264": "H.264", "hevc": "HEVC", "av1": "AV1", "prores": "ProRes", "ffv1": "FFV1"}


def _encoders(ending: str, *codecs: str) -> tuple[tuple[str, str], ...]:
    return tuple((codec, f"{codec}_{ending}") for codec in codecs or CODECS)


def _flip(device: str, on_device: str) -> tuple[DeviceFilter, ...]:
    return (DeviceFilter("mirror", device, on_device, "hflip"),)


PATHS: tuple[DevicePath, ...] = (
    DevicePath(
        "vaapi",
        "VAAPI",
        "vaapi",
        "vaapi",
        "vaapi",
        "vaapi",
        CODECS,
        _encoders("vaapi"),
        True,
        (
            *_flip("transpose_vaapi", "transpose_vaapi=dir=hflip"),
            DeviceFilter("scale", "scale_vaapi", "scale_vaapi=w=iw*2:h=ih*2:mode=hq", DOUBLED, NEAR, MIDDLE),
            DeviceFilter(
                "deinterlace",
                "deinterlace_vaapi",
                "deinterlace_vaapi=mode=motion_adaptive",
                "bwdif=mode=0",
                NEAR,
            ),
            DeviceFilter("denoise", "denoise_vaapi", "denoise_vaapi=denoise=10", "hqdn3d=2", NEAR),
        ),
    ),
    DevicePath(
        "qsv",
        "QSV",
        "qsv",
        "qsv",
        "qsv",
        "qsv",
        CODECS,
        _encoders("qsv"),
        False,
        (
            *_flip("vpp_qsv", "vpp_qsv=transpose=hflip"),
            DeviceFilter("scale", "scale_qsv", "scale_qsv=w=iw*2:h=ih*2", DOUBLED, NEAR, MIDDLE),
            DeviceFilter("deinterlace", "vpp_qsv", "vpp_qsv=deinterlace=advanced", "bwdif=mode=0", NEAR),
            DeviceFilter("denoise", "vpp_qsv", "vpp_qsv=denoise=10", "hqdn3d=2", NEAR),
        ),
    ),
    DevicePath(
        "nvenc",
        "NVENC / NVDEC",
        "cuda",
        "cuda",
        "cuda",
        "cuda",
        CODECS,
        _encoders("nvenc"),
        False,
        (
            DeviceFilter("mirror", "transpose_cuda", "transpose_cuda=dir=hflip", "hflip"),
            DeviceFilter(
                "scale", "scale_cuda", "scale_cuda=w=iw*2:h=ih*2:interp_algo=bicubic", DOUBLED, NEAR, MIDDLE
            ),
            DeviceFilter("deinterlace", "bwdif_cuda", "bwdif_cuda=mode=send_frame", "bwdif=mode=0"),
        ),
    ),
    DevicePath(
        "amf",
        "AMF",
        "amf",
        "amf",
        "amf",
        "amf",
        CODECS,
        _encoders("amf"),
        False,
        (
            DeviceFilter(
                "scale", "vpp_amf", "vpp_amf=w=iw*2:h=ih*2:scale_type=bicubic", DOUBLED, NEAR, MIDDLE
            ),
        ),
    ),
    DevicePath(
        "vulkan",
        "Vulkan",
        "vulkan",
        "vulkan",
        "vulkan",
        "vulkan",
        CODECS,
        (*_encoders("vulkan"), ("ffv1", "ffv1_vulkan"), ("prores", "prores_ks_vulkan")),
        True,
        (
            DeviceFilter("mirror", "hflip_vulkan", "hflip_vulkan", "hflip"),
            DeviceFilter("blur", "gblur_vulkan", "gblur_vulkan=sigma=2", "gblur=sigma=2:steps=6"),
            DeviceFilter(
                "scale",
                "scale_vulkan",
                "scale_vulkan=w=iw*2:h=ih*2:scaler=bilinear",
                DOUBLED_BILINEAR,
                NEAR,
                MIDDLE,
            ),
            DeviceFilter("deinterlace", "bwdif_vulkan", "bwdif_vulkan=mode=send_frame", "bwdif=mode=0", NEAR),
            DeviceFilter(
                "denoise", "nlmeans_vulkan", "nlmeans_vulkan=s=3:p=3:r=5", "nlmeans=s=3:p=3:r=5", NEAR
            ),
        ),
    ),
    DevicePath(
        "opencl",
        "OpenCL",
        "opencl",
        "opencl",
        "",
        "opencl",
        (),
        (),
        False,
        (
            DeviceFilter(
                "mirror",
                "transpose_opencl",
                "transpose_opencl=dir=clock,transpose_opencl=dir=clock_flip",
                "transpose=dir=clock,transpose=dir=clock_flip",
            ),
            DeviceFilter("blur", "avgblur_opencl", "avgblur_opencl=sizeX=2", "avgblur=sizeX=2"),
            DeviceFilter(
                "denoise", "nlmeans_opencl", "nlmeans_opencl=s=3:p=3:r=5", "nlmeans=s=3:p=3:r=5", NEAR
            ),
        ),
        PLANAR,
    ),
    DevicePath(
        "v4l2m2m", "V4L2 M2M", "", "", "", "", ("h264", "hevc"), _encoders("v4l2m2m", "h264", "hevc"), False
    ),
    DevicePath("standin", "Stand-in (simulated)", "", "", "", "", (), _encoders("standin"), False),
)
DECODING = {p.key: p.title for p in PATHS if p.decodes}
"""What a contender can ask to decode, by key of the path."""
