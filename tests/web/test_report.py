"""The report: what it consists of, what changed since the last, its three kinds, and its page in a browser."""

import io
import re
from dataclasses import replace

import pytest
from docx import Document
from PIL import Image
from typer.testing import CliRunner

from brook.cli import app
from brook.core.study.document import study_from
from brook.runs.report.blocks import (
    Figure,
    Heading,
    Report,
    Table,
    Text,
    changes_between,
    lines_of,
    localised,
    numbered,
    printable,
)
from brook.runs.report.docx import docx_of
from brook.runs.report.page import page_of
from brook.runs.report.pdf import pdf_of, quoted, source_of
from brook.web.statements import statements_in
from tests.core.studies import tray
from tests.web.driving import all_of, complaints, one, press, text_of, type_into, wait
from tests.web.helpers import client, document, take_in, up_to_date

NASTY = '#let x = "1" // *bold* $y$ <b>&amp; \\ @there [a] `code`'
WHOLE = Report(
    NASTY, "Which one?", "Round holds 3.25 mm/s.", "Marlbeck Engineering", (("Date", "today"),),
    (
        Heading("Asked"), Text(f"Plain {NASTY}"), Text("My own 1.5\n\nand more", "own"), Heading("Within", 2), Text("It enters at 1.5 m/s.", "statement"), Heading("Found"),
        Table("Readings at 2.5 s", ("Case", "Loss"), (("round.v1.2", "1.25 Pa"), ("square", "2 Pa")), (1,)), Figure("Speed", "plate", "round", "k1", "speed"), Figure("Gone", "residuals", "round", "k2"),
    ),
)  # fmt: skip


def picture():
    out = io.BytesIO()
    Image.new("RGB", (80, 40), "teal").save(out, "PNG")
    return out.getvalue()


def test_parts_tables_and_figures_are_numbered():
    called = [name for _, name in numbered(WHOLE.blocks)]
    assert called == ["1", "", "", "1.1", "", "2", "Table 1", "Figure 1", "Figure 2"]


def test_all_kinds_say_everything_and_nothing_in_a_text_is_markup():
    pictures = {7: picture()}
    pdf = pdf_of(WHOLE, pictures)
    assert pdf[:5] == b"%PDF-"
    assert quoted(NASTY) in source_of(WHOLE, {})
    made = Document(io.BytesIO(docx_of(WHOLE, pictures)))
    said = [p.text for p in made.paragraphs]
    assert NASTY in said
    assert "2 Found" in said
    assert "Table 1: Readings at 2.5 s" in said
    assert [c.text for c in made.tables[1].rows[1].cells] == ["round.v1.2", "1.25 Pa"]
    assert len(made.inline_shapes) == 1
    page = page_of(WHOLE, pictures).decode()
    assert "<b>" not in page.replace("<body>", "")
    assert page.count("<img") == 1
    assert "Figure 2: Gone" in page
    assert "http" not in re.sub(r"data:image[^']*", "", page)  # it needs nothing from elsewhere


def test_decimal_commas_stand_in_what_was_computed_and_not_in_names_or_own_words():
    said = lines_of(localised(replace(WHOLE, decimal="comma")))
    assert "Round holds 3,25 mm/s." in said
    assert "Readings at 2,5 s: round.v1.2 | 1,25 Pa" in said
    assert "My own 1.5\n\nand more" in said
    assert localised(WHOLE) is WHOLE


def test_what_no_paper_shows_is_left_out():
    odd = replace(WHOLE, title="A\x07 title", blocks=(Text("half \ud800 a\x00 character\nnext", "own"), *WHOLE.blocks))
    made = printable(odd)
    assert (made.title, made.blocks[0].text) == ("A title", "half  a character\nnext")
    assert pdf_of(made, {})[:5] == b"%PDF-"
    assert docx_of(made, {})
    assert page_of(made, {})


def test_what_changed_is_told_line_by_line():
    table = Table(
        "Readings at 2.5 s", ("Case", "Loss"), (("round.v1.2", "1.75 Pa"), ("square", "2 Pa"), ("flat", "3 Pa"))
    )
    after = replace(WHOLE, blocks=(*WHOLE.blocks[:6], table, replace(WHOLE.blocks[7], key="k9"), WHOLE.blocks[8]))
    changed = changes_between(lines_of(WHOLE), lines_of(after))
    assert "Readings at 2.5 s: round.v1.2 | 1.25 Pa → Readings at 2.5 s: round.v1.2 | 1.75 Pa" in changed
    assert any(one.startswith("new: Readings at 2.5 s: flat") or "flat | 3 Pa" in one for one in changed)
    assert changes_between(lines_of(WHOLE), lines_of(WHOLE)) == []
    assert len(changes_between([], [str(k) for k in range(100)])) == 41
    assert WHOLE.since(None) is WHOLE
    assert WHOLE.since(("2026-05-04T10:00", lines_of(WHOLE))) is WHOLE
    told = after.since(("2026-05-04T10:00", lines_of(WHOLE)))
    assert told.blocks[-len(changed) - 2] == Heading("What changed since the last report")


