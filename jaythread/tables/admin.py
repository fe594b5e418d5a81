"""What keepers see of the tables. What has a page of its own, with rules, is looked at here and not changed."""

from django.contrib import admin
from django.contrib.auth.models import Group
from django.http import HttpRequest

from jaythread.accounts.models import SignedIn, Token
from jaythread.delivery.models import Delivery
from jaythread.hooks.models import Call, Hook
from jaythread.jobs.models import Job
from jaythread.plates.models import Plate
from jaythread.productions.models import Membership, Production, Shot
from jaythread.receiving.models import Link, Sending


class LookOnly(admin.ModelAdmin):  # type: ignore[type-arg]
    """A table that is looked at."""

    list_per_page = 50

    def has_add_permission(self, request: HttpRequest) -> bool:
        return False

    def has_change_permission(self, request: HttpRequest, obj: object = None) -> bool:
        return False

    def has_delete_permission(self, request: HttpRequest, obj: object = None) -> bool:
        return False


SHOWN = {
    Production: ("name", "made", "archived"),
    Membership: ("production", "user", "role"),
    Shot: ("name", "production", "first", "last", "revision"),
    Plate: ("shot", "version", "state", "message"),
    Job: ("kind", "shot", "user", "state", "done", "total", "made", "changed", "message"),
    Delivery: ("__str__", "user", "state", "made", "ended", "message"),
    Sending: ("delivery", "state", "tries", "made", "message"),
    Link: ("delivery", "says", "until", "revoked", "fetched"),
    Hook: ("address", "production", "user"),
    Call: ("event", "hook", "made", "tries", "answer", "done"),
    Token: ("name", "user", "changes", "made", "used"),
    SignedIn: ("user", "address", "browser", "since", "seen"),
}
HIDDEN = {Hook: ("secret",), Link: ("mark",), Token: ("digest",), SignedIn: ("session",)}
"""columns that would let somebody in"""
admin.site.site_header = admin.site.site_title = "Jay Thread: the tables"
admin.site.unregister(Group)
for model, columns in SHOWN.items():
    admin.site.register(model, type(f"{model.__name__}Admin", (LookOnly,), {"list_display": columns, "exclude": HIDDEN.get(model, ())}))
