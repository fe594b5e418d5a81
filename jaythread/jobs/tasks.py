"""Background work: the one task that all kinds of job share, and the sweep that takes up what killed workers left."""

from asgiref.sync import sync_to_async
from procrastinate.contrib.django import app

from jaythread.jobs import actions
from jaythread.settings import STALLED_AFTER, SWEEP_WHEN


@app.task(name="jobs.carry_out", queue="jobs")
def carry_out(job_id: int) -> None:
    """Carry a job out."""
    actions.carry_out(job_id)


@app.periodic(cron=SWEEP_WHEN)
@app.task(name="jobs.sweep", queueing_lock="sweep", pass_context=True, priority=100)  # before any work that waits
async def sweep(context, timestamp: int) -> None:  # type: ignore[no-untyped-def]
    """Take up again what a killed worker left behind."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER):
        await app.job_manager.retry_job(job)
    await sync_to_async(actions.requeue_lost)()
