"""Background work of deliveries."""

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from jaythread.delivery import making

AGAIN = RetryStrategy(max_attempts=3)


@app.task(name="delivery.begin", queue="delivery", retry=AGAIN)
def begin(delivery_id: int) -> None:
    making.begin(delivery_id)


@app.task(name="delivery.chunk", queue="delivery", retry=AGAIN)
def chunk(delivery_id: int, chunk_id: int) -> None:
    making.chunk(delivery_id, chunk_id)


@app.task(name="delivery.again", queue="delivery", retry=AGAIN)
def again(delivery_id: int) -> None:
    making.again(delivery_id)


@app.task(name="delivery.finish", queue="delivery", retry=AGAIN)
def finish(delivery_id: int) -> None:
    making.finish(delivery_id)
