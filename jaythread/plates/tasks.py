"""Background work of plates."""

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from jaythread.plates import actions


@app.task(name="plates.decode", queue="plates", retry=RetryStrategy(max_attempts=2))
def decode(plate_id: int) -> None:
    actions.decode(plate_id)
