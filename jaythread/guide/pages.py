"""The guide as pages, its pictures, and the search that the list of keys uses too."""

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from jaythread.errors import NotThere
from jaythread.guide.sections import PICTURES, found, sections


@login_required
@require_GET
def guide(request: HttpRequest, slug: str = "") -> HttpResponse:
    """The contents (with what was searched for), or one page."""
    every = sections()
    wanted = request.GET.get("words", "")
    if not slug:
        return render(request, "guide/contents.html", {"sections": found(wanted), "wanted": wanted})
    if slug not in every:
        raise NotThere("There is no such page in the guide.")
    order = list(every)
    at = order.index(slug)
    return render(
        request,
        "guide/page.html",
        {
            "section": every[slug],
            "sections": every.values(),
            "before": every[order[at - 1]] if at else None,
            "after": every[order[at + 1]] if at + 1 < len(order) else None,
        },
    )


@login_required
@require_GET
def search(request: HttpRequest) -> HttpResponse:
    """Pages that hold all the words: for the list of keys on the desk."""
    pages = found(request.GET.get("words", ""))[:8]
    return JsonResponse({"pages": [{"title": s.title, "url": reverse("guide-page", args=[s.slug])} for s in pages]})


@login_required
@require_GET
def picture(request: HttpRequest, name: str) -> HttpResponseBase:
    """A picture of the guide."""
    if not any(s.picture == f"{name}.png" for s in sections().values()):
        raise NotThere("There is no such picture in the guide.")
    return FileResponse((PICTURES / f"{name}.png").open("rb"), content_type="image/png")
