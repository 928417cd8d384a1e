"""The settings of one contender, offered from the encoder's default facts."""

from collections.abc import Callable
from dataclasses import replace
from typing import TypeVar

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut, QStandardItemModel
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.lineup.intermediate_fields import IntermediateFields
from ovrik.desk.stations.lineup.recipe_fields import Field, fields_in_a_column, fill, line, number_box
from ovrik.desk.widgets.pages import Pages
from ovrik.desk.widgets.text import label
from ovrik.errors import OvrikError
from ovrik.machine.devices.paths import DECODING
from ovrik.study.contender.as_table import parse_rate, parse_size
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.follow_source import allowed_formats, following
from ovrik.study.contender.grid import parse_raw
from ovrik.study.encoder.containers import CONTAINERS
from ovrik.study.encoder.encoder_limits import PROFILE_CHROMA
from ovrik.study.encoder.encoders import ENCODERS, OUTSIDE
from ovrik.study.encoder.recipe import FOLLOWS, Recipe, faults, parse_bit_rate, recipe
from ovrik.study.programme.methods import Methods, choices, methods
from ovrik.study.programme.treatment_kinds import PLACE_TITLES, PLACES, SOFTWARE

FormValue = TypeVar("FormValue")
SIZES = ("3840x2160", "1920x1080", "1280x720", "960x540", "640x360")
RATES = ("24", "25", "30", "50", "60")
PROGRAMMES_SIZE = "programme's"
GROUPS = (
    ("Settings", "Build, encoder and what most vary"),
    ("Further", "Tune, GOP, size and the rest of the recipe"),
    ("How it runs", "Acceleration, threads, and what is rendered before"),
)
TAKEN = "CGM"
"""Letters that mean something else in this station with Alt."""


