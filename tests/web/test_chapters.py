"""Chapters on the Hand over page: listed, kept as one step, mended, moved to a cut, as text."""

import av
import pytest

from recitant_web.desk.models import Clip

SECOND = 48_000


@pytest.fixture
def chapters(signed_in, film):
    """What the page sends of its list; the piece of page that comes back."""

    def sent(*rows, way="", text=None):
        data = {"at": [at for at, _ in rows], "title": [title for _, title in rows], "way": way}
        if text is not None:
            data = {"text": text}
        answer = signed_in.post(f"/programmes/{film.pk}/chapters", data, headers={"HX-Request": "true"})
        assert answer.status_code == 200
        film.refresh_from_db()
        return answer.content.decode()

    return sent


def kept(film):
    return list(film.markers.filter(kind="chapter").order_by("at_sample").values_list("at_sample", "text"))


def test_rows_are_kept_as_one_step_that_undo_takes_back(chapters, film, edit):
    note = film.markers.create(kind="note", at_sample=5, text="Too loud?")
    before = film.revision
    page = chapters(("0:00", "Casting"), ("0:04.5", "The bell"), ("", ""))
    assert kept(film) == [(0, "Casting"), (4 * SECOND + 24_000, "The bell")] and film.revision == before + 1
    assert 'value="0:04.500"' in page and "Online video asks for 3 chapters at least." in page
    ids = set(film.markers.filter(kind="chapter").values_list("pk", flat=True))
    chapters(("0:00", "Casting"), ("0:05", "The bell"))
    assert set(film.markers.filter(kind="chapter").values_list("pk", flat=True)) == ids
    edit("undo")
    edit("undo")
    assert kept(film) == [] and film.markers.get().pk == note.pk


def test_a_row_that_is_no_time_is_said_and_nothing_typed_is_lost(chapters, film):
    page = chapters(("0:00", "Casting"), ("soon", "The bell"))
    assert "“soon” is no time" in page and 'value="soon"' in page and 'value="The bell"' in page
    assert kept(film) == []
    assert 'role="alert"' in chapters(("99:00:00", "Next week"))


def test_faults_are_named_and_mended_in_one_press(chapters, film):
    page = chapters(("0:03", "B"), ("0:01", "A"), ("0:59", "Behind the end"))
    assert "The first chapter must begin at 0:00." in page and "behind the end" in page
    assert "Mend for online video" in page
    page = chapters(("0:03", "B"), ("0:01", "A"), ("0:59", "Behind the end"), way="mend")
    # Eight seconds hold one chapter, and no cure makes it ten long.
    assert kept(film) == [(0, "A / B")] and "Mend for online video" not in page


def test_a_chapter_goes_to_the_nearest_edge_of_a_clip(chapters, film):
    clip = Clip.objects.filter(track__programme=film).order_by("-start_sample").first()
    near = clip.start_sample + 4_800
    chapters((f"0:0{near / SECOND:.3f}", "At the door"), way="cut:0")
    assert kept(film) == [(clip.start_sample, "At the door")]


def test_text_goes_in_and_out(chapters, film, signed_in):
    page = chapters(text="00:00 Casting\n00:02 The bell\n")
    assert kept(film) == [(0, "Casting"), (2 * SECOND, "The bell")]
    assert "00:00 Casting\n00:02 The bell\n" in page
    answer = signed_in.get(f"/programmes/{film.pk}/chapters.txt")
    assert answer.content.decode() == "00:00 Casting\n00:02 The bell\n"
    assert "Line 2 is no chapter" in chapters(text="0:00 A\nB")
    assert len(kept(film)) == 2


def test_files_that_hold_chapters_carry_them_and_go_out_of_date_with_them(chapters, film, hand_over, media):
    from recitant_web.delivery.queries import sheet_view

    chapters(("0:00", "Casting"), ("0:03", "The bell"))
    hand_over(film, {"online-14": "mix,mp3,m4a"})
    folder = media / film.deliveries.get().folder
    for name in ("mix-online-14.mp3", "mix-online-14.m4a"):
        with av.open(str(folder / name)) as file:
            found = [(c["metadata"]["title"], round(float(c["start"] * c["time_base"]), 2)) for c in file.chapters()]
        assert found == [("Casting", 0.0), ("The bell", 3.0)], name
    chapters(("0:00", "Casting"), ("0:04", "The bell"))
    (line,) = sheet_view(film)["lines"]
    states = {dot.word: dot.state for dot in line["dots"] if dot.state != "left-out"}
    assert states == {"mix": "made", "mp3": "out", "m4a": "out"}


def test_the_clock_is_that_of_the_picture(chapters, film, signed_in):
    from recitant_web.programme.models import Picture

    sizes = {"rate_hz": 25.0, "length_samples": 5 * SECOND, "width": 320, "height": 180}
    Picture.objects.create(programme=film, name="cut.mp4", original_file="x.mp4", **sizes)
    film.picture_offset_samples = 2 * SECOND
    film.save()
    page = chapters(("0:00", "Casting"))
    assert kept(film) == [(2 * SECOND, "Casting")] and 'value="0:00"' in page and "00:00 Casting" in page
