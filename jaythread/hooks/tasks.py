"""Background work of this room."""

import uuid

from procrastinate.contrib.django import app

from jaythread.hooks import actions


@app.task(name="hooks.call", queue="quick")
def call(call_id: str) -> None:
    """Tell an address what happened."""
    actions.call(uuid.UUID(call_id))
