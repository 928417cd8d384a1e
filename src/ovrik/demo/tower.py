"""The last two shots of "Casting Day": the bell, and the title."""

import numpy as np
from scipy import ndimage

from ovrik.demo.light import HEIGHT, WIDTH, Light, bloom, fractal, grid, light_colour, power, slid, smooth
from ovrik.demo.strokes import distance_field, line_width


class Bell:
    """The bell swinging in its frame: large motion, blurred by a 180° shutter.

    It is drawn in polar coordinates about its pivot, where a swing is a shift and the blur of a shutter
    a running mean along the angle.
    """

    REACH = 1.75
    FINENESS = 500
    RADII = 660
    PROFILE = (
        (0.0, 0.10),
        (0.06, 0.30),
        (0.14, 0.385),
        (0.3, 0.43),
        (0.5, 0.485),
        (0.68, 0.56),
        (0.82, 0.66),
        (0.92, 0.76),
        (1.0, 0.80),
    )

    def __init__(self, seed: int) -> None:
        random = np.random.default_rng([seed, 4])
        self.y, self.x = grid()
        self.patina = fractal(random, (512, 1024), 90, 6, fall=0.65)
        self.dust = fractal(random, (1024, 1024), 240, 6)
        self.back = self._belfry(random)
        dx, dy = self.x - 640, self.y - 84
        radius = np.minimum(np.hypot(dx, dy), self.RADII - 2)
        column = (np.arctan2(dx, dy) + self.REACH) * self.FINENESS
        self.row, self.column = radius.astype(np.intp), np.floor(column).astype(np.intp)
        down, right = ((radius - self.row).astype(np.float32), (column - self.column).astype(np.float32))
        self.weights = ((1 - down) * (1 - right), (1 - down) * right, down * (1 - right), down * right)
        self.slant = np.exp(-(((self.x - 250 - self.y * 0.62) / 120) ** 2)) + 0.7 * np.exp(
            -(((self.x - 1020 + self.y * 0.3) / 100) ** 2)
        )
        self._shape()

    def _belfry(self, random: np.random.Generator) -> Light:
        """Timber frame and stone, with daylight through the louvres."""
        stone = fractal(random, (HEIGHT, WIDTH), 110, 6)
        wood = fractal(random, (HEIGHT, WIDTH), 120, 6, stretch=(0.4, 7.0))
        day = np.zeros_like(self.x)
        for left in (120.0, 905.0):
            opening = smooth(2, -2, np.abs(self.x - left - 128) - 118) * smooth(
                2, -2, np.abs(self.y - 330) - 215
            )
            slat = smooth(0.25, 0.32, ((self.y + 0.25 * (self.x - left)) % 58) / 58)
            day = np.maximum(day, opening * slat)
        scene = (0.02 + 0.05 * stone) * light_colour(0.62, 0.66, 0.78)
        scene += day * light_colour(0.72, 0.86, 1.05) * 1.25
        for middle in (60.0, 440.0, 845.0, 1222.0):
            post = smooth(2, -2, np.abs(self.x - middle) - 30)
            lit = (0.035 + 0.09 * wood) * (0.4 + 0.9 * smooth(-30, 30, self.x - middle))
            scene = scene * (1 - post) + (post * lit) * light_colour(1.0, 0.72, 0.48)
        beam = smooth(2, -2, np.abs(self.y - 66) - 38)
        scene = scene * (1 - beam)
        return scene + (beam * (0.03 + 0.1 * wood.T[0, :1] + 0.06 * stone)) * light_colour(1.0, 0.7, 0.46)

    @staticmethod
    def swing(time: float) -> float:
        """Angle in radians at a time in frames."""
        return 0.78 * float(np.sin(2 * np.pi * time / 42))

    def light(self, frame: int) -> Light:
        """The picture at a frame of the shot."""
        start, end = self.swing(frame), self.swing(frame + 0.5)
        angle = (start + end) / 2
        shade, cover = self._bell(angle, self.swing(frame - 3.75) * 1.25)
        blur = max(1, round(abs(end - start) * self.FINENESS))
        turn = round(angle * self.FINENESS)
        planes = ndimage.uniform_filter1d(np.concatenate([shade, cover[None]]), blur, axis=2)
        *lit, covered = self._placed(planes, turn)
        scene = self.back * (1 - covered) + np.stack(lit)
        shafts = smooth(0.35, 0.9, slid(self.dust, frame * 0.7, frame * 0.4))
        slant = self.slant * (0.45 + shafts)
        scene += light_colour(0.8, 0.9, 1.0) * (0.055 * slant)
        return bloom(scene, 30, 0.22)

    def _placed(self, planes: np.ndarray, turn: int) -> np.ndarray:
        """Polar planes, shape (n, radii, columns), on the screen, turned by whole columns."""
        columns = planes.shape[2]
        at = np.clip(self.column - turn, 0, columns - 2) + self.row * columns
        flat = np.stack([p.ravel() for p in planes], axis=1)
        corners = (flat.take(at + step, axis=0, mode="clip") for step in (0, 1, columns, columns + 1))
        out = sum(c * w[..., None] for c, w in zip(corners, self.weights, strict=True))
        return np.ascontiguousarray(np.moveaxis(out, 2, 0))

    def _bell(self, angle: float, clapper: float) -> tuple[Light, np.ndarray]:
        """Light (already weighted by cover) and cover in polar coordinates turned with the bell."""
        cos, sin = np.float32(np.cos(angle)), np.float32(np.sin(angle))
        world = self.nx * cos + 0.35 * sin
        key = np.maximum(0.25 * self.nz - 0.86 * world, 0)
        fill = np.maximum(0.3 * self.nz + 0.8 * world, 0) * 0.42
        gloss = power(np.clip(0.6 * self.nz - 0.74 * world, 0, 1), 4) * 1.2
        gloss += power(np.clip(0.5 * self.nz + 0.85 * world, 0, 1), 5) * 0.6
        shade = self.metal * ((key + fill + 0.05) * self.body)
        shade += light_colour(0.95, 0.9, 0.8) * (gloss * self.polish * self.body)
        turned = self.psi + angle - clapper
        far = np.hypot(self.r * np.sin(turned), self.r * np.cos(turned) - 560)
        ball = smooth(1.5, -1.5, far - 34) * (1 - self.body)
        height = np.sqrt(np.maximum(1 - (far / 34) ** 2, 0))
        shade += light_colour(0.6, 0.62, 0.66) * (ball * (0.02 + 0.2 * height))
        shade += light_colour(1.0, 0.7, 0.45) * (self.stock * (1 - self.body) * 0.06)
        return shade, np.maximum(np.maximum(self.body, ball), self.stock)

    def _shape(self) -> None:
        """Everything of the bell that does not change as it swings."""
        columns = int(2 * self.REACH * self.FINENESS)
        self.r = np.arange(self.RADII, dtype=np.float32)[:, None]
        self.psi = (np.arange(columns, dtype=np.float32) / self.FINENESS - self.REACH)[None, :]
        u = self.r * np.sin(self.psi) / 480
        v = (self.r * np.cos(self.psi) - 52) / 480
        half = np.interp(v, [p[0] for p in self.PROFILE], [p[1] for p in self.PROFILE])
        half = np.where((v >= 0) & (v <= 1), half * 0.78, -1).astype(np.float32)
        self.body = smooth(0.003, -0.003, np.abs(u) - half)
        self.stock = smooth(0.004, -0.004, np.maximum(np.abs(u) - 0.34, np.abs(v + 0.07) - 0.06))
        self.nx = np.clip(u / np.maximum(half, 0.02), -1, 1)
        self.nz = np.sqrt(1 - self.nx * self.nx)
        around = (np.arcsin(self.nx) / np.pi + 0.5) * 620
        tex = self.patina[(v * 420).astype(int) % 512, around.astype(int) % 1024]
        band = np.zeros_like(v)
        for at in (0.17, 0.205, 0.62, 0.655, 0.86):
            band += np.exp(-(((v - at) / 0.011) ** 2))
        green = smooth(0.55, 0.8, tex) * 0.6
        metal = light_colour(0.36, 0.22, 0.105) * ((0.45 + 0.75 * tex) * (1 + 0.5 * band))
        self.metal = 1.7 * (metal * (1 - green) + light_colour(0.12, 0.26, 0.21) * green)
        self.polish = (0.35 + 0.9 * tex) * (1 + band)


