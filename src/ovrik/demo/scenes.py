"""The five shots of "Casting Day". Each is a class: textures made once, then a picture a frame."""

import math

import numpy as np
from scipy import ndimage

from ovrik.demo.light import (
    HEIGHT,
    WIDTH,
    Light,
    bloom,
    fractal,
    grid,
    light_colour,
    power,
    slid,
    smooth,
    splat,
)
from ovrik.demo.strokes import distance_field
from ovrik.demo.tower import Bell, Title


class Pour:
    """Molten metal, sparks and smoke: fast and noisy."""

    SPARKS = 900
    MOUTH_X, MOUTH_Y, LIP_Y = 640.0, 545.0, 178.0

    def __init__(self, seed: int) -> None:
        random = np.random.default_rng([seed, 1])
        self.y, self.x = grid()
        self.wall = self._bricks(random)
        self.smoke = fractal(random, (1024, 2048), 420, 6, fall=0.62)
        self.fading = smooth(690, 150, self.y) * 0.85
        self.flow = fractal(random, (1024, 512), 60, 5, stretch=(0.35, 1.6), fall=0.7)
        self.solids = self._solids(self.MOUTH_X, self.MOUTH_Y, self.LIP_Y)
        self.rims = self._rims(self.MOUTH_X, self.MOUTH_Y, self.LIP_Y)
        far = np.hypot((self.x - self.MOUTH_X) / 1.15, self.y - self.MOUTH_Y + 60)
        self.glow = 1 / (1 + (far / 150) ** 2)
        hot, cold = light_colour(1.0, 0.42, 0.15), light_colour(0.35, 0.55, 0.9)
        clear = 1 - self.solids
        self.lit_wall = hot * (self.wall * 1.5 * self.glow * clear) + self.rims
        self.dim_wall = (hot * 0.03 + cold * 0.012) * (self.wall * clear)
        drop = smooth(self.LIP_Y, self.MOUTH_Y, self.y)
        self.sway = 5 * drop
        self.bend = -150 * np.exp(-np.maximum(self.y - self.LIP_Y, 0) / 46)
        self.thin = 17 - 6 * drop
        self.span = smooth(self.LIP_Y - 6, self.LIP_Y + 6, self.y) * (self.y < self.MOUTH_Y + 8)
        self.pool = np.exp(
            -((((self.x - self.MOUTH_X) / 122) ** 2 + ((self.y - self.MOUTH_Y - 6) / 15) ** 2) ** 2)
        )
        self.born = random.uniform(-30, 60, self.SPARKS)
        self.angle = random.normal(-np.pi / 2, 0.75, self.SPARKS)
        self.speed = random.gamma(4.0, 3.6, self.SPARKS)
        self.life = random.uniform(10, 42, self.SPARKS)
        self.heat = random.uniform(0.5, 1.6, self.SPARKS)

    def _bricks(self, random: np.random.Generator) -> np.ndarray:
        row = np.floor(self.y / 34)
        column = np.floor((self.x + 42 * (row % 2)) / 84)
        joint = np.minimum((self.y % 34), ((self.x + 42 * (row % 2)) % 84))
        tone = random.random((64, 64), dtype=np.float32)[row.astype(int) % 64, column.astype(int) % 64]
        rough = fractal(random, (HEIGHT, WIDTH), 40, 5)
        return (0.45 + 0.4 * tone) * (0.5 + 0.8 * rough) * (0.35 + 0.65 * smooth(0, 5, joint))

    def light(self, frame: int) -> Light:
        """The picture at a frame of the shot."""
        flicker = 1 + 0.12 * math.sin(frame * 1.9) + 0.08 * math.sin(frame * 3.3 + 1)
        column = self.MOUTH_X + self.sway * np.sin(self.y * 0.02 + frame * 0.55) + self.bend
        turbulence = slid(self.flow, frame * 23.0, 0)
        half = self.thin + 9 * (turbulence - 0.5)
        stream = smooth(4, -4, np.abs(self.x - column) - half) * self.span
        heat = stream * (1.4 + 1.7 * turbulence) + self.pool * (1.1 + 1.2 * turbulence.T[0, :1])
        scene = self.dim_wall + flicker * self.lit_wall
        scene += light_colour(7.5, 3.1, 0.75) * heat
        scene += light_colour(6.0, 2.9, 0.9) * self._sparks(frame, self.MOUTH_X, self.MOUTH_Y)
        return self._smoke(bloom(scene, 34, 0.5), frame, flicker * self.glow)

    def _ladle(self, lip_y: float) -> np.ndarray:
        """Signed distance, in pixels, from the tilted ladle's wall; below 0 inside it."""
        u = (self.x - 372) * 0.88 - (self.y - lip_y + 62) * 0.47
        v = (self.x - 372) * 0.47 + (self.y - lip_y + 62) * 0.88
        return np.maximum(np.abs(u) - (128 - 0.16 * v), np.abs(v) - 118)

    def _mould(self, mouth_x: float, mouth_y: float) -> np.ndarray:
        body = np.maximum(np.abs(self.x - mouth_x) - 255 - 0.25 * (self.y - mouth_y), mouth_y - self.y)
        return np.where(self.y > mouth_y, body, 40.0)

    def _solids(self, mouth_x: float, mouth_y: float, lip_y: float) -> np.ndarray:
        return np.maximum(smooth(2, -2, self._ladle(lip_y)), smooth(2, -2, self._mould(mouth_x, mouth_y)))

    def _rims(self, mouth_x: float, mouth_y: float, lip_y: float) -> Light:
        """Iron lit from the metal: bright along the edges that face it."""
        ladle, mould = self._ladle(lip_y), self._mould(mouth_x, mouth_y)
        facing = smooth(150, 640, self.x) * smooth(-60, 320, self.y)
        rim = np.exp(-((np.minimum(ladle, 0) / 26) ** 2)) * (ladle < 1) * (0.25 + facing)
        top = (
            np.exp(-(self.y - mouth_y) / 30)
            * smooth(2, -2, mould)
            * (1.2 * np.exp(-(((self.x - mouth_x) / 190) ** 2)) + 0.06)
        )
        rough = 0.6 + 0.8 * self.smoke[:HEIGHT, :WIDTH]
        body = 0.02 * rough * self.solids
        lit = 0.5 * rim * rough + 1.1 * top * rough + body
        return lit * light_colour(1.0, 0.4, 0.13)

    def _sparks(self, frame: int, mouth_x: float, mouth_y: float) -> np.ndarray:
        light = np.zeros((HEIGHT, WIDTH), np.float32)
        for step in range(7):
            age = frame + step / 7 - self.born
            alive = (age > 0) & (age < self.life)
            t, speed, angle = age[alive], self.speed[alive], self.angle[alive]
            x = mouth_x + 30 * np.cos(angle * 7) + speed * np.cos(angle) * t
            y = mouth_y - 4 + speed * np.sin(angle) * t + 0.21 * t * t
            strength = self.heat[alive] * (1 - t / self.life[alive]) ** 1.5
            splat(light, x, y, strength)
        return ndimage.gaussian_filter(light, 0.7) * 1.6

    def _smoke(self, scene: Light, frame: int, glow: np.ndarray) -> Light:
        a = slid(self.smoke, -frame * 3, frame)
        b = slid(self.smoke[::-1], -frame * 5, 300 - frame)
        veil = smooth(0.4, 0.75, 0.55 * a + 0.45 * b) * self.fading
        lit = light_colour(1.0, 0.5, 0.24) * (0.02 + 0.75 * glow) + light_colour(0.008, 0.011, 0.016)
        lit -= scene
        lit *= veil
        scene += lit
        return scene


