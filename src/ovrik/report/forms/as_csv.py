"""Tables as CSV, for a spreadsheet or a sceptic."""

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from ovrik.report.forms.tables import CellValue, SheetTable, contenders_table, runs_table
from ovrik.report.words.numbers import NONE
from ovrik.study.files.whole_file import write_asked
from ovrik.work.evidence.gathered import Evidence

FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""A text that begins so would be calculated by a spreadsheet: labels and reasons may come from a stranger."""


def csv_text(table: SheetTable) -> str:
    """The table with its headings; None is an empty cell."""
    return csv_rows([table.heads, *table.rows])


def csv_rows(rows: Sequence[Sequence[CellValue]]) -> str:
    """Rows as CSV, none of them a formula."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([[_cell(v) for v in row] for row in rows])
    return out.getvalue()


def _cell(value: CellValue) -> CellValue:
    if value == NONE:
        return ""
    return f"'{value}" if isinstance(value, str) and value.startswith(FORMULA) else value


def tab_text(rows: Sequence[Sequence[str]]) -> str:
    """Columns separated by tabs: what a spreadsheet takes from the clipboard."""
    return "\n".join("\t".join(row) for row in rows)


def write_runs_csv(e: Evidence, path: Path) -> int:
    """Write all runs of the present excerpt; gives how many rows. Raises OSError, OvrikError."""
    table = runs_table(e)
    write_asked(path, csv_text(table).encode())
    return len(table.rows)


def write_contenders_csv(e: Evidence, path: Path) -> int:
    """Write a row for each contender; gives how many. Raises likewise."""
    table = contenders_table(e)
    write_asked(path, csv_text(table).encode())
    return len(table.rows)
