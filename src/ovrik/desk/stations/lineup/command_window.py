"""The full command of the selected contender, to read and copy; it follows the form."""

from PyQt6.QtGui import QFontDatabase, QGuiApplication
from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label


class CommandWindow(QDialog):
    """Stands beside the form and changes with it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Full command – Ovrik")
        self.resize(theme.scaled(720), theme.scaled(420))
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName("Full command")
        self.text.setTabChangesFocus(True)
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        column = QVBoxLayout(self)
        copy = button("Copy command", self.copy, "main", "As text, for use elsewhere")
        column.addWidget(label("What is run with the settings in the form", "head"))
        column.addWidget(self.text, 1)
        column.addLayout(Flow(8).add(None, button("Close", self.close), copy))

    def copy(self) -> None:
        """The whole command to the clipboard."""
        board = QGuiApplication.clipboard()
        if board:
            board.setText(self.text.toPlainText())
