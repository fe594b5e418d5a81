"""Pages of deliveries."""

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from jaythread.delivery import actions, looks, packing, planning, recipes, sent
from jaythread.delivery.models import DeliveredFrame, Delivery, State
from jaythread.delivery.policies import delivery_for, package_for
from jaythread.desk.document import core_cache
from jaythread.desk.document.lookups import as_uuid
from jaythread.desk.models import Note
from jaythread.desk.policies import matte_for
from jaythread.desk.review import notes
from jaythread.errors import Refused
from jaythread.front_door import whole
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import may, require, shot_for
from jaythread.review.models import Finding
from jaythread.review.models import State as FindingState
from roto.errors import BadRecipe
from roto.exchange import document
from roto.matte.stack import sentence
from roto.package.formats import FORMATS
from roto.package.recipe import COMPRESSIONS, CONTENTS
from roto.package.recipe import Recipe as CoreRecipe

FOUND = 12
"""findings that a package's page lists, the gravest"""
FIGURES = ("padding", "spare", "width", "height")
SWITCHES = ("pad", "reverse", "plate", "shapes", "svg", "tracks", "editorial")


def settings_of(said: Any) -> CoreRecipe:
    """A recipe from the fields of a form. BadRecipe with the field that is wrong."""

    def number(name: str, usual: float) -> Any:
        text = said.get(name, "").strip()
        if not text:
            return usual
        try:
            return float(text) if isinstance(usual, float) else int(text)
        except ValueError as error:
            raise BadRecipe(name, f"'{text[:20]}' is not a {'' if isinstance(usual, float) else 'whole '}number.") from error

    hexes = said.get("colour", "#808080").lstrip("#")
    try:
        colour = [int(hexes[k : k + 2], 16) / 255 for k in (0, 2, 4)]
    except ValueError as error:
        raise BadRecipe("colour", "must be a colour like #808080.") from error
    data: dict[str, Any] = {k: said.get(k, "") for k in ("format", "content", "compression", "pattern", "size")} | {
        "missing": said.get("missing") or "stop"
    }
    data |= {k: number(k, 0) for k in FIGURES} | {k: said.get(k) == "on" for k in SWITCHES}
    data |= {"colour": colour, "pixel_aspect": number("pixel_aspect", 0.0)}
    data["start"] = number("start", 0) if said.get("start", "").strip() else None
    return CoreRecipe.from_json(data)


def _range(said: Any) -> tuple[int | None, int | None]:
    try:
        first, last = (int(said[k]) if said.get(k, "").strip() else None for k in ("first", "last"))
    except ValueError as error:
        raise BadRecipe("range", "frames are whole numbers.") from error
    return first, last


@login_required
def shot(request: HttpRequest, shot_id: int) -> HttpResponse:
    """A shot's deliveries; asks for a new one."""
    it = shot_for(request.user, shot_id, "look")
    if request.method == "POST":
        try:
            return _ask(request, it)
        except (Refused, BadRecipe) as error:
            messages.error(request, error.message)
        return redirect("deliveries", shot_id)
    rows = list(Delivery.objects.filter(matte__shot=it).select_related("matte__shot", "user"))
    member = require(request.user, it.production_id, "look")
    formats = [{"key": f.key, "says": f.says} for f in FORMATS.values()]
    return render(
        request,
        "delivery/shot.html",
        {
            "shot": it,
            "membership": member,
            "may_deliver": may(member, "deliver"),
            "deliveries": rows,
            "waiting": any(d.busy for d in rows),
            "mattes": it.mattes.prefetch_related("entries"),
            "tryouts": it.tryouts.all(),
            "recipes": [o.to_json() for o in recipes.offered(it.production_id)],
            "formats": formats,
            "contents": CONTENTS.items(),
            "compressions": COMPRESSIONS,
        },
    )


def _ask(request: HttpRequest, it: Shot) -> HttpResponse:
    """Ask for a delivery; with the settings of the form where it holds any, else by the recipe that it names."""
    said = request.POST
    ids = [as_uuid(m) for m in said.getlist("matte")]
    first, last = _range(said)
    named = recipes.chosen(it.production_id, said["recipe"]) if said.get("recipe") else None
    recipe, name = (named.core, named.name) if named else (None, "")
    if said.get("format"):
        recipe = settings_of(said)
        name = name if named and named.core == recipe else f"{name}, changed" if name else "by hand"
    tryout = as_uuid(said["tryout"]) if said.get("tryout") else None
    made = actions.ask_each(request.user, it.pk, ids, recipe, name, first, last, tryout)
    if len(made) > 1:
        messages.success(request, f"{len(made)} packages are asked for, one of each matte.")
        return redirect("deliveries", it.pk)
    return redirect("delivery", made[0].pk)


