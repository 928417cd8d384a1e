"""The numbers of a grade."""

import numpy as np

DISPLAY_GAMMA = 2.4
NEUTRAL_K = 6504.0
LUMA_709 = (0.2126, 0.7152, 0.0722)
XYZ_TO_RGB = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)


def daylight_rgb(kelvin: float) -> np.ndarray:
    """Linear BT.709 colour, shape (3,), of CIE daylight from 4000 to 12000 K at luminance 1.

    Source: CIE 015, daylight locus: x_D as a cubic in 1000/T, y_D = −3 x² + 2.870 x − 0.275.
    """
    m = 1000 / kelvin
    low = kelvin <= 7000
    x = (
        0.244063 + 0.09911 * m + 2.9678 * m**2 - 4.6070 * m**3
        if low
        else 0.237040 + 0.24748 * m + 1.9018 * m**2 - 2.0064 * m**3
    )
    y = -3 * x**2 + 2.870 * x - 0.275
    return XYZ_TO_RGB @ np.array([x / y, 1, (1 - x - y) / y])


def gains(exposure: float, kelvin: float) -> np.ndarray:
    """Factors on coded red, green and blue, shape (3,).

    A factor f on light is f^(1/2.4) on a value coded for a display of gamma 2.4: `exposure` in stops
    is 2^exposure. White balance makes daylight of `kelvin` neutral, with green kept.
    """
    light = daylight_rgb(NEUTRAL_K) / daylight_rgb(kelvin)
    light = light / light[1]
    return np.asarray((2.0**exposure * light) ** (1 / DISPLAY_GAMMA))


def saturation_matrix(saturation: float) -> np.ndarray:
    """Shape (3, 3): rows give red, green and blue; luma by BT.709 weights stays as it is."""
    return saturation * np.eye(3) + (1 - saturation) * np.array([LUMA_709] * 3)
