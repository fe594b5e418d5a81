"""What more artists would need: a small discrete-event model, run from costs measured here, and held against the load of `load`.

A request is a few steps, each at a part that works on so many at a time, first come first served: the cores of a machine, with a web
process for each. An artist sends the next when the last is answered. Costs are processor time, told apart by who spent it: the web server,
the database.
"""

import heapq
import os
import subprocess
import sys
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from benchmarks import kept, load, scenes
from benchmarks.kept import Kept
from benchmarks.load import Artist, Row, fresh, serving, together, warm
from roto.matte.render import render_each

TICK = os.sysconf("SC_CLK_TCK")
ALONE = 4
"""artists at a server while costs are measured: none waits for another"""
HELD = (10, 20, 40)
"""artists of whom the model's answer is held against what was measured"""
SPREAD = 0.35
"""of a cost, sigma of its logarithm"""
PEAK = 0.6
"""of a house's artists, that are at work in its busiest hour"""
BUSY = 0.3
"""of that hour, in which an artist drags and edits each second"""
FRAMES, PARTS = 72, 12
"""a shot's frames, and the shapes of its matte"""
HOUSES = {30: "a house", 300: "a street of houses", 30_000: "a town of them"}
EVENING = 4.0
"""hours before the evening in which a day's deliveries are wanted"""
PER_DAY = {"deliveries": 1.0, "edits": 1500.0, "plates": 0.5, "bent": 150.0}
"""of an artist; bent: frames between keys that the picture draws, each from both sides"""
DAY = 8.0
"""hours of a day's work, over which plates come and outlines are drawn"""
FULL = 0.7
"""of its time that a part may be at work before answers wait for each other"""


JOBS = 200
"""that are put into the queue, and taken from it one after the other"""
QUEUE = """
import asyncio, django, time
django.setup()
from procrastinate.contrib.django import app
from procrastinate.jobs import Status
from benchmarks.scale import JOBS
begun = time.perf_counter()
for k in range(JOBS):
    app.configure_task("measured.alone", allow_unknown=True, queue="measured").defer(number=k)
put = time.perf_counter() - begun
async def taken():
    async with app.with_connector(app.connector.get_worker_connector()).open_async() as own:
        who = await own.job_manager.register_worker()
        begun, count = time.perf_counter(), 0
        while (job := await own.job_manager.fetch_job(queues=["measured"], worker_id=who)) is not None:
            await own.job_manager.finish_job(job, status=Status.SUCCEEDED, delete_job=True)
            count += 1
        assert count == JOBS
        return time.perf_counter() - begun
print("queue", 1000 * put / JOBS, 1000 * asyncio.run(taken()) / JOBS)
"""


@dataclass(frozen=True, kw_only=True)
class Costs:
    """Seconds of a core. interpreter: of an edit or a draft, what holds the web process; drawing: what does not; database; frame: one
    rendered. crowded: times as long as work takes while all cores are at it."""

    interpreter: float
    drawing: float
    database: float
    frame: float
    crowded: float


@dataclass
class Part:
    """Something that works on so many steps at a time. crowded: how many times as long a step takes that is begun while all others work."""

    count: int
    crowded: float = 1.0
    idle: int = 0
    queue: deque["Request"] = field(default_factory=deque)
    busy: float = 0.0


@dataclass
class Request:
    """What is left of it: steps of a part's name and seconds. begun: when it is sent, or was meant to be. then: what the same artist sends
    next, once this one is answered."""

    begun: float
    steps: list[tuple[str, float]]
    then: "Request | None" = None


def simulated(requests: Sequence[Request], parts: dict[str, Part]) -> np.ndarray:
    """Seconds that each request took, in the order in which they end. requests: the first of each artist."""
    for part in parts.values():
        part.idle = part.count
    events: list[tuple[float, int, Request, bool]] = [(one.begun, k, one, False) for k, one in enumerate(requests)]
    heapq.heapify(events)
    took, number = [], len(events)
    while events:
        now, _, request, ended = heapq.heappop(events)
        coming = [request]
        if ended:
            name, _ = request.steps.pop(0)
            part = parts[name]
            part.idle += 1
            if part.queue:
                coming.append(part.queue.popleft())
                part.idle -= 1
        for one in coming:
            if not one.steps:
                took.append(now - one.begun)
                if one.then is not None:
                    one.then.begun = max(now, one.then.begun)
                    number += 1
                    heapq.heappush(events, (one.then.begun, number, one.then, False))
                continue
            name, seconds = one.steps[0]
            part = parts[name]
            if one is request:
                if part.idle == 0:
                    part.queue.append(one)
                    continue
                part.idle -= 1
            seconds *= part.crowded if part.idle == 0 else 1.0
            part.busy += seconds
            number += 1
            heapq.heappush(events, (now + seconds, number, one, True))
    return np.array(took)


def arrivals(artists: int, seconds: float, costs: Costs, seed: int = 1) -> list[Request]:
    """A draft and an edit of every artist each second, half a second apart, each at a moment of their own; the first of each artist."""
    rng = np.random.default_rng(seed)
    out = []
    for begin in rng.uniform(0, 1, artists):
        later: Request | None = None
        for at in np.arange(begin, seconds, 0.5)[::-1]:
            vary = np.exp(rng.normal(-(SPREAD**2) / 2, SPREAD, 3))
            spent = np.array([costs.interpreter, costs.drawing, costs.database]) * vary
            later = Request(begun=float(at), steps=[("cores", float(spent.sum()))], then=later)
        out += [] if later is None else [later]
    return out


