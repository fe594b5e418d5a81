"""What concerns somebody, as a list."""

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from jaythread.bell import actions
from jaythread.bell.models import Word
from jaythread.errors import Refused


def for_pages(request: Any) -> dict[str, Any]:
    """How many words wait, for the head of every page."""
    return {"bell_unread": actions.unread(request.user)} if getattr(request, "user", None) and request.user.is_authenticated else {}


@login_required
@require_GET
def bell(request: HttpRequest) -> HttpResponse:
    """All words for whoever asks, the newest first."""
    return render(request, "bell/bell.html", {"words": actions.words_of(request.user)})


@login_required
@require_POST
def follow(request: HttpRequest, word_id: int) -> HttpResponse:
    """One word is read, and leads to its page."""
    word = get_object_or_404(Word, pk=word_id, user_id=request.user.pk)
    actions.read(request.user, word_id)
    return redirect(word.address)


@login_required
@require_POST
def read_all(request: HttpRequest) -> HttpResponse:
    """All words are read."""
    actions.read(request.user)
    return redirect("bell")


@login_required
@require_POST
def address(request: HttpRequest) -> HttpResponse:
    """Where these words are sent as letters."""
    try:
        actions.letters_to(request.user, request.POST.get("email", "")[:254])
        messages.success(request, "Kept.")
    except Refused as error:
        messages.error(request, error.message)
    return redirect("bell")
