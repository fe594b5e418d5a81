"""Signing in, and working by day or by dusk."""

from django.contrib.auth import views
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils.decorators import method_decorator
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from jaythread.accounts import actions
from jaythread.accounts.guessing import slowed


@method_decorator(slowed, name="post")
class SignIn(views.LoginView):
    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True


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
