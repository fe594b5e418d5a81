"""Whatever is sent to any address, the answer is never 'something went wrong': requests that are in order, spoilt in a few places."""

import contextlib
import copy
import json
from unittest import mock
from urllib.parse import quote

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test import Client
from django.utils.datastructures import MultiValueDict
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from jaythread.accounts import guessing

from . import every_command
from .test_permissions import ROWS, Back, places  # noqa: F401  the fixture

pytestmark = pytest.mark.django_db
TEXTS = [
    "", " ", "x" * 61, "x" * 81, "x" * 251, "x" * 5000, "a\0b", "\0", "\ud800", "²", "٣", "--5", "9" * 21, "9" * 100, "-1", "0", "1001",
    "nan", "inf", "-inf", "24/0", "0/0", "1e300", "1e999", "2147483648", "9223372036854775808", "2026-02-31", "0001-01-01",
    "\u202e\u0007\r\nx", "../../etc/passwd", "true", "[]", "{}", "null", "00000000-0000-0000-0000-000000000000", "noor", "after -1",
    "after 99999999999999999999", "package x", "<b>", "%", "\\",
]  # fmt: skip
VALUES = [
    *TEXTS, None, True, [], {}, [[]], [None], -1, 0, 2**31, 2**63, 10**30, 0.5, 1e300, -1e300, float("nan"), float("inf"), [1e300] * 6,
    [[0, 0]], {"0": [1e300] * 6}, {"a": None}, [[1e300, 1e300], [-1e300, -1e300], [0, 0]],
]  # fmt: skip
FILES = [
    b"", b"\0" * 40, b"{", b"[]", b"null", b"\xff\xfe", b"x" * 131_073 + b",1\n", b'{"format": 1e999}',
    b"frame,point,x,y\n" + b"9" * 100 + b",0,1,1\n", b"\x89PNG\r\n\x1a\n" + b"\0" * 40, b"<svg><script/></svg>", b"PK\x03\x04" + b"\0" * 30,
]  # fmt: skip
NAMES = ["a.png", "a" * 300 + ".png", "a.json", "\u202e.csv", "..", "a.1.png", "a.svg", "a.mov", "a.zip", "a.exr"]


def spots(value, path=()):
    """Where in a tree of JSON something stands."""
    yield path
    if isinstance(value, dict | list):
        for key in value if isinstance(value, dict) else range(len(value)):
            yield from spots(value[key], (*path, key))


def spoilt(draw, body, value):
    """A tree with one of its places put otherwise, or taken out."""
    path = draw(st.sampled_from([p for p in spots(body) if p] or [()]))
    if not path:
        return value
    body = copy.deepcopy(body)
    at = body
    for key in path[:-1]:
        at = at[key]
    if draw(st.integers(0, 5)):
        at[path[-1]] = value
    elif isinstance(at, dict):
        del at[path[-1]]
    return body


class Heard:
    """The names of fields that pages ask their forms and addresses for."""

    def __init__(self):
        self.names = {}
        self.route = ""

    def __enter__(self):
        plain = MultiValueDict.__getitem__, MultiValueDict._getlist
        heard = self

        def one(data, key):
            heard.names.setdefault(heard.route, set()).add(str(key))
            return plain[0](data, key)

        def several(data, key, *more, **named):
            heard.names.setdefault(heard.route, set()).add(str(key))
            return plain[1](data, key, *more, **named)

        self.patches = [mock.patch.object(MultiValueDict, "__getitem__", one), mock.patch.object(MultiValueDict, "_getlist", several)]
        for patch in self.patches:
            patch.start()
        return self

    def __exit__(self, *_):
        for patch in self.patches:
            patch.stop()


def quoted(text: str) -> str:
    return quote(text, safe="", errors="surrogatepass")


def parted(address: str) -> tuple[str, dict[str, str]]:
    """An address and what it asks for."""
    stem, _, query = address.partition("?")
    return stem, dict(pair.split("=", 1) for pair in query.split("&") if pair)


FORMS = {  # of addresses whose row is the page alone
    "sign-in form": ("POST", "/sign-in", {"username": "rafe", "password": "saltmarsh"}, ()),
    "bring-in form": ("POST", "/productions/{production}/bring-in", {"name": "SALT_1", "space": "linear"}, ()),
    "recipes form": ("POST", "/productions/{production}/recipes", {"recipe_name": "Grading", "format": "png16", "content": "matte"}, ()),
    "note by a link": ("POST", "/package/{secret}/note", {"says": "softer", "number": "1001", "by": "noor"}, ()),
    "deliveries page": ("GET", "/shots/{shot}/deliveries?recipe=1&matte={matte}", None, ()),
}
ALL = ROWS | FORMS
ROUTES = sorted(ALL)
COMMANDS = sorted(every_command.ROWS)
HEARD = Heard()
WHO = ("marta", "rafe", "noor", "")


