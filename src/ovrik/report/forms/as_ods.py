"""The evidence as an open document spreadsheet: contenders, runs and conditions, a sheet each."""

import io
from pathlib import Path
from typing import Any

from ovrik import __version__
from ovrik.report.forms.tables import CellValue, SheetTable, conditions_table, contenders_table, runs_table
from ovrik.study.files.whole_file import write_asked
from ovrik.work.evidence.gathered import Evidence


def ods_bytes(tables: list[SheetTable]) -> bytes:
    """The tables as one document; numbers are numbers, None is an empty cell, and no text is calculated."""
    from odf.opendocument import OpenDocumentSpreadsheet
    from odf.style import Style, TextProperties
    from odf.table import Table as Sheet
    from odf.table import TableHeaderRows, TableRow

    document = OpenDocumentSpreadsheet()
    bold = Style(name="heading", family="table-cell")
    bold.addElement(TextProperties(fontweight="bold"))
    document.automaticstyles.addElement(bold)
    document.meta.addElement(_generator())
    for table in tables:
        sheet = Sheet(name=table.title)
        head = TableHeaderRows()
        row = TableRow()
        for name in table.heads:
            row.addElement(_cell(name, bold))
        head.addElement(row)
        sheet.addElement(head)
        for values in table.rows:
            row = TableRow()
            for value in values:
                row.addElement(_cell(value))
            sheet.addElement(row)
        document.spreadsheet.addElement(sheet)
    out = io.BytesIO()
    document.write(out)
    return out.getvalue()


def _generator() -> Any:
    from odf.meta import Generator

    return Generator(text=f"Ovrik {__version__}")


def _cell(value: CellValue, style: Any = None) -> Any:
    from odf.table import TableCell
    from odf.text import P

    dressed = {"stylename": style} if style else {}
    if value is None or value == "":
        return TableCell(**dressed)
    if isinstance(value, int | float):
        return TableCell(valuetype="float", value=repr(value), **dressed)
    made = TableCell(valuetype="string", **dressed)
    made.addElement(P(text="".join(c if c.isprintable() else " " for c in value)))
    return made


def write_ods(e: Evidence, machines: list[dict[str, Any]], path: Path) -> int:
    """Write contenders, runs and conditions; gives the size in bytes. Raises OvrikError."""
    tables = [contenders_table(e), runs_table(e), conditions_table(e, machines)]
    return write_asked(path, ods_bytes(tables))
