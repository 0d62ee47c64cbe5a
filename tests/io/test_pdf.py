"""The report as PDF: read back by a reader that is not ours, with its fonts inside and marked for readers."""

import json
import re
import zlib
from xml.etree import ElementTree

import pytest

from recitant_core.delivery.orders.orders import Order, Wanted
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role
from recitant_io.delivery.delivery import deliver
from recitant_io.formats.pdf import FONTS, pdf_of
from recitant_text.history import history_svg
from recitant_text.report import report_files
from signals import MemorySource, programme

N = 8 * 48_000
PLAN = Plan("Night & harbour", "25", (Track("1", "v", Role.DIALOGUE, clips=(Clip("a", "s", 0, 0, N),)),))


@pytest.fixture(scope="module")
def delivered(tmp_path_factory):
    """Reports of a delivery to two specifications."""
    folder = tmp_path_factory.mktemp("delivered")
    orders = [Order(spec_by_id(spec_id), Wanted(("mix",))) for spec_id in ("ebu-r128", "online-14")]
    more = {"version": "v3", "made_at": "2026-11-29 12:00", "made_by": "ines"}
    source = MemorySource("s", programme(3, 8.0))
    deliver(PLAN, {"s": source}, orders, folder, reports=lambda done: report_files(PLAN, done, more))
    return folder


def objects_of(pdf):
    """All objects of a PDF as text, those in compressed streams too."""
    streams = re.findall(rb"stream\r?\n(.*?)\r?\nendstream", pdf, re.S)
    found = [pdf]
    for stream in streams:
        try:
            found.append(zlib.decompress(stream))
        except zlib.error:
            continue
    return b"\n".join(found)


def test_the_report_is_there_three_times(delivered):
    report = json.loads((delivered / "report.json").read_text())
    assert [len(one["history"]["short_term_lufs"]) for one in report["deliveries"]] == [80, 80]
    assert {look["check"] for look in report["deliveries"][0]["looks"]} >= {"over", "same"}
    page = (delivered / "report.html").read_text()
    assert page.count("<svg") == 2 and "Version v3, handed over 2026-11-29 12:00, by ines" in page
    assert (
        page.count("class=delivery") == 2 and "Looked at in what was written, and fine: samples at full scale" in page
    )


def test_the_pdf_has_fonts_inside_is_tagged_and_has_a_page_for_each(delivered):
    pdf = (delivered / "report.pdf").read_bytes()
    assert pdf.startswith(b"%PDF-")
    found = objects_of(pdf)
    assert found.count(b"/FontFile") >= 2 and b"Public-Sans" in found.replace(b"PublicSans", b"Public-Sans")
    # ISO 14289-1: marked content, a structure tree, a language and a title that is shown.
    for mark in (b"/MarkInfo", b"/StructTreeRoot", b"/Lang", b"/DisplayDocTitle"):
        assert mark in found, mark
    assert len(re.findall(rb"/Type\s*/Page\b", found)) >= 2


def test_nothing_is_fetched(monkeypatch):
    import socket

    def refuse(*_args):
        raise AssertionError("a report needs no network")

    monkeypatch.setattr(socket, "create_connection", refuse)
    assert pdf_of("<html lang=en><title>t</title><p>Words</p></html>").startswith(b"%PDF-")
    assert len(list(FONTS.glob("*/*-latin-wght-normal.woff2"))) == 3


def test_the_curve_is_well_formed_breaks_at_silence_and_says_itself_in_words():
    found = {"step_s": 1.0, "short_term_lufs": [-20.0, -21.0, None, None, -30.0, -22.0], "limited_db": [0, 2.0, 3.0, 0]}
    svg = ElementTree.fromstring(history_svg(found, -23.5, -22.5, [(4.0, 5.0, -1.0)]))
    assert len(svg.findall("polyline")) == 2
    assert [bar.get("fill") for bar in svg.findall("rect")] == ["#e4ebe1", "#c8321f", "#1f2430"]
    words = svg.findtext("title")
    assert words == (
        "Short-term loudness over 0:06.0, between −30.0 and −20.0 LUFS; the band of the target is −23.5 to −22.5 LUFS."
    )


@pytest.mark.parametrize("levels", [[None], [-99.0, -3.0], [-23.0]])
def test_a_curve_of_anything_can_be_drawn(levels):
    found = {"step_s": 0.1, "short_term_lufs": levels, "limited_db": []}
    ElementTree.fromstring(history_svg(found, -24.0, -22.0))