class Inscription:
    """A slow move over letters cut into bronze: fine detail everywhere."""

    LINES = (
        "ANNO SANCTI IOHANNIS . VIVOS VOCO",
        "MORTUOS LUGEO . FULGURA FRANGO .",
        "BENEDICTA SIT HAEC CAMANA",
    )

    def __init__(self, seed: int) -> None:
        random = np.random.default_rng([seed, 2])
        shape = (HEIGHT + 120, WIDTH + 420)
        height = np.zeros(shape, np.float32)
        for row, text in enumerate(self.LINES):
            usable = "".join(c for c in text if c in "ABCDEFGHILMNORSTUVY .")
            field = distance_field(shape, usable, 40 - 60 * row, 96 + 224 * row, 132, 15, 0.26)
            height -= 1.15 * np.maximum(12 - field, 0)
        y, _ = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
        for ridge in (52.0, 276.0, 500.0, 724.0):
            height += 9 * np.exp(-(((y - ridge) / 6) ** 2))
        self.pits = fractal(random, shape, 46, 6, fall=0.72)
        scratches = fractal(random, shape, 90, 6, stretch=(9.0, 0.5), fall=0.8)
        height += 5.5 * self.pits + 2.6 * scratches
        self.patina = smooth(0.45, 0.72, fractal(random, shape, 260, 6)) * smooth(0.2, 0.6, self.pits)
        self.height = height
        self.shape = shape

    def light(self, frame: int) -> Light:
        """The picture at a frame of the shot."""
        dx, dy = 30 + frame * 3.1, 20 + frame * 0.9

        def view(texture: np.ndarray) -> np.ndarray:
            y, x = int(dy), int(dx)
            fy, fx = dy - y, dx - x
            part = texture[y : y + HEIGHT + 1, x : x + WIDTH + 1]
            across = part[:, :-1] * (1 - fx) + part[:, 1:] * fx
            return across[:-1] * (1 - fy) + across[1:] * fy

        height, patina = view(self.height), view(self.patina)
        gy, gx = np.gradient(height)
        y, x = grid()
        lamp_x, lamp_y = 250 + frame * 13.0, 150 + 60 * math.sin(frame * 0.05)
        lx, ly, lz = lamp_x - x, lamp_y - y, np.float32(330)
        length = np.sqrt(lx * lx + ly * ly + lz * lz)
        slope = np.sqrt(1 + gx * gx + gy * gy)
        facing = np.maximum((-gx * lx - gy * ly + lz) / (length * slope), 0)
        half_z = (lz / length + 1) / np.sqrt(2 + 2 * lz / length)
        gloss = power(np.clip(facing * half_z + 0.18 * facing, 0, 1), 5)
        reach = 1 / (1 + (length / 620) ** 2) * 2.1
        shade = 0.55 + 0.45 * smooth(-12, 2, height)
        base = light_colour(0.30, 0.165, 0.07) * (1 - patina) + light_colour(0.075, 0.19, 0.15) * patina
        lit = (reach * facing * shade) * base * 1.7 + base * 0.05
        return lit + (gloss * reach * (1 - 0.75 * patina) * 0.8) * light_colour(1.0, 0.82, 0.55)


