"""Background work: the one task that all kinds of job share, and the sweep that takes up what killed workers left."""

from asgiref.sync import sync_to_async
from procrastinate import JobContext
from procrastinate.contrib.django import app

from jaythread.jobs import actions, near
from jaythread.settings import STALLED_AFTER, SWEEP_WHEN


@app.task(name="jobs.carry_out", queue="jobs", pass_context=True)
def carry_out(context: JobContext, job_id: int) -> None:
    """Carry a job out, unless another worker has it in hand; taken up again after a worker was lost, in any case."""
    actions.carry_out(job_id, again=context.job.attempts > 0, by=near.said(context))


@app.periodic(cron=SWEEP_WHEN)
@app.task(name="jobs.sweep", queueing_lock="sweep", pass_context=True, priority=100)  # before any work that waits
async def sweep(context: JobContext, timestamp: int) -> None:
    """Take up again what a killed worker left behind."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER):
        await app.job_manager.retry_job(job, queue="jobs" if job.queue.startswith(near.OWN) else None)  # nobody else listens to its own
    await sync_to_async(actions.requeue_lost)()
