"""The picture draws between keys through the page: from one key on, a correction by mouse, drawn again, delivered, against the truth."""

import uuid

import cv2
import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions as desk
from jaythread.desk.models import Shape, Track
from jaythread.jobs.models import Job
from jaythread.plates import actions as plates
from roto.matte.render import render

from ..conftest import command
from ..roto.bodies import swaying

pytestmark = pytest.mark.django_db(transaction=True)
FIRST = 1001


def woven(people, production, folder, body, spoil=lambda k, shown: shown):
    """A shot with the body's outline traced on its first frame: the shot, and the shape's key."""
    folder.mkdir()
    for k in range(body.frames):
        cv2.imwrite(str(folder / f"FERRY_020.{FIRST + k}.png"), spoil(k, body.picture(k))[:, :, ::-1])
    rafe = people["rafe"]
    shot = plates.bring_in_folder(rafe, production.pk, "FERRY_020", folder, sorted(p.name for p in folder.iterdir()))
    plates.decode(shot.plates.get().pk)
    desk.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="new matte", matte=str(uuid.uuid4()), name="torso"))
    traced = command(
        do="trace", shape=str(uuid.uuid4()), entry=str(uuid.uuid4()), matte=str(shot.mattes.get().pk), name="torso", frame=FIRST,
        mode="add", points=[[x, y, 0, 0, 0, 0] for x, y in body.truth(0)[::2]], curves=[False] * 24,
    )  # fmt: skip
    desk.edit(rafe, shot.pk, uuid.uuid4(), None, traced)
    return shot, str(shot.shapes.get().pk)


def on_carry(artist, shot, key):
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    artist.browser.execute_script(
        "const d = Alpine.$data(document.getElementById('desk')).desk; d.store.selection.choose(arguments[0]); d.setStep('carry')", key
    )


def test_hard_frames_are_told_before_it_draws_and_a_click_goes_there(artist, worker, people, production, tmp_path):
    body = swaying()
    blurred = lambda k, shown: cv2.GaussianBlur(shown, (0, 0), 7) if k == 4 else shown  # noqa: E731
    shot, key = woven(people, production, tmp_path / "woven", body, blurred)
    last = FIRST + body.frames - 1
    points = {k: [x, y, 0, 0, 0, 0] for k, (x, y) in enumerate(body.truth(last - FIRST)[::2])}
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="form", shape=key, frame=last, points=points))
    on_carry(artist, shot, key)
    artist.click("Look ahead")
    artist.until(lambda: f"Hard frame: {FIRST + 4} (blurred). Key it by hand first (K)." in artist.text)
    artist.click(str(FIRST + 4))
    artist.frame_is(FIRST + 4)
    artist.press("k")
    artist.until(lambda: FIRST + 4 in core_cache.shapes([Shape.objects.get(pk=key)])[key].form.frames)
    artist.until(lambda: artist.browser.execute_script("return Alpine.$data(document.getElementById('drawn')).hard.length") == 0)
    assert not artist.complaints()


def test_from_one_key_on_corrected_by_mouse_and_drawn_again(artist, worker, people, production, tmp_path):
    body = swaying()
    last = FIRST + body.frames - 1
    shot, key = woven(people, production, tmp_path / "woven", body)

    def outline(frame):
        return core_cache.shapes([Shape.objects.get(pk=key)])[key].outlines(np.array([frame]))[0, :, :2]

    on_carry(artist, shot, key)
    artist.click("From this key on")
    artist.until(lambda: Job.objects.filter(kind="shape.draw", state="done").count() == 1)
    artist.until(lambda: Track.objects.exists())
    assert np.hypot(*(outline(last) - body.truth(last - FIRST)[::2]).T).mean() < 0.8
    artist.until(lambda: "The picture carries it." in artist.text)

    # a correction: one point dragged on a drawn frame; what lies beside it is drawn again by itself
    artist.click("Trace")
    for _ in range(4):
        artist.press(Keys.ARROW_RIGHT)
    artist.frame_is(FIRST + 4)
    place = outline(FIRST + 4)[0]
    artist.drag((float(place[0]), float(place[1])), (float(place[0]) + 3, float(place[1])))
    artist.until(lambda: np.abs(outline(FIRST + 4)[0] - place - [3, 0]).max() < 0.5)
    corrected = outline(FIRST + 4)
    artist.until(lambda: Job.objects.filter(kind="shape.draw", state="done").count() == 2)
    artist.until(lambda: FIRST + 4 in Track.objects.get().data["hand"])
    assert np.abs(outline(FIRST + 4) - corrected).max() < 1e-5

    # one press takes back the correction and what was drawn again for it, another does both again
    artist.press(Keys.CONTROL, "z")
    artist.until(lambda: Track.objects.get().data["hand"] == [FIRST])
    assert np.abs(outline(FIRST + 4)[0] - place).max() < 1e-5
    artist.press(Keys.CONTROL, Keys.SHIFT, "z")
    artist.until(lambda: FIRST + 4 in Track.objects.get().data["hand"])
    assert np.abs(outline(FIRST + 4) - corrected).max() < 1e-5 and Job.objects.filter(kind="shape.draw").count() == 2

    # the matte is where the thing is
    shot.refresh_from_db()
    alpha = render(core_cache.matte(shot, shot.mattes.get()), last).alpha
    centre = body.truth(last - FIRST).mean(axis=0)
    assert alpha[int(centre[1]), int(centre[0])] == 1 and alpha[5, 5] == 0
    assert not artist.complaints()
