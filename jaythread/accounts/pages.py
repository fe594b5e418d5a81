"""Signing in, one's own page, the accounts of the house, and working by day or by dusk."""

from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import views
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse_lazy
from django.utils.decorators import method_decorator
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from jaythread.accounts import actions, guessing, people, sessions, tokens
from jaythread.accounts.guessing import slowed
from jaythread.answers import Said, then
from jaythread.errors import Refused
from jaythread.front_door import whole


@method_decorator(slowed, name="post")
class SignIn(views.LoginView):
    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True


class ChangePassword(views.PasswordChangeView):
    """One's own; all other sessions end."""

    template_name = "accounts/change_password.html"
    success_url = reverse_lazy("me")

    def form_valid(self, form: Any) -> HttpResponse:
        reply = super().form_valid(form)
        sessions.end_others(self.request.user, but=self.request.session.session_key or "")
        messages.success(self.request, "Your password is changed. Everywhere else you are signed out.")
        return reply


@method_decorator(slowed, name="dispatch")
class ForgotPassword(views.PasswordResetView):
    """Sends a link to the address of an account, where it has one; to strangers it says the same either way."""

    template_name = "accounts/forgot_password.html"
    subject_template_name = "accounts/letter_subject.txt"
    email_template_name = "accounts/letter.txt"
    extra_email_context = {"site": settings.SITE}
    success_url = reverse_lazy("sign-in")

    def get_context_data(self, **named: Any) -> dict[str, Any]:
        return super().get_context_data(**named) | {"letters": people.may_letters()}

    def form_valid(self, form: Any) -> HttpResponse:
        guessing.wrong(self.request)
        once = guessing.first_of_late("letter", form.cleaned_data["email"].lower())  # nobody's letter box is filled
        reply = super().form_valid(form) if once else redirect(self.get_success_url())
        messages.success(self.request, "If an account has this address, a letter with a link is on its way to it.")
        return reply


@method_decorator(slowed, name="dispatch")
class SetPassword(views.PasswordResetConfirmView):
    """The page behind a link: a password is set, and its person is signed in."""

    template_name = "accounts/set_password.html"
    success_url = reverse_lazy("productions")
    post_reset_login = True
    post_reset_login_backend = "jaythread.accounts.session_store.People"

    def form_valid(self, form: Any) -> HttpResponse:
        sessions.end_others(form.user)
        return super().form_valid(form)

    def render_to_response(self, context: dict[str, Any], **named: Any) -> HttpResponse:
        return super().render_to_response(context, status=200 if context["validlink"] else 410, **named)


@login_required
@require_GET
def me(request: HttpRequest) -> HttpResponse:
    """One's own page: password, where one is signed in, tokens for scripts."""
    here = request.session.session_key
    browsers = [{"it": one, "says": sessions.in_words(one.browser), "here": one.session_id == here} for one in sessions.of(request.user)]
    own = {"browsers": browsers, "tokens": tokens.of(request.user), "keeper": people.is_keeper(request.user)}
    return render(request, "accounts/me.html", own)


@login_required
@require_POST
def end_session(request: HttpRequest) -> HttpResponse:
    """One other session of one's own, or all others."""
    which = whole(request.POST.get("which", ""))

    def end() -> str:
        if which is None:
            count = sessions.end_others(request.user, but=request.session.session_key or "")
            return f"Everywhere else you are signed out ({count})."
        sessions.end(request.user, which)
        return "You are signed out there."

    return then(request, end, "me")


@login_required
@require_POST
def make_token(request: HttpRequest) -> HttpResponse:
    """A token for scripts, shown once."""

    def make() -> Said:
        secret = tokens.make(request.user, request.POST.get("name", ""), request.POST.get("changes") == "on")
        return "The token is made. Copy it now: it is not shown again.", secret

    return then(request, make, "me")


@login_required
@require_POST
def take_back_token(request: HttpRequest, token_id: int) -> HttpResponse:
    def back() -> str:
        tokens.take_back(request.user, token_id)
        return "The token is taken back. What uses it is let in no more."

    return then(request, back, "me")


@login_required
@require_GET
def all_people(request: HttpRequest) -> HttpResponse:
    """The accounts of the house, for its keepers."""
    return render(request, "accounts/people.html", {"rows": [people.facts(one) for one in people.all_of(request.user)]})


@login_required
@require_POST
def new_person(request: HttpRequest) -> HttpResponse:
    """A keeper makes an account."""
    people.keeper(request.user)

    def make() -> Said:
        made = people.make(request.POST.get("name", ""), request.POST.get("address", ""))
        link = people.way_in(made)
        people.send_way_in(made, link, request.user)
        return f"The account {made.username} is made. Give this link to its person; it is good for a week, and once.", link

    return then(request, make, "people")


@login_required
@require_POST
def change_person(request: HttpRequest, account_id: int) -> HttpResponse:
    """A keeper closes an account, opens it again, makes its person a keeper or no keeper, or makes a link for a new password."""
    people.keeper(request.user)

    def change() -> Said:
        what = request.POST.get("what", "")
        if what == "link":
            it, link = people.new_way_in(request.user, account_id)
            return f"Give this link to {it.username}; it is good for a week, and once.", link
        if what in ("close", "open"):
            it = (people.close if what == "close" else people.open_again)(request.user, account_id)
            return f"The account of {it.username} is {'closed' if what == 'close' else 'open again'}."
        if what in ("keeper", "no keeper"):
            it = people.let_keep(request.user, account_id, what == "keeper")
            return f"{it.username} is {'a keeper now' if what == 'keeper' else 'no keeper any more'}."
        raise Refused("There is nothing like that to be done with an account.")

    return then(request, change, "people")


@login_required
@require_POST
def surfaces(request: HttpRequest) -> HttpResponse:
    """Paper by day, slate for dark rooms: the other one from now on."""
    actions.keep(request.user, dusk=not actions.preference(request.user).dusk)
    back = request.headers.get("Referer", "")
    return redirect(back if url_has_allowed_host_and_scheme(back, {request.get_host()}) else "productions")


def liking(request: HttpRequest) -> dict[str, bool]:
    """For every page: whether it is shown by dusk."""
    return {"dusk": bool(request.user.is_authenticated and actions.preference(request.user).dusk)}
