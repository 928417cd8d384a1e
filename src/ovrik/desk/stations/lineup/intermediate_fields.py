"""What a contender is pre-rendered into: the codec and whether it is passed through, the size, the pixel format."""

from collections.abc import Sequence

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout

from ovrik.desk.stations.lineup.recipe_fields import fill
from ovrik.errors import OvrikError
from ovrik.study.contender.as_table import parse_size
from ovrik.study.contender.passing import passes_into
from ovrik.study.encoder.intermediate import INTERMEDIATES, Intermediate, intermediate
from ovrik.study.encoder.recipe import Recipe

FULL_SIZE = "full size"


class IntermediateFields(QObject):
    """The fields, to be laid out by whoever shows them; `edited` whenever one of them is another."""

    edited = pyqtSignal()

    def __init__(self, parent: QObject, sizes: Sequence[str]) -> None:
        super().__init__(parent)
        self.codec, self.size, self.pixel_format = QComboBox(), QComboBox(), QComboBox()
        self.size.setEditable(True)
        self.size.addItems([FULL_SIZE, *sizes])
        self.size.setAccessibleName("Size of the intermediate")
        self.pixel_format.setAccessibleName("Pixel format of the intermediate")
        self.rendered_as = QHBoxLayout()
        self.rendered_as.addWidget(self.size)
        self.rendered_as.addWidget(self.pixel_format)
        self.codec.activated.connect(self._codec_chosen)
        self.pixel_format.activated.connect(self.edited)
        self.size.currentTextChanged.connect(self.edited)

    def show_made(self, made: Intermediate | None, r: Recipe) -> None:
        """Show an intermediate of a contender with this recipe."""
        self._offer(made, r)
        self.size.setCurrentText(f"{made.width}x{made.height}" if made and made.width else FULL_SIZE)
        self._offer_formats(made.pixel_format if made else "")

    def show_recipe(self, r: Recipe) -> None:
        """The recipe is another now: only what is coded as the delivery is can be passed through."""
        try:
            now = self.made()
        except OvrikError:
            now = None
        self._offer(now, r)

    def made(self) -> Intermediate | None:
        """What the fields say. Raises OvrikError."""
        codec, passed = self._chosen()
        if not codec:
            return None
        size = self.size.currentText().strip()
        width, height = (0, 0) if size in ("", FULL_SIZE) else parse_size(size)
        return intermediate(codec, width, height, self.pixel_format.currentData() or "", passed)

    def _chosen(self) -> tuple[str, bool]:
        return self.codec.currentData() or ("", False)

    def _offer(self, chosen: Intermediate | None, r: Recipe) -> None:
        able = passes_into(r)
        into = {("", False): "no, from the source", **{(k, False): f.title for k, f in INTERMEDIATES.items()}}
        into |= {(k, True): f"{INTERMEDIATES[k].title}, passed through" for k in able}
        passed = chosen is not None and chosen.passed and chosen.codec in able
        self.codec.clear()
        for key, title in into.items():
            self.codec.addItem(title, key)
        self.codec.setCurrentIndex(list(into).index((chosen.codec if chosen else "", passed)))

    def _offer_formats(self, chosen: str) -> None:
        facts = INTERMEDIATES.get(self._chosen()[0])
        formats = list(facts.pixel_formats) if facts else []
        fill(self.pixel_format, formats, chosen if chosen in formats else "".join(formats[:1]))
        for box in (self.size, self.pixel_format):
            box.setEnabled(facts is not None)

    def _codec_chosen(self) -> None:
        self._offer_formats("")
        self.edited.emit()