class RecipeForm(QWidget):
    """Fields for label, build, acceleration and recipe; `edited` whenever one of them is another."""

    edited = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._shown: Contender | None = None
        self.name, self.bit_rate = QLineEdit(), line("8M")
        self.build, self.encoder, self.preset = QComboBox(), QComboBox(), QComboBox()
        self.mode, self.pixel_format = QComboBox(), QComboBox()
        self.container, self.sound = QComboBox(), QComboBox()
        self.quality = QDoubleSpinBox()
        self.quality.setDecimals(1)
        self.quality.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.encoder.addItems([f"{e.codec_title} ({e.name})" for e in ENCODERS.values()])
        items = self.encoder.model()
        assert isinstance(items, QStandardItemModel)
        # What another program exports is added under Timing; nothing driven from here can be made into it.
        outside = items.item(list(ENCODERS).index(OUTSIDE))
        assert outside is not None
        outside.setEnabled(False)
        self.preset_name = label("Preset", "soft")
        self.tune, self.profile = QComboBox(), QComboBox()
        self.decode, self.treat = QComboBox(), QComboBox()
        self.into = IntermediateFields(self, SIZES)
        self.frame_size, self.rate = QComboBox(), QComboBox()
        self.gop = number_box("encoder's default", 0, 1000)
        self.b_frames = number_box("encoder's default", -1, 16)
        self.threads = number_box("encoder's default", 0, 256)
        self.sound_rate, self.raw = line("usual"), line("name=value name=value")
        self.methods = line("resize=lanczos upscale=bicubic")
        self.methods.setToolTip(f"How treatments are done; as in the programme where left out: {_ways()}")
        self._lay_out()
        self._connect()
        self.setFocusProxy(self.encoder)

    def _lay_out(self) -> None:
        rate = QHBoxLayout()
        rate.setSpacing(4)
        rate.addWidget(self.mode, 2)
        rate.addWidget(self.quality, 1)
        rate.addWidget(self.bit_rate, 1)
        groups: tuple[tuple[Field, ...], ...] = (
            (
                ("Label", self.name),
                ("Build", self.build),
                ("Encoder", self.encoder),
                (self.preset_name, self.preset),
                ("Rate control", rate),
                ("Pixel format", self.pixel_format),
                ("Container", self.container),
                ("Audio", self.sound),
            ),
            (
                ("Tune", self.tune),
                ("Profile", self.profile),
                ("GOP", self.gop),
                ("B-frames", self.b_frames),
                ("Size", self.frame_size),
                ("Frame rate", self.rate),
                ("Audio bit rate", self.sound_rate),
                ("Raw options", self.raw),
            ),
            (
                ("Decoding", self.decode),
                ("Treatments", self.treat),
                ("Methods", self.methods),
                ("Threads", self.threads),
                ("Pre-rendered", self.into.codec),
                ("Rendered as", self.into.rendered_as),
            ),
        )
        self.pages = Pages(
            [
                (title, fields_in_a_column(*fields), hint)
                for (title, hint), fields in zip(GROUPS, groups, strict=True)
            ],
            taken=TAKEN,
        )
        QShortcut(QKeySequence("Alt+M"), self).activated.connect(self._turn)
        for box in self.findChildren(QComboBox):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.pages, 1)
        self.mode.setAccessibleName("Rate control")
        self.quality.setAccessibleName("Quality value")
        self.bit_rate.setAccessibleName("Bit rate")

    def _turn(self) -> None:
        self.pages.turn_to((self.pages.number + 1) % len(GROUPS))

    def _connect(self) -> None:
        for edit in (self.name, self.bit_rate, self.sound_rate, self.raw, self.methods):
            edit.textEdited.connect(self._report)
        self.quality.valueChanged.connect(self._report)
        for spin in (self.gop, self.b_frames, self.threads):
            spin.valueChanged.connect(self._report)
        self.encoder.activated.connect(self._encoder_chosen)
        self.preset.activated.connect(self._preset_chosen)
        self.container.activated.connect(self._container_chosen)
        self.mode.activated.connect(self._mode_chosen)
        for box in (
            self.build,
            self.pixel_format,
            self.sound,
            self.tune,
            self.profile,
            self.decode,
            self.treat,
        ):
            box.activated.connect(self._report)
        self.into.edited.connect(self._report)
        for box in (self.frame_size, self.rate):
            box.setEditable(True)
            box.currentTextChanged.connect(self._report)

    # Showing

    def show_contender(self, c: Contender) -> None:
        """Show a contender's settings."""
        self._shown = c
        self.blockSignals(True)
        self.name.setText(c.label)
        fill(self.build, [*dict.fromkeys(["bundled", "system", *self.model.builds, c.build])], c.build)
        for key in ("bundled", "system"):
            made = self.model.builds.get(key)
            if made:
                self.build.setItemText(
                    self.build.findData(key), made.short if not made.problem else f"{key}: not here"
                )
        self.encoder.setCurrentIndex(list(ENCODERS).index(c.recipe.encoder))
        self._offer(c.recipe)
        self._offer_places(c)
        self.blockSignals(False)

    def _offer_places(self, c: Contender) -> None:
        decoding = {SOFTWARE: "software", **DECODING}
        fill(self.decode, list(decoding), c.decode, decoding)
        fill(self.treat, list(PLACES), c.treat, PLACE_TITLES)
        self.methods.setText(" ".join(f"{k}={v.replace(' ', '_')}" for k, v in c.methods))
        self.into.show_made(c.prerendered, c.recipe)

    def _offer(self, made: Recipe) -> None:
        """Fill the fields that depend on the encoder."""
        facts = made.facts
        self.preset_name.setText(facts.preset_name.capitalize())
        fill(self.preset, list(facts.presets), made.preset)
        fill(self.mode, [name for name, _a in facts.controls], made.rate_control)
        scale = facts.quality
        self.quality.blockSignals(True)
        self.quality.setRange(scale.low, scale.high)
        value = made.quality if made.quality is not None else scale.default or scale.low
        self.quality.setValue(value)
        better = "lower" if scale.best_low else "higher"
        self.quality.setToolTip(f"{scale.name} {scale.low} to {scale.high}; {better} is better quality")
        self.quality.blockSignals(False)
        self.bit_rate.setText(f"{made.bit_rate / 1e6:g}M" if made.bit_rate else "8M")
        tied = PROFILE_CHROMA.get((made.encoder, made.preset), facts.pixel_formats)
        fill(self.pixel_format, list(tied), made.pixel_format)
        fill(self.container, list(facts.containers), made.container)
        if made.container not in facts.containers:
            self.container.addItem(made.container, made.container)
            self.container.setCurrentIndex(self.container.count() - 1)
        holds = CONTAINERS[made.container].sounds if made.container in CONTAINERS else ()
        fill(self.sound, [*holds, "none"], made.sound)
        self._offer_more(made)
        self._show_mode()

    def _offer_more(self, made: Recipe) -> None:
        facts = made.facts
        fill(self.tune, ["", *facts.tunes], made.tune, {"": "none"})
        fill(self.profile, ["", *facts.profiles], made.profile, {"": "encoder's default"})
        for spin, value, usable in (
            (self.gop, made.gop, facts.takes_gop),
            (self.b_frames, made.b_frames, facts.most_b_frames > 0),
            (self.threads, made.threads, True),
        ):
            spin.blockSignals(True)
            spin.setValue(value)
            spin.setEnabled(usable)
            spin.blockSignals(False)
        for box, offered, now in (
            (self.frame_size, SIZES, f"{made.width}x{made.height}" if made.width else ""),
            (self.rate, RATES, made.rate),
        ):
            box.blockSignals(True)
            box.clear()
            box.addItems([PROGRAMMES_SIZE, *offered])
            box.setCurrentText(now or PROGRAMMES_SIZE)
            box.blockSignals(False)
        self.sound_rate.setText(f"{made.sound_bit_rate / 1000:g}k" if made.sound_bit_rate else "")
        self.raw.setText(" ".join(f"{k}={v}" for k, v in made.raw))

    def _show_mode(self) -> None:
        words = dict(ENCODERS[self._encoder_name()].controls).get(self.mode.currentData(), ())
        self.quality.setVisible("{quality}" in words)
        self.bit_rate.setVisible("{rate}" in words)

    def _encoder_chosen(self) -> None:
        made, now = recipe(self._encoder_name(), pixel_format=FOLLOWS), self.pixel_format.currentData()
        if now in allowed_formats(made):
            made = replace(made, pixel_format=now)  # no second thing changes with the encoder
        made = following(Contender("bundled", made), self.model.evidence.programme).recipe
        self._offer(made)
        self.into.show_recipe(made)
        self._report()

    def _preset_chosen(self) -> None:
        made = self._recipe()
        tied = PROFILE_CHROMA.get((made.encoder, made.preset), made.facts.pixel_formats)
        fill(self.pixel_format, list(tied), made.pixel_format)
        self.into.show_recipe(made)
        self._report()

    def _container_chosen(self) -> None:
        made = self._recipe()
        holds = CONTAINERS[made.container].sounds
        fill(self.sound, [*holds, "none"], made.sound if made.sound in holds else holds[0])
        self._report()

    def _mode_chosen(self) -> None:
        self._show_mode()
        self._report()

    def _report(self) -> None:
        self.edited.emit()

    # Reading

    def _encoder_name(self) -> str:
        return list(ENCODERS)[self.encoder.currentIndex()]

    def _recipe(self) -> Recipe:
        return self._read()[0]

    def _read(self) -> tuple[Recipe, list[str]]:
        """The recipe as the fields have it, and what in them can't be read."""
        wrong: list[str] = []
        name, control = self._encoder_name(), self.mode.currentData()
        words = dict(ENCODERS[name].controls).get(control, ())
        bare = Recipe(
            encoder=name,
            preset=self.preset.currentData(),
            quality=self.quality.value() if "{quality}" in words else None,
            bit_rate=None,
            pixel_format=self.pixel_format.currentData(),
            container=self.container.currentData(),
            sound=self.sound.currentData(),
        )
        rate = 0
        if "{rate}" in words:
            try:
                rate = parse_bit_rate(self.bit_rate.text())
            except OvrikError as exc:
                wrong.append(f'{exc.problem}; write it like "8M"')
        made = replace(bare, bit_rate=rate if "{rate}" in words else None)
        if made.rate_control != control:
            made = replace(made, control=control)
        more = {
            "tune": self.tune.currentData(),
            "profile": self.profile.currentData(),
            "gop": self.gop.value(),
            "b_frames": self.b_frames.value(),
            "threads": self.threads.value(),
        }
        for box, read in (
            (self.frame_size, lambda t: dict(zip(("width", "height"), parse_size(t), strict=True))),
            (self.rate, lambda t: {"rate": parse_rate(t)}),
        ):
            text = box.currentText().strip()
            if text and text != PROGRAMMES_SIZE:
                try:
                    more |= read(text)
                except OvrikError as exc:
                    wrong.append(str(exc))
        try:
            more["sound_bit_rate"] = (
                parse_bit_rate(self.sound_rate.text()) if self.sound_rate.text().strip() else 0
            )
            more["raw"] = tuple(parse_raw(self.raw.text()).items())
        except OvrikError as exc:
            wrong.append(str(exc))
        return replace(made, **more), wrong

    def _methods(self) -> Methods:
        words = [w.partition("=") for w in self.methods.text().split()]
        return methods({kind: way.replace("_", " ") for kind, _is, way in words})

    def faults(self) -> list[str]:
        """What is wrong with the fields as they stand."""
        made, found = self._read()
        if not found:
            found = faults(made)
        try:
            self._methods()
            self.into.made()
        except OvrikError as exc:
            found = [*found, f"{exc.problem}: {exc.remedy[:1].lower()}{exc.remedy[1:]}"]
        name = self.name.text().strip()
        others = [
            s.contender.label
            for s in self.model.evidence.summaries
            if self._shown and s.contender.contender_id != self._shown.contender_id
        ]
        if name in others:
            found.append(f'another contender is already labelled "{name}"')
        return found

    def contender(self) -> Contender:
        """The contender as the fields have it, what is no setting left as it was (see `faults`); an emptied label is
        made anew from what differs."""
        assert self._shown is not None
        name = self.name.text().strip()
        given = self._shown.label_given if name == self._shown.label else bool(name)
        made, old = self._recipe(), self._shown.recipe
        # The control was not written while the numbers implied it: that is still the same recipe.
        if replace(made, control=old.control) == old and made.rate_control == old.rate_control:
            made = old
        return replace(
            self._shown,
            build=self.build.currentData(),
            recipe=made,
            decode=self.decode.currentData(),
            treat=self.treat.currentData(),
            prerendered=_if_sound(self.into.made, self._shown.prerendered),
            methods=_if_sound(self._methods, self._shown.methods),
            label=name or self._shown.label,
            label_given=given,
        )


def _if_sound(read: Callable[[], FormValue], otherwise: FormValue) -> FormValue:
    try:
        return read()
    except OvrikError:
        return otherwise


def _ways() -> str:
    """Every kind with its methods, as they are written."""
    return "; ".join(
        f"{kind}={'|'.join(w.replace(' ', '_') for w in found)}" for kind, found in choices().items()
    )
