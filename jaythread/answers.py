"""What pages answer to a button: done, said, and back to a page."""

from collections.abc import Callable

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

from jaythread.errors import Refused

Said = str | tuple[str, str]
"""a sentence; or one, and what is shown this once to be copied: a link, a token, a secret"""


def then(request: HttpRequest, work: Callable[[], Said], back: str, *to: int) -> HttpResponse:
    """Do something, say what it returns, or why it was refused, and go back to a page by its name."""
    try:
        said = work()
    except Refused as error:
        messages.error(request, error.message)
        return redirect(back, *to)
    sentence, once = (said, "") if isinstance(said, str) else said
    messages.success(request, sentence)
    if once:
        messages.info(request, once, extra_tags="once")
    return redirect(back, *to)