@st.composite
def requests(draw):
    """A request as plain data: route, who, method, address, query, body and files."""
    name = draw(st.sampled_from(ROUTES + ["api:edit"] * 25 + ["api:preview"] * 5))
    method, address, body, _ = ALL[name]
    body = copy.deepcopy(body)
    if name in ("api:edit", "api:preview"):
        do = draw(st.sampled_from(COMMANDS))
        body = {**body, "command": {"do": do, **every_command.ROWS[do]}}
    address, query = parted(address)
    files = {}
    for _ in range(draw(st.integers(1, 3))):
        what = draw(st.sampled_from(["body", "body", "path", "field", "field"]))
        if what == "path":
            parts = address.split("/")
            at = draw(st.sampled_from([k for k, p in enumerate(parts) if p.startswith("{") or p[:1].isdigit()] or [0]))
            if at:
                _, dot, kind = parts[at].partition(".")
                parts[at] = quoted(draw(st.sampled_from(TEXTS))).replace("{", "%7B").replace("}", "%7D") + dot + kind
                address = "/".join(parts)
        elif method == "JSON" and what == "body":
            body = spoilt(draw, body, draw(st.sampled_from(VALUES)))
        elif method == "FILE":
            body = draw(st.sampled_from(FILES))
        else:
            known = sorted(HEARD.names.get(name, set()) | set(query) | (set(body) if isinstance(body, dict) else set())) or ["frame"]
            key = draw(st.sampled_from(known))
            if method == "POST" and draw(st.integers(0, 5)) == 0:
                files[key] = (draw(st.sampled_from(NAMES)), draw(st.sampled_from(FILES)))
            elif method == "POST":
                body[key] = draw(st.sampled_from(TEXTS) | st.text(max_size=20))
            else:
                query[key] = draw(st.sampled_from(TEXTS) | st.text(max_size=20))
    who = "" if name in ("sign-in form", "note by a link") else draw(st.sampled_from(WHO[:3]))
    return name, who, method, address, query, body, files


def filled(value, ids):
    """Ids put in; what was spoilt stays as it is."""
    if isinstance(value, dict):
        return {k: filled(v, ids) for k, v in value.items()}
    if isinstance(value, list):
        return [filled(v, ids) for v in value]
    if isinstance(value, str) and value.startswith("{") and value.endswith("}"):
        return str(ids.get(value[1:-1], value))
    return value


def form(fields, files):
    """A form as a browser sends it, with bytes that no browser would send."""
    mark = "saltmarsh7f3a"
    out = b""
    for key, text in fields.items():
        out += f'--{mark}\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n'.encode(errors="surrogatepass")
        out += str(text).encode(errors="surrogatepass") + b"\r\n"
    for key, (name, data) in files.items():
        head = f'--{mark}\r\nContent-Disposition: form-data; name="{key}"; filename="{name}"\r\nContent-Type: x/y\r\n\r\n'
        out += head.encode(errors="surrogatepass") + data + b"\r\n"
    return out + f"--{mark}--\r\n".encode(), f"multipart/form-data; boundary={mark}"


def sent(client, ids, method, address, query, body, files):
    where = address.format(**ids) + (
        "?" + "&".join(f"{quoted(k)}={quoted(str(filled(v, ids)))}" for k, v in query.items()) if query else ""
    )
    if method == "JSON":
        return client.post(where, json.dumps(filled(body, ids)), content_type="application/json")
    if method == "FILE":
        return client.post(where, {"file": SimpleUploadedFile("doc.json", body)})
    if method == "POST":
        data, kind = form(filled(body, ids), files)
        return client.post(where, data, content_type=kind)
    return client.generic(method, where)


@pytest.fixture
def ids(shot, people, places):  # noqa: F811
    return {
        **places,
        **{k: v for k, v in every_command.furnished(shot, people["rafe"]).items() if k not in places},
        "new": str(places["new"]),
    }


def test_nothing_that_is_sent_breaks_a_page_or_a_route(people, ids, monkeypatch):
    monkeypatch.setattr(guessing, "FROM_ONE", 10**9)
    clients = {who: Client(raise_request_exception=False) for who in WHO}
    for who, client in clients.items():
        if who:
            client.force_login(people[who], backend="jaythread.accounts.session_store.People")
    cookies = {who: client.cookies.copy() for who, client in clients.items()}

    def answered(who, *more) -> int:
        """What is answered; what the request has changed is taken back."""
        with contextlib.suppress(Back), transaction.atomic():
            status = sent(clients[who], ids, *more).status_code
            connection.needs_rollback = False
            raise Back
        clients[who].cookies = cookies[who].copy()
        return status

    for _ in range(2):  # what pages ask for is known then, and stays as it is: what is drawn hangs on it
        with HEARD:
            for name, (method, address, body, _) in ALL.items():
                HEARD.route = name
                fields = dict.fromkeys(HEARD.names.get(name, ()), "1")
                stem, query = parted(address)
                if method == "GET":
                    answered("marta", method, stem, fields | query, body, {})
                elif method == "POST":
                    answered("marta", method, stem, query, fields | body, {})

    @seed(20)
    @settings(max_examples=900, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(requests())
    def none_breaks(request):
        name, who, *more = request
        assert answered(who, *more) < 500, name

    none_breaks()
