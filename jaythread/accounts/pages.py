"""Signing in."""

from django.contrib.auth import views


class SignIn(views.LoginView):
    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True
