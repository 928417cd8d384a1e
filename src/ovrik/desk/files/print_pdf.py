"""The report as a PDF, printed by Qt."""

from pathlib import Path

from PyQt6.QtCore import QByteArray, QMarginsF, QRectF, QSizeF, Qt, QUrl
from PyQt6.QtGui import QFont, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument
from PyQt6.QtSvg import QSvgRenderer

from ovrik import __version__
from ovrik.desk.style import theme
from ovrik.errors import OvrikError
from ovrik.report.forms.as_html import PRINTED, machines_of, picture_of, report_html
from ovrik.report.forms.export import WholeStudy
from ovrik.report.forms.svg import with_style
from ovrik.study.files.whole_file import made_beside

DOTS, MARGIN_MM, FOOT_MM = 300, 16.0, 8.0
PICTURE_PX = 640


def print_report(w: WholeStudy, path: Path) -> int:
    """Write the report as pages of A4; gives how many. What can't be written leaves what was there. Raises
    OvrikError."""
    if path.is_dir():
        raise OvrikError(f"{path} is a folder", "Name a file")
    try:
        with made_beside(path) as making:
            return _print(w, making)
    except OSError as exc:
        raise OvrikError(
            f"{path} can't be written ({exc.strerror})", "Check the folder and free space, or choose another"
        ) from None


def _print(w: WholeStudy, path: Path) -> int:
    theme.load_typeface()
    writer = QPdfWriter(str(path))
    writer.setResolution(DOTS)
    writer.setTitle(w.evidence.facts.title)
    writer.setCreator(f"Ovrik {__version__}")
    margins = QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM)
    layout = QPageLayout(
        QPageSize(QPageSize.PageSizeId.A4),
        QPageLayout.Orientation.Portrait,
        margins,
        QPageLayout.Unit.Millimeter,
    )
    writer.setPageLayout(layout)
    document = _document(w, writer)
    room = QRectF(writer.pageLayout().paintRectPixels(DOTS))
    foot = FOOT_MM / 25.4 * DOTS
    document.setPageSize(QSizeF(room.width(), room.height() - foot))
    painter = QPainter(writer)
    if not painter.isActive():
        raise OvrikError(f"{path} can't be written", "Check the folder and free space")
    pages = document.pageCount()
    for page in range(pages):
        if page:
            writer.newPage()
        painter.save()
        painter.translate(0, -page * document.pageSize().height())
        document.drawContents(
            painter,
            QRectF(0, page * document.pageSize().height(), room.width(), document.pageSize().height()),
        )
        painter.restore()
        painter.setFont(QFont(theme.FAMILY, 8))
        line = QRectF(0, room.height() - foot / 2, room.width(), foot / 2)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, w.evidence.facts.title[:90])
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, f"{page + 1} of {pages}")
    painter.end()
    return pages


def _document(w: WholeStudy, writer: QPdfWriter) -> QTextDocument:
    document = QTextDocument()
    document.setDefaultFont(QFont(theme.FAMILY, 9))
    document.documentLayout().setPaintDevice(writer)  # type: ignore[union-attr]
    document.setDocumentMargin(0)
    text = report_html(
        w.evidence, w.kinds, machines_of(w.study, w.evidence), w.private, w.moments, w.sittings, page=PRINTED
    )
    for number, moment in enumerate(w.moments):
        for side, data in (("output", moment.output), ("reference", moment.reference)):
            document.addResource(
                QTextDocument.ResourceType.ImageResource.value,
                QUrl(f"moment-{number}-{side}"),
                QImage.fromData(data),
            )
    _up, picture = picture_of(w.evidence)
    if picture:
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl("picture"), _drawn(picture))
    document.setHtml(text)
    return document


def _drawn(svg: str) -> QImage:
    """A chart as an image three times as fine as it is shown."""
    renderer = QSvgRenderer(QByteArray(with_style(svg).encode()))
    size = renderer.defaultSize() * (3 * PICTURE_PX / max(renderer.defaultSize().width(), 1))
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    renderer.render(painter)
    painter.end()
    return image
