"""What makes an output acceptable."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Limits:
    """Floors and a ceiling, None leaves one open; and whether the output has to play.

    Fields: `vmaf_mean`, floor on the mean VMAF, 0 to 100; `vmaf_p5`, floor on its 5th percentile;
    `megabytes_per_minute`, ceiling on size in 10^6 bytes per minute of programme;
    `plays`, whether it has to play in real time here; `unseen`, whether nobody may be able to tell it from the
    reference in a blind comparison.
    """

    vmaf_mean: float | None = None
    vmaf_p5: float | None = None
    megabytes_per_minute: float | None = None
    plays: bool = False
    unseen: bool = False

    @property
    def any_set(self) -> bool:
        """Whether anything at all is asked of the output beyond conformity."""
        return any(v not in (None, False) for v in vars(self).values())
