"""All addresses."""

from django.conf import settings
from django.contrib.auth import views as auth
from django.db import DataError
from django.http import HttpRequest, HttpResponse
from django.urls import path
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationError
from ninja.security import django_auth

from jaythread.accounts import pages as accounts
from jaythread.accounts.api import router as accounts_router
from jaythread.accounts.tokens import Bearer
from jaythread.bell import pages as bell
from jaythread.comparing import pages as comparing
from jaythread.comparing.api import router as comparing_router
from jaythread.delivery import pages as delivery
from jaythread.delivery.api import router as delivery_router
from jaythread.desk import pages as desk
from jaythread.desk.api import edits, exchange, fit, pictures, tracks
from jaythread.errors import FULL, NoRoom, answer, not_from_here, too_large
from jaythread.front_door import JsonParser, JsonRenderer
from jaythread.guide import pages as guide
from jaythread.health import health
from jaythread.hooks import pages as hooks
from jaythread.jobs.api import router as jobs_router
from jaythread.keeping import pages as keeping
from jaythread.metrics import metrics
from jaythread.plates import pages as plates
from jaythread.plates import pieces
from jaythread.productions import pages as productions
from jaythread.productions.api import router as productions_router
from jaythread.receiving import pages as receiving
from jaythread.review import pages as review
from jaythread.review.api import router as review_router
from jaythread.tryouts import pages as tryouts
from jaythread.tryouts.api import router as tryouts_router
from roto.errors import RotoError

api = NinjaAPI(parser=JsonParser(), renderer=JsonRenderer(), title="Jay Thread", version="1", auth=[Bearer(), django_auth], docs_url=None)
api.add_router("", accounts_router)
api.add_router("", productions_router)
api.add_router("", jobs_router)
for part in (edits, pictures, tracks, fit, exchange):
    api.add_router("", part.router)
api.add_router("", tryouts_router)
api.add_router("", review_router)
api.add_router("", comparing_router)
api.add_router("", delivery_router)


@api.exception_handler(RotoError)
def job_error(request: HttpRequest, error: RotoError) -> HttpResponse:
    return answer(error)


@api.exception_handler(DataError)
def refused_by_the_database(request: HttpRequest, error: DataError) -> HttpResponse:
    return answer(too_large(error))


@api.exception_handler(OSError)
def files_that_cannot_be_kept(request: HttpRequest, error: OSError) -> HttpResponse:
    if error.errno not in FULL:
        raise error
    return answer(NoRoom())


@api.exception_handler(ValidationError)
def bad_input(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0]
    where = ".".join(str(p) for p in first["loc"] if p not in ("body",))
    return api.create_response(request, {"code": "input.bad", "message": f"{where}: {first['msg']}", "field": where}, status=422)


@api.exception_handler(HttpError)
def no_input(request: HttpRequest, error: HttpError) -> HttpResponse:
    """What is no JSON at all, and what else the library itself refuses."""
    if error.status_code == 401:
        return api.create_response(request, {"code": "signed_out", "message": "You are signed out.", "field": None}, status=401)
    if error.status_code == 403:  # its own sign that an edit comes from a page of this site is all that the library forbids by itself
        return not_from_here(request)
    return api.create_response(request, {"code": "input.bad", "message": f"{error}.", "field": ""}, status=error.status_code)


