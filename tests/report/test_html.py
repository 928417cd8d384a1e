"""The report as a page: whole, self-contained, safe, without the names of folders."""

import re
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path

import pytest

from added_runs import add_run, scored
from by_command import ovrik
from ovrik.demo.scenario import unpack_demo
from ovrik.report.forms.as_html import report_html
from ovrik.report.forms.svg import SvgMark, SvgScale, interval_svg, trade_off_svg
from ovrik.store.study import Study
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.evidence.gathered import gather


class Page(HTMLParser):
    """Texts, tags that are opened and closed, and every attribute."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.texts: list[str] = []
        self.open: list[str] = []
        self.attributes: list[tuple[str, str, str]] = []
        self.feed(text)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.attributes += [(tag, name, value or "") for name, value in attrs]
        if tag not in ("meta", "br"):
            self.open.append(tag)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.attributes += [(tag, name, value or "") for name, value in attrs]

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.texts.append(data)

    @property
    def text(self) -> str:
        return " ".join(" ".join(self.texts).split())


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Study]:
    study = Study.open(unpack_demo(tmp_path_factory.mktemp("html")))
    yield study
    study.close()


def test_all_of_it_is_there_and_nothing_has_to_be_fetched(demo: Study) -> None:
    e, over = gather(demo), gather_kinds(demo)
    text = report_html(e, over, list(demo.machines().values()))
    page = Page(text)
    assert page.open == [], "every tag is closed"
    for s in e.summaries:
        assert s.contender.label in page.text
    assert "x264 medium from ProRes LT" in page.text
    assert "size 23.4 MB a minute is over the ceiling of 20" in page.text
    assert "Over all footage" in page.text
    assert "superfast takes 37 % less time than medium" in page.text or "superfast takes" in page.text
    assert "failed" in page.text, "runs that failed are told"
    assert "simulated" in page.text or not any(s.contender.simulated for s in e.summaries)
    assert not re.search(r"<(script|iframe|img|link|object)\b|@import|url\(|https?://", text)
    assert len(text) < 300_000
    charts = [value for tag, name, value in page.attributes if (tag, name) == ("svg", "aria-label")]
    assert len(charts) == text.count("<svg"), "every chart says what it shows"
    assert any("the choice is x264 medium from ProRes LT" in c for c in charts)


def test_folders_and_names_of_users_are_left_out_unless_wanted(demo: Study) -> None:
    e = gather(demo)
    folders = {
        str(Path(a).parent) for s in e.summaries for r in s.counted for a in r.argv if a.startswith("/")
    }
    hidden, shown = report_html(e), report_html(e, private=True)
    assert folders
    for folder in folders - {"/", "/dev"}:
        assert folder not in hidden
    assert any(folder in shown for folder in folders)


def test_what_a_stranger_wrote_is_text(study: Study) -> None:
    evil = '<script>alert("1")</script><b onload=x>'
    study.set_plan(evil, 3, 0, 0.02)
    first = study.contenders()[0]
    study.relabel([type(first)(**{**vars(first), "label": evil, "label_given": True})])
    scored(study, 1, [95.0] * 30, (f"its {evil} is missing",))
    add_run(study, 2, 1, 2.0, state="failed")
    page = Page(report_html(gather(study)))
    assert evil in page.text
    assert not any(tag in ("script", "b") for tag, _n, _v in page.attributes)
    assert "<script" not in report_html(gather(study))


@pytest.mark.parametrize("timed", [0, 1])
def test_nothing_or_little_on_file(study: Study, timed: int) -> None:
    for number in range(timed):
        add_run(study, number + 1, 1, 2.0)
    page = Page(report_html(gather(study)))
    assert page.open == []
    assert "No verdict yet" in page.text


def test_marks_stand_where_their_numbers_are() -> None:
    marks = [
        SvgMark("a", 2.0, 90.0, 1.9, 2.1, True, True, True),
        SvgMark("b", 4.0, 96.0, 3.9, 4.1, False, True, False),
    ]
    text = trade_off_svg(marks, [0, 1], "time", "VMAF", False, [("y", 93.0, "floor 93")])
    spots = [(float(x), float(y)) for x, y in re.findall(r'cx="([\d.]+)" cy="([\d.]+)"', text)]
    assert spots[0][0] < spots[1][0]
    assert spots[0][1] > spots[1][1]
    floor = float(re.search(r'class="limit" x1="[\d.]+" x2="[\d.]+" y1="([\d.]+)"', text).group(1))  # type: ignore[union-attr]
    assert floor == pytest.approx((spots[0][1] + spots[1][1]) / 2, abs=0.2)
    log = SvgScale(1.0, 100.0, 0.0, 200.0, True)
    assert log.at(10.0) == pytest.approx(100.0)
    assert log.ticks() == [1, 2, 5, 10, 20, 50, 100]
    assert 'aria-label="×1.50, 1.20 to 1.90"' in interval_svg(1.5, 1.2, 1.9, 4.0)


def test_by_the_command_line(study: Study, tmp_path: Path) -> None:
    scored(study, 1, [95.0] * 30)
    path = study.path
    study.close()
    out = tmp_path / 'a "report" of mine.html'
    done = ovrik("report", path, "-o", out)
    assert done.returncode in (0, 1), done.stderr
    assert out.read_text().startswith("<!doctype html>")
    nowhere = ovrik("report", path, "-o", "/proc/none/x.html")
    assert nowhere.returncode == 2
    assert "Traceback" not in nowhere.stderr
    assert nowhere.stderr.count("\n") == 1
