"""Background work of deliveries."""

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from jaythread.delivery import making
from jaythread.settings import STALLED_AFTER, SWEEP_WHEN

AGAIN = RetryStrategy(max_attempts=3)


@app.task(name="delivery.begin", queue="delivery", retry=AGAIN)
def begin(delivery_id: int) -> None:
    making.begin(delivery_id)


@app.task(name="delivery.chunk", queue="delivery", retry=AGAIN)
def chunk(delivery_id: int, chunk_id: int) -> None:
    making.chunk(delivery_id, chunk_id)


@app.task(name="delivery.finish", queue="delivery", retry=AGAIN)
def finish(delivery_id: int) -> None:
    making.finish(delivery_id)


@app.periodic(cron=SWEEP_WHEN)
@app.task(name="delivery.sweep", queueing_lock="sweep", pass_context=True, priority=100)  # before any work that waits
async def sweep(context, timestamp: int) -> None:  # type: ignore[no-untyped-def]
    """Take up again what a killed worker left behind."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER):
        await app.job_manager.retry_job(job)