urlpatterns = [
    path("", productions.productions, name="productions"),
    path("health", health, name="health"),
    path("metrics", metrics, name="metrics"),
    path("sign-in", accounts.SignIn.as_view(), name="sign-in"),
    path("sign-out", auth.LogoutView.as_view(), name="sign-out"),
    path("surfaces", accounts.surfaces, name="surfaces"),
    path("me", accounts.me, name="me"),
    path("me/password", accounts.ChangePassword.as_view(), name="change-password"),
    path("me/sessions/end", accounts.end_session, name="end-session"),
    path("me/tokens", accounts.make_token, name="make-token"),
    path("me/tokens/<int:token_id>/take-back", accounts.take_back_token, name="take-back-token"),
    path("forgotten", accounts.ForgotPassword.as_view(), name="forgot-password"),
    path("password/<str:uidb64>/<str:token>", accounts.SetPassword.as_view(), name="set-password"),
    path("people", accounts.all_people, name="people"),
    path("people/new", accounts.new_person, name="new-person"),
    path("people/<int:account_id>", accounts.change_person, name="change-person"),
    path("guide", guide.guide, name="guide"),
    path("guide/search", guide.search, name="guide-search"),
    path("guide/pictures/<slug:name>.png", guide.picture, name="guide-picture"),
    path("guide/<slug:slug>", guide.guide, name="guide-page"),
    path("productions/make", productions.make, name="make-production"),
    path("productions/<int:production_id>", productions.production, name="production"),
    path("productions/<int:production_id>/invite", productions.invite, name="invite"),
    path("productions/<int:production_id>/welcome", productions.welcome, name="welcome"),
    path("productions/<int:production_id>/members/<int:account_id>/leave", productions.leave, name="leave"),
    path("productions/<int:production_id>/hooks", hooks.hooks, name="hooks"),
    path("productions/<int:production_id>/hooks/<int:hook_id>/take-away", hooks.take_away, name="take-away-hook"),
    path("productions/<int:production_id>/archive", productions.archive, name="archive-production"),
    path("productions/<int:production_id>/bring-in", plates.bring_in, name="bring-in"),
    path("uploads", pieces.begin, name="uploads"),
    path("uploads/<uuid:upload_id>", pieces.upload, name="upload"),
    path("plates/<int:plate_id>", plates.plate, name="plate"),
    path("plates/<int:plate_id>/changes", plates.changed, name="plate-changes"),
    path("plates/<int:plate_id>/changes/<int:frame>.png", plates.difference, name="plate-difference"),
    path("plates/<int:plate_id>/cancel", plates.cancel, name="cancel-plate"),
    path("plates/<int:plate_id>/keep-shown", plates.cancel_showing, name="cancel-showing"),
    path("plates/<int:plate_id>/proxy/<int:frame>.jpg", plates.picture, {"kind": "proxy"}, name="proxy"),
    path("plates/<int:plate_id>/full/<int:frame>.png", plates.picture, {"kind": "full"}, name="full"),
    path("plates/<int:plate_id>/hold-gaps", plates.hold_gaps, name="hold-gaps"),
    path("shots/<int:shot_id>/newer-plate", plates.newer, name="newer-plate"),
    path("shots/<int:shot_id>/rename", keeping.rename, name="rename-shot"),
    path("shots/<int:shot_id>/move", keeping.move, name="move-shot"),
    path("productions/<int:production_id>/housekeeping", keeping.rule, name="housekeeping"),
    path("shots/<int:shot_id>/remove", keeping.remove, name="remove-shot"),
    path("shots/<int:shot_id>/bring-back", keeping.bring_back, name="bring-back-shot"),
    path("shots/<int:shot_id>/picture", desk.correct_picture, name="correct-picture"),
    path("shots/<int:shot_id>/desk", desk.desk, name="desk"),
    path("shots/<int:shot_id>/tryouts", tryouts.shot, name="tryouts"),
    path("shots/<int:shot_id>/tryouts/<uuid:tryout_id>", tryouts.tryout, name="tryout"),
    path("productions/<int:production_id>/board", review.board, name="board"),
    path("productions/<int:production_id>/assign", review.assign, name="assign"),
    path("productions/<int:production_id>/look", review.look_next, name="look-next"),
    path("productions/<int:production_id>/notes", review.notes, name="notes"),
    path("productions/<int:production_id>/notes.csv", review.notes_table, name="notes-table"),
    path("shots/<int:shot_id>/notes.otio", review.shot_markers, name="shot-markers"),
    path("shots/<int:shot_id>/notes/<int:note_id>/picture.jpg", review.note_picture, name="note-picture"),
    path("shots/<int:shot_id>/notes/<int:note_id>/settle", review.settle_note, name="settle-note"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/look", review.looking, name="looking"),
    path("bell", bell.bell, name="bell"),
    path("bell/<int:word_id>/follow", bell.follow, name="bell-follow"),
    path("bell/read", bell.read_all, name="bell-read"),
    path("bell/address", bell.address, name="bell-address"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/way", review.matte_way, name="matte-way"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/step", review.step, name="matte-step"),
    path("shots/<int:shot_id>/past", review.as_it_stood, name="past"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/check", review.sheet, name="check-sheet"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/check/<int:frame>/<str:way>", review.small, name="checked"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/compare", comparing.compare, name="compare"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/brought", comparing.bring_in, name="bring-in-matte"),
    path("shots/<int:shot_id>/mattes/<uuid:matte_id>/brought/<int:brought_id>/remove", comparing.remove, name="remove-brought"),
    path("shots/<int:shot_id>/deliveries", delivery.shot, name="deliveries"),
    path("shots/<int:shot_id>/deliveries/shown", delivery.shown, name="shown"),
    path("productions/<int:production_id>/recipes", delivery.production_recipes, name="recipes"),
    path("recipes/<int:recipe_id>/put-away", delivery.put_away, name="put-away"),
    path("deliveries/<int:delivery_id>", delivery.delivery, name="delivery"),
    path("deliveries/<int:delivery_id>/pause", delivery.pause, name="pause-delivery"),
    path("deliveries/<int:delivery_id>/go-on", delivery.go_on, name="go-on"),
    path("deliveries/<int:delivery_id>/notes/<int:note_id>/answer", delivery.answer_note, name="answer-note"),
    path("deliveries/<int:delivery_id>/accept", delivery.accept, name="accept-odd"),
    path("deliveries/<int:delivery_id>/picture/<int:at>.png", delivery.picture, name="delivered-picture"),
    path("deliveries/<int:delivery_id>/state", delivery.state, name="delivery-state"),
    path("deliveries/<int:delivery_id>/cancel", delivery.cancel, name="cancel-delivery"),
    path("deliveries/<int:delivery_id>/fetch", delivery.fetch, name="fetch"),
    path("deliveries/<int:delivery_id>/hand-over", receiving.hand_over, name="hand-over"),
    path("sendings/<uuid:sending_id>/state", receiving.sending_state, name="sending-state"),
    path("sendings/<uuid:sending_id>/cancel", receiving.cancel, name="cancel-sending"),
    path("links/<int:link_id>/revoke", receiving.revoke, name="revoke-link"),
    path("package/<str:secret>", receiving.linked, name="linked"),
    path("package/<str:secret>/note", receiving.linked_note, name="linked-note"),
    path("package/<str:secret>/<str:part>", receiving.linked_part, name="linked-part"),
    path("api/", api.urls),
]
if settings.ADMIN_AT:
    from django.contrib import admin

    urlpatterns.append(path(f"{settings.ADMIN_AT}/", admin.site.urls))
handler400 = "jaythread.errors.not_understood"
handler404 = "jaythread.errors.not_found"
handler500 = "jaythread.errors.went_wrong"
