"""What is shown when no study is open."""

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.text import button, label, sheet

SHOWN = 5


class Welcome(QWidget):
    """Four ways to begin."""

    def __init__(
        self,
        clip: Callable[[], None],
        plan: Callable[[], None],
        study: Callable[[], None],
        demo: Callable[[], None],
        lately: Sequence[Path] = (),
        open_path: Callable[[Path], None] = lambda _path: None,
    ) -> None:
        super().__init__()
        frame, inner = sheet(28, 10)
        frame.setFixedWidth(theme.scaled(520))
        inner.addWidget(label("Which is the fastest export that is good enough?", "title", wrap=True))
        about = (
            "Ovrik times the same export under every encoder and setting you choose, "
            "checks what came out, and names the fastest acceptable one."
        )
        inner.addWidget(label(about, "soft", wrap=True))
        inner.addSpacing(8)
        for text, act, role in (
            ("New study from a clip…", clip, "main"),
            ("New study from a plan…", plan, ""),
            ("Open study…", study, ""),
            ("Open the demo study", demo, ""),
        ):
            inner.addWidget(button(text, act, role))
        if lately:
            inner.addSpacing(6)
            inner.addWidget(label("Opened lately", "head"))
        for path in lately[:SHOWN]:
            made = button(path.name.replace("&", "&&"), partial(open_path, path), "link", str(path))
            made.setAccessibleName(path.name)
            inner.addWidget(made)
        column = QVBoxLayout(self)
        column.addWidget(frame, 0, Qt.AlignmentFlag.AlignCenter)