def _cpu(pids: Sequence[int]) -> float:
    """Seconds of processor time that processes have spent."""
    total = 0
    for pid in pids:
        try:
            fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        total += int(fields[11]) + int(fields[12])
    return total / TICK


def _database() -> list[int]:
    """The processes of the cluster."""
    first = (Path(os.environ["JAY_RUN"]) / "postgres" / "postmaster.pid").read_text().splitlines()[0]
    found = [int(first)]
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            if path.read_text().rpartition(")")[2].split()[1] == first:
                found.append(int(path.parent.name))
        except OSError:
            continue
    return found


def _web(server: int) -> list[int]:
    """The web processes that a server consists of."""
    return [server, *map(int, Path(f"/proc/{server}/task/{server}/children").read_text().split())]


def measured(port: str, server: int, everybody: list[Artist]) -> Costs:
    """What an edit and a draft cost on the mean, while nobody waits; and a frame of a matte of twelve shapes."""
    before = _cpu(_web(server)), _cpu(_database())
    some = fresh(everybody, ALONE)
    together(port, some, 12.0)
    count = sum(len(one.waits) for one in some)
    web, database = ((after - start) / count for after, start in zip((_cpu(_web(server)), _cpu(_database())), before, strict=True))
    drawing = float(np.mean([ms for one in some for ms in one.core])) / 1000
    frame = _frame(1)
    crowded = max(1.0, _frame(os.cpu_count() or 1) / frame)
    return Costs(interpreter=max(0.001, web - drawing), drawing=drawing, database=database, frame=frame, crowded=crowded)


def _frame(threads: int) -> float:
    """Seconds of a core for a frame of a matte of twelve shapes, while so many threads draw such frames."""
    count = 12 * threads
    begin = os.times()
    list(render_each(scenes.twelve(), range(1, 1 + count), lambda frame, done: None, threads, "16"))
    end = os.times()
    return (end.user + end.system - begin.user - begin.system) / count


def scale() -> Iterator[Row]:
    """The costs, the model beside the load that was measured, and what houses of other sizes would need."""
    with serving() as (port, server, everybody, env):
        warm(port, everybody)
        costs = measured(port, server, everybody)
        yield "scale: a request, ms of a core: interpreter, drawing, database", _ms(costs), ""
        for artists in HELD:
            real = np.percentile(together(port, fresh(everybody, artists)), 95)
            told = np.percentile(simulated(arrivals(artists, load.SECONDS, costs), _here(costs)), 95) * 1000
            yield f"scale: {artists} artists here, p95 of the model and measured", f"{told:.0f}, {real:.0f} ms", "within 30 %"
        done = subprocess.run([sys.executable, "-c", QUEUE], env=env, check=True, capture_output=True, text=True).stdout.split()
        put, taken = map(float, done[done.index("queue") + 1 :][:2])
        yield "scale: a job put into the queue; taken and ended by one worker", f"{put:.1f} ms; {taken:.1f} ms", ""
        more = kept.measured(env)
    yield "scale: a still of a plate in the store: bytes; taken in, of a core; brought to another machine", _still(more), ""
    yield "scale: an outline that bends with its picture, of a core", f"{1000 * more.bent:.0f} ms a frame and way", ""
    yield "scale: a delivered frame; an edit, in the database", f"{more.delivered / 1e6:.3f} MB; {more.edit / 1e3:.1f} KB", ""
    for artists, name in HOUSES.items():
        yield f"scale: {artists} artists, {name}", _needs(artists, costs, more), ""


def _ms(costs: Costs) -> str:
    return (
        ", ".join(f"{1000 * one:.1f}" for one in (costs.interpreter, costs.drawing, costs.database)) + f"; a frame {1000 * costs.frame:.0f}"
    )


def _here(costs: Costs) -> dict[str, Part]:
    """This machine, with a web process for each core: whatever is asked, one of the cores is at work on it."""
    return {"cores": Part(count=os.cpu_count() or 1, crowded=costs.crowded)}


def _still(more: Kept) -> str:
    return f"{more.still / 1e6:.1f} MB; {1000 * more.taken_in:.0f} ms; {1000 * more.brought:.0f} ms"


def _needs(artists: int, costs: Costs, more: Kept) -> str:
    """Which parts a house needs in its busiest hour, and what a month of it keeps."""
    asked = 2 * artists * PEAK * BUSY
    web = max(1, int(np.ceil(asked * costs.interpreter / FULL)))
    cores = max(1, int(np.ceil(asked * (costs.drawing + costs.interpreter) / FULL)))
    database = asked * costs.database / FULL
    frames, stills = artists * PER_DAY["deliveries"] * FRAMES, artists * PER_DAY["plates"] * FRAMES
    evening = frames * 2 * costs.frame / (EVENING * 3600)
    day = (artists * PER_DAY["bent"] * 2 * more.bent + stills * more.taken_in) / (DAY * 3600)
    workers = max(1, int(np.ceil((evening + day) / FULL)))
    month = 22 * (stills * more.still + artists * PER_DAY["edits"] * more.edit + frames * more.delivered)
    return (
        f"{asked:.0f} requests/s: {web} web processes on {cores} cores, {database:.1f} cores of database, {workers} workers' cores;"
        f" {month / 1e12:.1f} TB a month"
    )
