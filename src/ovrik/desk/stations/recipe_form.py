"""The settings of one contender, offered from the encoder's own facts."""

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QWidget,
)

from ovrik.desk.model import DeskModel
from ovrik.desk.widgets.text import label
from ovrik.errors import OvrikError
from ovrik.study.contender import Contender
from ovrik.study.encoders import CONTAINERS, ENCODERS, PROFILE_CHROMA
from ovrik.study.recipe import Recipe, faults, parse_bit_rate, recipe

MODES = ("constant quality", "bit rate", "profile's rate")


class RecipeForm(QWidget):
    """Fields for label, build and recipe; `edited` whenever one of them is another."""

    edited = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._shown: Contender | None = None
        self.name = QLineEdit()
        self.build, self.encoder, self.preset = QComboBox(), QComboBox(), QComboBox()
        self.mode, self.pixel_format = QComboBox(), QComboBox()
        self.container, self.sound = QComboBox(), QComboBox()
        self.quality, self.bit_rate = QDoubleSpinBox(), QLineEdit()
        self.quality.setDecimals(1)
        self.quality.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.bit_rate.setPlaceholderText("8M")
        self.encoder.addItems([f"{e.codec_title} ({e.name})" for e in ENCODERS.values()])
        self.preset_name = label("Preset", "soft")
        self._lay_out()
        self.name.textEdited.connect(self._tell)
        self.bit_rate.textEdited.connect(self._tell)
        self.quality.valueChanged.connect(self._tell)
        self.encoder.activated.connect(self._encoder_chosen)
        self.preset.activated.connect(self._preset_chosen)
        self.container.activated.connect(self._container_chosen)
        self.mode.activated.connect(self._mode_chosen)
        for box in (self.build, self.pixel_format, self.sound):
            box.activated.connect(self._tell)
        self.setFocusProxy(self.encoder)

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(8)
        rate = QHBoxLayout()
        rate.addWidget(self.mode, 2)
        rate.addWidget(self.quality, 1)
        rate.addWidget(self.bit_rate, 1)
        rows: tuple[tuple[tuple[str | QLabel, QWidget | QHBoxLayout], ...], ...] = (
            (("Label", self.name), ("Build", self.build)),
                (("Encoder", self.encoder), (self.preset_name, self.preset)),
                (("Rate control", rate), ("Pixel format", self.pixel_format)),
                (("Container", self.container), ("Sound", self.sound)),
        )  # fmt: skip
        for r, pair in enumerate(rows):
            for c, (title, field) in enumerate(pair):
                named = label(title, "soft") if isinstance(title, str) else title
                grid.addWidget(named, r, 2 * c)
                if isinstance(field, QHBoxLayout):
                    grid.addLayout(field, r, 2 * c + 1)
                else:
                    field.setAccessibleName(named.text())
                    field.setMinimumWidth(120)
                    grid.addWidget(field, r, 2 * c + 1)
        self.mode.setAccessibleName("Rate control")
        self.quality.setAccessibleName("Quality value")
        self.bit_rate.setAccessibleName("Bit rate")
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(3, 2)
        grid.setRowStretch(len(rows), 1)

    def show_contender(self, c: Contender) -> None:
        """Show a contender's settings."""
        self._shown = c
        self.blockSignals(True)
        self.name.setText(c.label)
        self._fill(self.build, [*dict.fromkeys(["bundled", "system", *self.model.builds, c.build])], c.build)
        for key in ("bundled", "system"):
            made = self.model.builds.get(key)
            if made:
                self.build.setItemText(self.build.findData(key), made.short if not made.problem
                                       else f"{key}: not here")  # fmt: skip
        self.encoder.setCurrentIndex(list(ENCODERS).index(c.recipe.encoder))
        self._offer(c.recipe)
        self.blockSignals(False)

    @staticmethod
    def _fill(box: QComboBox, values: list[str], chosen: str) -> None:
        box.clear()
        for value in values:
            box.addItem(value, value)
        box.setCurrentIndex(max(0, box.findData(chosen)))

    def _offer(self, made: Recipe) -> None:
        """Fill the fields that depend on the encoder."""
        facts = made.facts
        self.preset_name.setText(facts.preset_name.capitalize())
        self._fill(self.preset, list(facts.presets), made.preset)
        modes = list(MODES) if facts.quality.default is None else list(MODES[:2])
        mode = 0 if made.quality is not None else 1 if made.bit_rate is not None else 2
        self._fill(self.mode, modes, MODES[mode])
        self.mode.setItemText(0, facts.quality.name)
        scale = facts.quality
        self.quality.blockSignals(True)
        self.quality.setRange(scale.low, scale.high)
        value = made.quality if made.quality is not None else scale.default or scale.low
        self.quality.setValue(value)
        better = "lower" if scale.best_low else "higher"
        self.quality.setToolTip(f"{scale.low} to {scale.high}; {better} is a better picture")
        self.quality.blockSignals(False)
        self.bit_rate.setText(f"{made.bit_rate / 1e6:g}M" if made.bit_rate else "8M")
        tied = PROFILE_CHROMA.get((made.encoder, made.preset), facts.pixel_formats)
        self._fill(self.pixel_format, list(tied), made.pixel_format)
        self._fill(self.container, list(facts.containers), made.container)
        if made.container not in facts.containers:
            self.container.addItem(made.container, made.container)
            self.container.setCurrentIndex(self.container.count() - 1)
        holds = CONTAINERS[made.container].sounds if made.container in CONTAINERS else ()
        self._fill(self.sound, [*holds, "none"], made.sound)
        self._show_mode()

    def _show_mode(self) -> None:
        mode = self.mode.currentData()
        self.quality.setVisible(mode == MODES[0])
        self.bit_rate.setVisible(mode == MODES[1])

    def _encoder_chosen(self) -> None:
        self._offer(recipe(self._encoder_name()))
        self._tell()

    def _preset_chosen(self) -> None:
        made = self._recipe()
        tied = PROFILE_CHROMA.get((made.encoder, made.preset), made.facts.pixel_formats)
        self._fill(self.pixel_format, list(tied), made.pixel_format)
        self._tell()

    def _container_chosen(self) -> None:
        made = self._recipe()
        self._offer(recipe(made.encoder, made.preset, made.quality, made.bit_rate,
                           made.pixel_format, made.container))  # fmt: skip
        self._tell()

    def _mode_chosen(self) -> None:
        self._show_mode()
        self._tell()

    def _tell(self) -> None:
        self.edited.emit()

    def _encoder_name(self) -> str:
        return list(ENCODERS)[self.encoder.currentIndex()]

    def _recipe(self) -> Recipe:
        mode = self.mode.currentData()
        quality = self.quality.value() if mode == MODES[0] else None
        try:
            rate = parse_bit_rate(self.bit_rate.text()) if mode == MODES[1] else None
        except OvrikError:
            rate = 0
        return Recipe(self._encoder_name(), self.preset.currentData(), quality, rate,
                      self.pixel_format.currentData(), self.container.currentData(),
                      self.sound.currentData())  # fmt: skip

    def faults(self) -> list[str]:
        """What is wrong with the fields as they stand."""
        found = faults(self._recipe())
        if self._recipe().bit_rate == 0:
            found.append(f'"{self.bit_rate.text()}" is not a bit rate; write it like "8M"')
        name = self.name.text().strip()
        others = [s.contender.label for s in self.model.evidence.summaries
                  if self._shown and s.contender.id != self._shown.id]  # fmt: skip
        if name in others:
            found.append(f'another contender is labelled "{name}" already')
        return found

    def contender(self) -> Contender:
        """The contender as the fields have it; an emptied label is made anew from what differs."""
        assert self._shown is not None
        name = self.name.text().strip()
        given = self._shown.label_given if name == self._shown.label else bool(name)
        made = self._recipe()
        if self._shown.recipe.quality is not None and made.quality == self._shown.recipe.quality:
            made = replace(made, quality=self._shown.recipe.quality)
        return replace(self._shown, build=self.build.currentData(), recipe=made,
                       label=name or self._shown.label, label_given=given)  # fmt: skip
