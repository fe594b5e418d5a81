"""A large plate over a line that breaks: it goes on by itself, and after the page was closed as well."""

import pytest

from jaythread.plates.models import Plate, Upload
from jaythread.productions.models import Shot

from ..conftest import write_stills

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def form(artist, production):
    """The page, at which even small files count as large."""
    artist.sign_in("rafe")

    def opened(*paths):
        artist.go(f"/productions/{production.pk}/bring-in")
        artist.browser.execute_script("Object.assign(document.querySelector('form[enctype]').dataset, {from: '0', piece: '8000'})")
        artist.css("#files").send_keys("\n".join(map(str, paths)))
        artist.css("form .btn-primary").click()

    return opened


def begun():
    """The files of which something came."""
    return [one for one in Upload.objects.all() if one.offset]


def there():
    return sum(one.offset for one in begun())


def test_a_line_that_breaks_and_a_page_that_was_closed_cost_little(artist, form, tmp_path):
    paths = write_stills(tmp_path / "given", size=(320, 180))
    total = sum(path.stat().st_size for path in paths)
    form(*paths)
    artist.until(lambda: there() > 1000)
    artist.offline(True)
    artist.until(lambda: "The connection is gone" in artist.text)
    kept = there()
    assert kept < total
    artist.offline(False)
    artist.until(lambda: there() > kept)
    artist.go("/")  # closed in the middle
    count, kept = len(begun()), there()
    assert 0 < kept < total
    form(*paths)
    artist.until(lambda: "is being decoded" in artist.text)
    # A file announced just as the line broke is announced again: the first, of which nothing came, is swept away later.
    assert not begun() and Shot.objects.get().name == "KITE_010"
    source = Plate.objects.get().folder / "source"
    assert {p.name: p.read_bytes() for p in source.iterdir()} == {p.name: p.read_bytes() for p in paths}
    assert count <= len(paths), "what had come was not begun anew"
    artist.complaints()  # those of the broken line


def test_what_cannot_be_taken_is_said_and_what_came_stays(artist, form, tmp_path):
    (tmp_path / "kite.mov").write_bytes(b"no movie at all" * 100)
    form(tmp_path / "kite.mov")
    artist.until(lambda: "Not taken" in artist.text)
    assert Upload.objects.get().offset == 1500 and not Shot.objects.exists()