class Dusk:
    """Sky over the yard after sunset: a smooth gradient under film grain."""

    def __init__(self, seed: int) -> None:
        random = np.random.default_rng([seed, 3])
        self.y, self.x = grid()
        self.cloud = fractal(random, (512, 2560), 560, 6, stretch=(3.6, 1.0))
        self.smoke = fractal(random, (512, 1024), 120, 5)
        self.stars = (random.uniform(0, WIDTH, 70), random.uniform(0, 300, 70), random.gamma(1.2, 0.35, 70))
        self.roofs = self._roofs()
        low = np.clip((self.y - 40) / 600, 0, 1)
        self.sun = np.exp(-(((self.x - 830) / 620) ** 2)) * smooth(120, 640, self.y)
        night, rose, ember = (
            light_colour(0.014, 0.03, 0.085),
            light_colour(0.2, 0.1, 0.13),
            light_colour(1.25, 0.42, 0.1),
        )
        self.sky = night * (1 - low) + rose * low**1.6 + ember * self.sun**1.7

    def _roofs(self) -> np.ndarray:
        """1 where the yard stands dark against the sky."""
        y, x = self.y, self.x
        line = np.full_like(x, 640.0)
        for left, right, eaves, ridge in (
            (-80, 300, 560, 470),
            (300, 520, 600, 548),
            (690, 1010, 575, 430),
            (1010, 1400, 590, 520),
        ):
            middle = (left + right) / 2
            roof = ridge + (eaves - ridge) * np.abs(x - middle) / ((right - left) / 2)
            line = np.where((x > left) & (x < right), np.minimum(line, roof), line)
        dark = smooth(-1, 1, y - line)
        tapered = 26 - (640 - y) * 0.018
        dark = np.maximum(dark, smooth(1, -1, np.abs(x - 588) - tapered) * (y > 210))
        dark = np.maximum(dark, smooth(1, -1, np.abs(x - 588) - 30) * (np.abs(y - 222) < 9))
        for mast in (1080.0, 1240.0):
            dark = np.maximum(dark, smooth(1, -1, np.abs(x - mast) - 4) * (y > 330))
        dark = np.maximum(dark, smooth(1, -1, np.abs(y - 338) - 5) * (x > 1040) * (x < 1275))
        brace = np.abs((x - 1040) % 40 - np.abs((y - 338) * 1.6 % 80 - 40))
        dark = np.maximum(dark, smooth(2, 0, brace) * (np.abs(y - 352) < 14) * (x > 1040) * (x < 1275))
        return np.maximum(dark, smooth(0.8, -0.8, np.abs(x - 1160) - 1.2) * (y > 350) * (y < 460))

    def light(self, frame: int) -> Light:
        """The picture at a frame of the shot."""
        sun = self.sun
        cloud = smooth(0.5, 0.95, slid(self.cloud, 0, frame * 0.55)) * smooth(620, 250, self.y)
        warm = light_colour(0.5, 0.2, 0.16) * sun + light_colour(0.035, 0.04, 0.075)
        sky = self.sky * (1 - 0.5 * cloud) + warm * (0.75 * cloud)
        points = np.zeros((HEIGHT, WIDTH), np.float32)
        twinkle = self.stars[2] * (1 + 0.3 * np.sin(frame * 0.4 + self.stars[0]))
        splat(points, self.stars[0], self.stars[1], twinkle)
        sky += (ndimage.gaussian_filter(points, 0.8) * 0.9 * (1 - cloud)) * light_colour(0.9, 0.95, 1)
        sky = self._chimney_smoke(sky, frame, sun)
        scene = sky * (1 - self.roofs) + self.roofs * light_colour(0.004, 0.0045, 0.006)
        return bloom(self._windows(scene, frame), 26, 0.28)

    def _chimney_smoke(self, sky: Light, frame: int, sun: np.ndarray) -> Light:
        part = (slice(0, 214), slice(480, 980))
        x, y = self.x[part], self.y[part]
        rise = np.maximum(212 - y, 0)
        drift = 588 + rise * 0.75 + 14 * np.sin(rise * 0.03 - frame * 0.12)
        body = np.exp(-(((x - drift) / (12 + rise * 0.22)) ** 2))
        texture = slid(self.smoke, -frame * 2.6, frame * 1.9)[part]
        veil = np.clip(body * smooth(0.2, 0.8, texture) * np.exp(-rise / 170) * 0.9, 0, 1)
        tone = light_colour(0.05, 0.045, 0.06) + light_colour(0.3, 0.13, 0.08) * sun[part]
        place = (slice(None), *part)
        sky[place] = sky[place] * (1 - veil) + tone * veil
        return sky

    def _windows(self, scene: Light, frame: int) -> Light:
        glow = 1 + 0.1 * math.sin(frame * 0.9) + 0.06 * math.sin(frame * 2.3)
        for left, top, w, h, strength in (
            (110, 590, 34, 46, 1.0),
            (160, 590, 34, 46, 0.9),
            (800, 585, 96, 70, 1.7),
            (1120, 612, 26, 34, 0.5),
        ):
            pane = scene[:, top : top + h, left : left + w]
            bars = np.ones((h, w), np.float32)
            bars[h // 2 - 1 : h // 2 + 1] = 0.12
            bars[:, w // 2 - 1 : w // 2 + 1] = 0.12
            pane += bars * light_colour(2.6, 1.15, 0.32) * strength * glow
        return scene


SCENES = (Pour, Inscription, Dusk, Bell, Title)
GRAIN = (0.006, 0.004, 0.011, 0.005, 0.003)
"""Spread of the film grain of each shot, as a share of the signal's range."""
