"""All that a program said, to read and copy."""

from PyQt6.QtGui import QFontDatabase, QGuiApplication
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QPlainTextEdit, QVBoxLayout, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.text import button, label


class LogWindow(QDialog):
    """Takes a heading and a text, and shows the text as it is."""

    def __init__(self, heading: str, text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("What the build said – Ovrik")
        self.resize(theme.scaled(860), theme.scaled(560))
        self.log = QPlainTextEdit(text)
        self.log.setReadOnly(True)
        self.log.setAccessibleName(heading)
        self.log.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.log.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        keys = QDialogButtonBox()
        self.copy = button("Copy all", self.copy_all, hint="Put the whole text on the clipboard")
        keys.addButton(self.copy, QDialogButtonBox.ButtonRole.ActionRole)
        keys.addButton(button("Close", self.close), QDialogButtonBox.ButtonRole.RejectRole)
        column = QVBoxLayout(self)
        column.addWidget(label(heading, "head", wrap=True))
        column.addWidget(self.log, 1)
        column.addWidget(keys)

    def copy_all(self) -> None:
        """The whole text to the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.log.toPlainText())
