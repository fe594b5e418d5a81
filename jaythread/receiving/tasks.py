"""Background work of handing over."""

import uuid

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from jaythread.receiving import actions


@app.task(name="receiving.send", queue="receiving", retry=RetryStrategy(max_attempts=3))
def send(sending_id: str) -> None:
    actions.carry_out(uuid.UUID(sending_id))


@app.task(name="receiving.answers", queue="receiving")
def answers() -> None:
    """Send what was answered to notes of the other side."""
    actions.send_answers()


@app.periodic(cron="* * * * *")
@app.task(name="receiving.look", queueing_lock="look")
def look(timestamp: int) -> None:
    """Ask how the packages stand that nobody has answered yet."""
    actions.look_all()
    actions.send_answers()