class Title:
    """The title card: still, dark, with a slow light over the letters."""

    def __init__(self, seed: int) -> None:
        random = np.random.default_rng([seed, 5])
        self.y, self.x = grid()
        self.texture = fractal(random, (HEIGHT, WIDTH), 300, 7, fall=0.6)
        shape = (HEIGHT, WIDTH)
        self.letters = self._cut(shape, "CASTING DAY", 286, 96, 6.2)
        self.under = self._cut(shape, "A FILM OF THE BELL FOUNDRY", 452, 19, 1.35, 0.62)
        rule = smooth(1, -0.4, np.abs(self.y - 420) - 0.8) * smooth(240, 120, np.abs(self.x - 640))
        self.under = np.maximum(self.under, rule)

    @staticmethod
    def _cut(
        shape: tuple[int, int], text: str, top: float, size: float, weight: float, gap: float = 0.32
    ) -> np.ndarray:
        left = (WIDTH - line_width(text, size, gap)) / 2
        field = distance_field(shape, text, left, top, size, weight + 3, gap)
        return smooth(0.9, -0.9, field - weight)

    def light(self, frame: int) -> Light:
        """The picture at a frame of the shot."""
        far = np.hypot((self.x - 640) / 1.6, self.y - 340)
        ground = (0.012 + 0.05 * np.exp(-((far / 260) ** 2))) * (0.7 + 0.6 * self.texture)
        scene = ground * light_colour(0.85, 0.62, 0.42)
        rise = float(np.clip((frame - 6) / 22, 0, 1))
        late = float(np.clip((frame - 24) / 20, 0, 1))
        sweep = np.exp(-(((self.x + 0.4 * self.y - 260 - frame * 17) / 130) ** 2))
        bronze = (0.42 + 0.2 * self.texture + 1.5 * sweep) * light_colour(1.0, 0.66, 0.34)
        mask = self.letters * rise * rise
        scene = scene * (1 - mask) + bronze * mask
        scene = scene + (self.under * late * 0.5) * light_colour(0.9, 0.8, 0.66)
        return bloom(scene, 22, 0.22)