def test_statements_are_read_as_they_stand_on_the_page():
    html = """<h2>Set-up</h2><section><h3>Before a run</h3><ul><li>odd</li></ul></section>
    <section><h3>Flow <small>of it</small></h3><p class="statement">It enters at <span><input type="hidden" value="no"><input class="v" value="3 m/s"></span>,
    <select><option value="a">evenly</option><option value="b" selected>as a duct</option></select> ( <input value="" placeholder="by itself"> ).
    <button>take out</button><span class="why">wrong</span><svg><text>no</text></svg></p>
    <p class="statement">Second &amp; last.</p></section><p>Not one.</p>"""
    assert statements_in(html) == ["Flow: it enters at 3 m/s, as a duct (by itself).", "Second & last."]


@pytest.fixture(scope="module")
def slug(brook_server):
    with client(brook_server) as http:
        raw = tray(title="Reported").model_dump(mode="json")
        raw["brief"] = {"question": "Which keeps the water moving?", "notes": "Of a made-up tray."}
        slug = take_in(http, study_from(raw))
        up_to_date(http, slug)
    return slug


def write(browser, words):
    """Own words on what was found; by script, as the page may be swapped meanwhile."""
    field = "document.querySelector('textarea[aria-label=\"Your own words on “What was found”\"]')"
    browser.execute_script(f"const f = {field}; f.value = arguments[0]; f.dispatchEvent(new Event('change', {{bubbles: true}}))", words)  # fmt: skip
    wait(browser, lambda: browser.execute_script(f"return {field}.textContent") == words)


@pytest.mark.browser
@pytest.mark.server
def test_a_report_is_seen_written_in_made_and_made_again(brook_server, browser, slug):
    browser.get(f"{brook_server}/studies/{slug}/report")
    wait(browser, lambda: all_of(browser, ".report-paper h1"))
    assert text_of(browser, ".report-question") == "Which keeps the water moving?"
    assert "It enters through" in text_of(browser, "#section-set_up")
    assert len(all_of(browser, "#section-pictures .figure-line")) == len(tray().variants)
    write(browser, "Take the hanging one.")
    type_into(browser, "Office that sends it", "Marlbeck Engineering")
    wait(browser, lambda: text_of(browser, ".report-paper .office") == "Marlbeck Engineering")
    press(browser, ".make-report button[value='.docx']")
    wait(browser, lambda: all_of(browser, "#report-made a.out"), 120)
    link = one(browser, "#report-made a.out").get_attribute("href")
    with client(brook_server) as http:
        made = Document(io.BytesIO(http.get(link).content))
        assert "Take the hanging one." in [p.text for p in made.paragraphs]
        assert len(made.inline_shapes) == 2 * len(tray().variants)
        assert http.get(f"/studies/{slug}/report/made/{'0' * 16}").status_code == 404
        assert http.post(f"/studies/{slug}/report/made", data={"kind": ".exe"}).status_code == 422
    browser.refresh()
    wait(browser, lambda: "Nothing has changed" in text_of(browser, ".report-sheet"))
    write(browser, "Take the hanging one. Or not.")
    wait(browser, lambda: "Or not." in text_of(browser, ".report-sheet .changes"))
    press(browser, ".make-report button[value='.pdf']")
    wait(browser, lambda: all_of(browser, "#report-made a.out"), 120)
    with client(brook_server) as http:
        made = http.get(one(browser, "#report-made a.out").get_attribute("href"))
        assert made.headers["content-type"] == "application/pdf"
        assert made.content[:5] == b"%PDF-"
        long = http.post(f"/studies/{slug}/edit", data={"page": "report", "pointer": "/report/office", "value": "x" * 200, "was": "Marlbeck Engineering"})  # fmt: skip
        assert "at most 120 characters" in long.text
        assert document(brook_server, slug).report.office == "Marlbeck Engineering"
    assert complaints(browser) == []


@pytest.mark.server
def test_the_command_line_makes_it_too_and_says_what_is_wrong(brook_app, brook_server, slug, tmp_path):
    brook_data = brook_app.state.studio.store.data
    run = CliRunner()
    out = tmp_path / "a" / "report.html"
    done = run.invoke(app, ["report", slug, "--data", str(brook_data), "--out", str(out)])
    assert done.exit_code == 0, done.output
    assert "Which keeps the water moving?" in out.read_text()
    assert run.invoke(app, ["report", slug, "--data", str(brook_data), "--out", str(tmp_path / "r.odt")]).exit_code == 1
    assert run.invoke(app, ["report", "nothing", "--data", str(brook_data), "--out", str(out)]).exit_code == 1
    assert run.invoke(app, ["report", slug, "--data", str(tmp_path), "--out", str(out)]).exit_code == 1