@login_required
@require_POST
def shown(request: HttpRequest, shot_id: int) -> HttpResponse:
    """What follows from the settings in the form: names, frames, size; or what is wrong with them."""
    it = shot_for(request.user, shot_id, "deliver")
    try:
        recipe = settings_of(request.POST)
        ids, look = [as_uuid(m) for m in request.POST.getlist("matte")], None
        if recipe.content == "tryout":
            if not request.POST.get("tryout"):
                raise Refused("This shot has no tryout yet. Begin one first, on its page of tryouts.")
            look = looks.frozen(it, as_uuid(request.POST["tryout"]))
            ids = [as_uuid(m) for m in look["mattes"]]
        if not ids:
            raise Refused("Choose a matte.")
        rows = [matte_for(request.user, shot_id, m, "look")[1] for m in ids]
        cores = tuple(core_cache.matte(it, row) for row in rows)
        each = 1 if recipe.several or look else len(cores)
        cores = cores if recipe.several or look else cores[:1]
        said = _range(request.POST)
        first, last = (here if here is not None else usual for here, usual in zip(said, it.working, strict=True))
        told = planning.shown(it, cores, recipe, first, last, "recipe", planning.next_version(rows[0]), look)
        if each > 1:
            told["lines"].insert(0, f"{each} packages, one of each matte; this is the first")
        return JsonResponse(told)
    except (BadRecipe, Refused) as error:
        field = error.path if isinstance(error, BadRecipe) else ""
        return JsonResponse({"wrong": error.why if isinstance(error, BadRecipe) else error.message, "field": field})


@login_required
def production_recipes(request: HttpRequest, production_id: int) -> HttpResponse:
    """The recipes of a production; saves one."""
    member = require(request.user, production_id, "look")
    if request.method == "POST":
        try:
            made = recipes.save(
                request.user,
                production_id,
                request.POST.get("recipe_name", ""),
                request.POST.get("says", ""),
                settings_of(request.POST).to_json(),
            )
            messages.success(request, f"The recipe '{made.name}' is saved as version {made.version}.")
        except (Refused, BadRecipe) as error:
            messages.error(request, error.message)
        back = whole(request.POST.get("shot", ""))
        return redirect("recipes", production_id) if back is None or back < 0 else redirect("deliveries", back)
    own = member.production.recipes.select_related("user")
    return render(
        request,
        "delivery/recipes.html",
        {"membership": member, "own": own, "offered": recipes.offered(production_id), "may_deliver": may(member, "deliver")},
    )


@login_required
@require_POST
def put_away(request: HttpRequest, recipe_id: int) -> HttpResponse:
    row = recipes.put_away(request.user, recipe_id)
    messages.success(request, f"'{row.name}' is no longer offered. Packages that were made by it stay.")
    return redirect("recipes", row.production_id)


@login_required
@require_GET
def delivery(request: HttpRequest, delivery_id: int) -> HttpResponse:
    it = delivery_for(request.user, delivery_id, "look")
    member = require(request.user, it.matte.shot.production_id, "look")
    frames = list(it.frames.all())
    cores = [document.loads(text) for text in [it.document, *it.others]]
    at_of = {f.frame: f.at for f in frames}
    return render(
        request,
        "delivery/delivery.html",
        {
            "delivery": it,
            "shot": it.matte.shot,
            "membership": member,
            "frames": frames,
            "done": sum(f.done for f in frames),
            "counts": [(c, n) for c in ("new", "changed", "same") if (n := sum(f.change == c for f in frames))],
            "samples": max((f.samples for f in frames), default=0),
            "capped": [f.frame for f in frames if f.capped],
            "stacks": [(core.name, sentence(core)) for core in cores],
            "core": cores[0],
            "recipe": it.core_recipe,
            "content": CONTENTS[it.core_recipe.content],
            "size": it.core_recipe.picture_size(cores[0].size),
            "odd": [{**row, "at": at_of.get(row["frame"])} for row in it.odd],
            "odd_frames": [row["frame"] for row in it.open_odd],
            "taken": any(f.taken for f in frames),
            "player": _player(it, frames),
            "notes": _notes(it),
            "found": [] if it.tryout else _findings(it, [f.frame for f in frames]),
            "others": Delivery.objects.filter(matte=it.matte, state=State.PROVED).exclude(pk=it.pk),
            "may_deliver": may(member, "deliver"),
        },
    )


