"""What was removed long ago, and what no rule keeps, is cleared away at night."""

from asgiref.sync import sync_to_async
from procrastinate.contrib.django import app

from jaythread.keeping import actions, space
from jaythread.plates import uploads

REMEMBERED = 7 * 24
"""hours for which the queue remembers work that is over"""


@app.periodic(cron="20 3 * * *")
@app.task(name="keeping.clear_out", queueing_lock="clear out", queue="jobs")
async def clear_out(timestamp: int) -> None:
    """Take away for good what was removed longer ago than it is kept, and what the queue remembers of work that is over."""
    await sync_to_async(actions.clear_out)()
    await sync_to_async(space.look_after_all)()
    await sync_to_async(uploads.clear_out)()
    await app.job_manager.delete_old_jobs(nb_hours=REMEMBERED, include_failed=True, include_cancelled=True, include_aborted=True)


@app.task(name="keeping.look_after", queue="jobs")
def look_after(production_id: int) -> None:
    """What the rule says of one production, now."""
    space.look_after(production_id)
