"""A program's log in plain words."""

import re

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
