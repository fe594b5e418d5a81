"""Figures for whatever watches over the house, in the Prometheus text format, at `/metrics`; for whoever has JAY_METRICS alone."""

import os
import secrets
import time
from collections.abc import Callable, Iterable

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Histogram, generate_latest, multiprocess
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from jaythread import room
from jaythread.errors import NotThere

BUCKETS = (0.01, 0.025, 0.05, 0.1, 0.15, 0.3, 0.6, 1.2, 2.5, 5, 10, 30)
ANSWERS = Counter("jay_answers", "Answers given, by page and status.", ["page", "status"])
SECONDS = Histogram("jay_answer_seconds", "Time until an answer was given, by page.", ["page"], buckets=BUCKETS)
QUEUE = """
    select queue_name, count(*), coalesce(extract(epoch from now() - min(coalesce(greatest(j.scheduled_at, e.at), e.at))), 0)
      from procrastinate_jobs j join procrastinate_events e on e.job_id = j.id
     where j.status = 'todo' and (j.scheduled_at is null or j.scheduled_at <= now()) and e.type = 'deferred' group by queue_name
"""
WORKERS = "select count(*) from procrastinate_workers where last_heartbeat > now() - interval '60 seconds'"
JOBS = "select kind, state, count(*) from jobs_job where changed > now() - interval '1 day' group by kind, state"


class Counted:
    """Middleware: every answer is counted, by the name of its page."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        begun = time.perf_counter()
        reply = self.get_response(request)
        page = request.resolver_match.view_name if request.resolver_match else "none"
        ANSWERS.labels(page, str(reply.status_code)).inc()
        SECONDS.labels(page).observe(time.perf_counter() - begun)
        return reply


class House(Collector):
    """What is the same for every process: read when it is asked for."""

    def collect(self) -> Iterable[Metric]:
        left = room.free()
        if left is not None:
            free = GaugeMetricFamily("jay_files_free_bytes", "Room left where the files are.")
            free.add_metric([], left)
            yield free
        up = GaugeMetricFamily("jay_database_up", "Whether the database answers.")
        try:
            with connection.cursor() as cursor:
                found = [cursor.execute(said).fetchall() for said in (QUEUE, WORKERS, JOBS)]
        except DatabaseError:
            up.add_metric([], 0)
            yield up
            return
        up.add_metric([], 1)
        yield up
        yield from self._work(*found)

    @staticmethod
    def _work(queues: list[tuple[str, int, float]], workers: list[tuple[int]], jobs: list[tuple[str, str, int]]) -> Iterable[Metric]:
        waiting = GaugeMetricFamily("jay_work_waiting", "Work that is due, by queue.", labels=["queue"])
        oldest = GaugeMetricFamily(
            "jay_work_waiting_seconds", "How long the oldest work that is due has waited, by queue.", labels=["queue"]
        )
        for name, count, seconds in queues:
            waiting.add_metric([name], count)
            oldest.add_metric([name], float(seconds))
        alive = GaugeMetricFamily("jay_workers", "Workers that gave a sign of life within a minute.")
        alive.add_metric([], workers[0][0])
        day = GaugeMetricFamily("jay_jobs", "Jobs that changed within a day, by kind and state.", labels=["kind", "state"])
        for kind, state, count in jobs:
            day.add_metric([kind, state], count)
        yield from (waiting, oldest, alive, day)


@require_GET
@never_cache
def metrics(request: HttpRequest) -> HttpResponse:
    """All figures. Where PROMETHEUS_MULTIPROC_DIR is set, as it is for the processes of one `--processes`, answers are counted over all of
    them."""
    wanted = settings.METRICS
    if not wanted or not secrets.compare_digest(request.headers.get("Authorization", "").encode(), f"Bearer {wanted}".encode()):
        raise NotThere()
    registry = CollectorRegistry()
    registry.register(House())
    own = b""
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        multiprocess.MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        mine = CollectorRegistry()
        mine.register(ANSWERS)
        mine.register(SECONDS)
        own = generate_latest(mine)
    return HttpResponse(generate_latest(registry) + own, content_type=CONTENT_TYPE_LATEST)
