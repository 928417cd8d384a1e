"""What makes an output acceptable."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Limits:
    """Floors and a ceiling; None leaves one open.

    Fields: `vmaf_mean`, floor on the mean VMAF, 0 to 100; `vmaf_p5`, floor on its 5th percentile;
    `megabytes_per_minute`, ceiling on size in 10^6 bytes per minute of programme.
    """

    vmaf_mean: float | None = None
    vmaf_p5: float | None = None
    megabytes_per_minute: float | None = None

    @property
    def any_set(self) -> bool:
        """Whether anything at all is asked of the output beyond conformity."""
        return any(v is not None for v in vars(self).values())
