"""What was removed long ago is cleared away at night."""

from asgiref.sync import sync_to_async
from procrastinate.contrib.django import app

from jaythread.keeping import actions


@app.periodic(cron="20 3 * * *")
@app.task(name="keeping.clear_out", queueing_lock="clear out", queue="jobs")
async def clear_out(timestamp: int) -> None:
    """Take away for good what was removed longer ago than it is kept."""
    await sync_to_async(actions.clear_out)()
