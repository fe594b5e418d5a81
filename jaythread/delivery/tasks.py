"""Background work of deliveries."""

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from jaythread.delivery import actions


@app.task(name="delivery.deliver", queue="delivery", retry=RetryStrategy(max_attempts=3))
def deliver(delivery_id: int) -> None:
    actions.deliver(delivery_id)


@app.periodic(cron="* * * * *")
@app.task(name="delivery.sweep", queueing_lock="sweep", pass_context=True)
async def sweep(context, timestamp: int) -> None:  # type: ignore[no-untyped-def]
    """Take up again what a killed worker left behind."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=30):
        await app.job_manager.retry_job(job)
