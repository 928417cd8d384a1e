"""The report as pages, read back by another reader than the writer."""

import shutil
from contextlib import closing
from pathlib import Path

import pytest
from crowd import crowded
from PyQt6.QtPdf import QPdfDocument

from added_runs import add_run
from ovrik.demo.scenario import unpack_demo
from ovrik.errors import OvrikError
from ovrik.report.forms.as_html import report_html
from ovrik.report.forms.as_pdf import FACES, own_bytes, print_page
from ovrik.report.forms.export import WholeStudy, export
from ovrik.store.study import Study
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.checking.report_moments import report_moments
from ovrik.work.evidence.gathered import gather

A4_PT = (595, 842)


def whole(study: Study, moments: bool = False) -> WholeStudy:
    e = gather(study)
    shown = report_moments(study, e) if moments else ()
    return WholeStudy(study, e, gather_kinds(study, {}, e), gather_sittings(study, e), shown)


def pages(path: Path) -> list[str]:
    document = QPdfDocument(None)
    document.load(str(path))
    sizes = [document.pagePointSize(n) for n in range(document.pageCount())]
    assert all((round(s.width()), round(s.height())) == A4_PT for s in sizes)
    texts = [document.getAllText(n).text() for n in range(document.pageCount())]
    boxes = [document.getAllText(n).boundingRectangle() for n in range(document.pageCount())]
    assert all(box.top() >= 0 and box.bottom() <= A4_PT[1] for box in boxes), "all of it lies on its page"
    assert all(box.height() > 60 for box in boxes[:-1]), "and each page holds some"
    document.close()
    return texts


def test_all_of_the_demo_is_on_its_pages(qapp: object, tmp_path: Path) -> None:
    with closing(Study.open(unpack_demo(tmp_path / "demo"))) as study:
        w = whole(study)
        export(w, tmp_path / "it's a report.pdf")
        texts = pages(tmp_path / "it's a report.pdf")
    count = len(texts)
    said = " ".join(" ".join(texts).split())
    for s in w.evidence.summaries:
        assert s.contender.label in said
    assert w.evidence.choice.contender.label in texts[0]
    assert all(f"{n} of {count}" in text for n, text in enumerate(texts, 1))
    assert str(tmp_path) not in said


@pytest.mark.parametrize("count", [1, 200])
def test_one_contender_and_two_hundred(qapp: object, count: int, tmp_path: Path, demo_copy: Path) -> None:
    path = tmp_path / "crowd" / demo_copy.name
    shutil.copytree(demo_copy.parent, path.parent)
    crowded(path, count)
    with closing(Study.open(path)) as study:
        w = whole(study)
        export(w, tmp_path / "r.pdf")
        text = report_html(w.evidence, w.kinds)
    said = " ".join(" ".join(pages(tmp_path / "r.pdf")).split())
    assert said.count("×") >= count - 60, "a row for each that was timed"
    assert text.count("<tr") > count
    assert len(text) < 1_000_000


def test_failed_and_unfinished(qapp: object, study: Study, tmp_path: Path) -> None:
    add_run(study, 1, 1, 2.0)
    add_run(study, 2, 1, 2.0, state="failed")
    export(whole(study), tmp_path / "r.pdf")
    assert "failed" in " ".join(pages(tmp_path / "r.pdf"))


def test_what_can_not_be_written_is_said_and_kept(
    qapp: object, study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    w = whole(study)
    there = tmp_path / "there.pdf"
    there.write_text("mine")
    (tmp_path / "folder.pdf").mkdir()
    for target, words in (
        (tmp_path / "folder.pdf", "is a folder"),
        (tmp_path / "none" / "x.pdf", "is not there"),
    ):
        with pytest.raises(OvrikError, match=words):
            export(w, target)

    def fails(*_a: object) -> None:
        raise OvrikError("the disk is full")

    monkeypatch.setattr("ovrik.report.forms.as_pdf.write_asked", fails)
    with pytest.raises(OvrikError, match="the disk is full"):
        export(w, there)
    assert there.read_text() == "mine"
    assert [p.name for p in tmp_path.iterdir() if p.name.startswith(".")] == []


def test_nothing_is_fetched_but_what_the_page_holds(tmp_path: Path) -> None:
    (tmp_path / "private.txt").write_text("mine")
    for address in (
        "https://example.org/x.png",
        f"file://{tmp_path}/private.txt",
        "data:text/plain,x",
        "data:image/svg+xml,<svg/>",
        "ovrik-font:../../etc/passwd",
        "ovrik-font:HankenGrotesk-Regular.ttf/../OFL.txt",
        "/etc/passwd",
    ):
        with pytest.raises(ValueError, match="Nothing is fetched"):
            own_bytes(address)
    assert own_bytes("data:image/jpeg;base64,/9j/")[0] == b"\xff\xd8\xff"
    for address in FACES.split("url(")[1:]:
        assert own_bytes(address.partition(")")[0])[1] == "font/ttf"
    page = f'<link rel="stylesheet" href="file://{tmp_path}/private.txt"><img src="file://{tmp_path}/private.txt">A'
    assert print_page(page, tmp_path / "r.pdf") == 1
    assert pages(tmp_path / "r.pdf") == ["A"]
