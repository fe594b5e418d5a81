"""Background work of the desk."""

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from jaythread.desk import fitting, following, fringes


@app.task(name="desk.solve", queue="desk", retry=RetryStrategy(max_attempts=3))
def solve(solving_id: int) -> None:
    fringes.solve(solving_id)


@app.task(name="desk.follow", queue="desk", retry=RetryStrategy(max_attempts=3))
def follow(following_id: int) -> None:
    following.follow(following_id)


@app.task(name="desk.measure", queue="desk", retry=RetryStrategy(max_attempts=3))
def measure(measuring_id: int) -> None:
    fitting.measure(measuring_id)