def _player(it: Delivery, frames: list[DeliveredFrame]) -> dict[str, Any]:
    """What the page's player needs: where the frames' pictures lie, the plate's beside them, the rate, and which of them stand."""
    plate = it.plate if it.plate is not None and it.plate.state == "ready" else None
    return {
        "pictures": [reverse("delivered-picture", args=[it.pk, f.at]) for f in frames],
        "plates": [_proxy_of(plate, f.frame - it.plate_offset + plate.offset) for f in frames] if plate else [],
        "numbers": [f.number for f in frames],
        "rate": float(it.matte.shot.rate),
        "content": it.core_recipe.content,
        "done": [f.done for f in frames],
        "aspect": it.core_recipe.pixel_aspect or 1.0,
    }


def _proxy_of(plate: Plate, frame: int) -> str:
    return f"{reverse('proxy', args=[plate.pk, frame])}?l={plate.picture_version}"


def _findings(it: Delivery, frames: list[int]) -> list[Finding]:
    """What the check thinks wrong with the matte on frames of the package, as it is now."""
    found = it.matte.findings.exclude(state=FindingState.RIGHT)
    return list(found.filter(first__lte=max(frames), last__gte=min(frames))[:FOUND]) if frames else []


def _notes(it: Delivery) -> list[Note]:
    """What the other side said of this package, with what was answered."""
    about = f"{it.name} version {it.version}"
    return list(Note.objects.filter(shot=it.matte.shot, package=about).prefetch_related("answers__user"))


@login_required
@require_POST
def answer_note(request: HttpRequest, delivery_id: int, note_id: int) -> HttpResponse:
    """Answer what the other side said of a package."""
    it = delivery_for(request.user, delivery_id, "look")
    try:
        notes.answer(request.user, it.matte.shot_id, note_id, request.POST.get("says", ""))
        messages.success(request, "Answered. It goes to the other side.")
    except Refused as error:
        messages.error(request, error.message)
    return redirect("delivery", delivery_id)


@login_required
@require_GET
def state(request: HttpRequest, delivery_id: int) -> HttpResponse:
    """How a delivery stands, for the page that follows it."""
    it = delivery_for(request.user, delivery_id, "look")
    rows = list(it.frames.values_list("at", "done", "taken"))
    made = sum(d and not t for _, d, t in rows)
    left = sum(not d for _, d, _ in rows)
    gone = (timezone.now() - it.started).total_seconds() if it.started else 0.0
    return JsonResponse(
        {
            "state": it.state,
            "done": sum(d for _, d, _ in rows),
            "total": len(rows),
            "checked": it.checked,
            "frames": [at for at, d, _ in rows if d],
            "left": round(gone / made * left) if made > 2 and left and it.state in (State.RENDERING, State.READING) else None,
        }
    )


def _act(request: HttpRequest, delivery_id: int, act: Any) -> HttpResponse:
    try:
        act(request.user, delivery_id)
    except Refused as error:
        messages.error(request, error.message)
    return redirect("delivery", delivery_id)


@login_required
@require_POST
def cancel(request: HttpRequest, delivery_id: int) -> HttpResponse:
    return _act(request, delivery_id, actions.cancel)


@login_required
@require_POST
def pause(request: HttpRequest, delivery_id: int) -> HttpResponse:
    return _act(request, delivery_id, actions.pause)


@login_required
@require_POST
def go_on(request: HttpRequest, delivery_id: int) -> HttpResponse:
    return _act(request, delivery_id, actions.go_on)


@login_required
@require_POST
def accept(request: HttpRequest, delivery_id: int) -> HttpResponse:
    frame = whole(request.POST.get("frame", ""))
    frames = None if frame is None else [frame]
    return _act(request, delivery_id, lambda user, pk: actions.accept(user, pk, frames))


@login_required
@require_GET
def fetch(request: HttpRequest, delivery_id: int) -> HttpResponseBase:
    return packing.download(package_for(request.user, delivery_id))


@login_required
@require_GET
def picture(request: HttpRequest, delivery_id: int, at: int) -> HttpResponse:
    """A delivered frame, small."""
    it = delivery_for(request.user, delivery_id, "look")
    return HttpResponse(sent.picture(it, at), content_type="image/png")
