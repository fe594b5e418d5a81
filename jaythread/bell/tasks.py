"""Background work of this room."""

from procrastinate.contrib.django import app

from jaythread.bell import actions


@app.task(name="bell.mail", queue="quick")
def mail() -> None:
    """Send what concerns people by e-mail."""
    actions.mail()
