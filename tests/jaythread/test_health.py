"""What whoever watches over the machines is told at /health."""

import pytest
from django.db import OperationalError, connection
from django.test import Client

from jaythread import health

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def nothing_queued(db):
    """Other tests leave work in the queue."""
    queue_says("delete from procrastinate_jobs; delete from procrastinate_workers")


def told(status: int = 200) -> dict:
    reply = Client().get("/health")
    assert reply.status_code == status and "no-store" in reply["Cache-Control"]
    return reply.json()


def queue_says(words: str) -> None:
    with connection.cursor() as cursor:
        cursor.execute(words)


def test_all_is_well_where_somebody_works_and_files_can_be_written(settings):
    queue_says("insert into procrastinate_workers default values")
    said = told()
    assert (said["well"], said["says"], said["workers"], said["waiting"]) == (True, [], 1, 0) and said["free_bytes"] > 0
    assert not [p for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()], "nothing is left of the try"


def test_without_workers_pages_are_served_and_it_is_said():
    queue_says("insert into procrastinate_workers (last_heartbeat) values (now() - interval '2 minutes')")
    said = told()
    assert said["well"] and said["workers"] == 0 and "No worker has given a sign of life" in said["says"][0]


def test_work_that_waits_long_is_said_and_work_for_later_does_not_wait(shot):
    queue_says("insert into procrastinate_workers default values; delete from procrastinate_jobs")  # those of the shot
    later = "insert into procrastinate_jobs (queue_name, task_name, scheduled_at) values ('jobs', 'kites', now() + interval '1 hour')"
    queue_says(later)
    assert told()["waiting"] == 0
    queue_says("insert into procrastinate_jobs (queue_name, task_name) values ('jobs', 'kites')")
    queue_says("update procrastinate_events set at = now() - interval '10 minutes'")
    said = told()
    assert said["well"] and said["waiting"] == 1 and 599 <= said["waiting_seconds"] <= 660
    assert said["says"] == [f"Work has waited for {said['waiting_seconds']} seconds: more workers would help."]


def test_a_database_that_is_away_or_files_that_cannot_be_written_are_503(settings, monkeypatch, tmp_path):
    (tmp_path / "no folder").write_bytes(b"")
    settings.MEDIA_ROOT = tmp_path / "no folder"
    said = told(503)
    assert not said["well"] and said["database"] and not said["files"]
    assert [one for one in said["says"] if "files" in one] == ["The files cannot be written: Not a directory."]
    assert str(tmp_path) not in str(said)

    class Away:
        def cursor(self):
            raise OperationalError("connection refused")

    settings.MEDIA_ROOT = tmp_path
    monkeypatch.setattr(health, "connection", Away())
    said = told(503)
    assert said["says"] == ["The database does not answer."] and said["files"] and said["workers"] is None


def test_little_room_is_said(monkeypatch):
    queue_says("insert into procrastinate_workers default values")
    monkeypatch.setattr(health, "LEAST_FREE", 1 << 60)
    assert told()["says"] == ["There is little room left for files."]
