"""Django's settings. What a machine may change comes from the environment (`jaythread/environment.py`)."""

from secrets import token_urlsafe
from typing import Any

import dj_database_url
from csp.constants import NONCE, SELF

from jaythread import environment, logs

BASE = environment.BASE
ENV = environment.read()
RUN = ENV.run

DEBUG = False
SECRET_FILE = RUN / "secret"
SECRET_KEY = ENV.secret or (SECRET_FILE.read_text() if SECRET_FILE.exists() else token_urlsafe(50))  # of this process alone: set-up, tests
ALLOWED_HOSTS = ENV.hosts

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "procrastinate.contrib.django",
    "axes",
    "csp",
    "jaythread.accounts",
    "jaythread.productions",
    "jaythread.bell",
    "jaythread.hooks",
    "jaythread.jobs",
    "jaythread.plates",
    "jaythread.brought",
    "jaythread.desk",
    "jaythread.tryouts",
    "jaythread.review",
    "jaythread.delivery",
    "jaythread.comparing",
    "jaythread.receiving",
    "jaythread.keeping",
]
MIDDLEWARE = [
    "jaythread.front_door.BehindProxies",
    "jaythread.logs.RequestId",
    "jaythread.metrics.Counted",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "jaythread.accounts.renewing.StaySignedIn",
    "jaythread.errors.SayWhatWasWrong",
    "jaythread.front_door.SamePerson",
    "jaythread.front_door.OnlyText",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "jaythread.urls"
WSGI_APPLICATION = "jaythread.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE / "jaythread" / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "jaythread.accounts.pages.liking",
                "jaythread.bell.pages.for_pages",
            ],
            "libraries": {"scripts": "jaythread.scripts"},
        },
    }
]
# The database, too, notices in seconds that a machine has vanished: what that had locked is free again, and others go on with its work.
_watched = "-c tcp_keepalives_idle=10 -c tcp_keepalives_interval=5 -c tcp_keepalives_count=2 -c tcp_user_timeout=10000"
_here = {"NAME": ENV.db, "USER": ENV.db_user, "HOST": "127.0.0.1", "PORT": str(ENV.db_port)}
_database: dict[str, Any] = dict(dj_database_url.parse(ENV.db_url)) if ENV.db_url else _here
DATABASES = {
    "default": {
        **_database,
        "ENGINE": "django.db.backends.postgresql",
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,  # the database may have been started again meanwhile
        # an edit is half a dozen small queries, always the same: planned once a connection. The board's query looks dear to the server,
        # which would compile it for three times as long as it runs
        "OPTIONS": {
            **{"server_side_binding": True, "prepare_threshold": 2, "options": f"-c jit=off {_watched}"},
            # a line that was cut is noticed in seconds, not by the system's own quarter of an hour: those who wait are told
            **{"connect_timeout": 5, "tcp_user_timeout": 10_000, "keepalives_idle": 10, "keepalives_interval": 5, "keepalives_count": 2},
            **_database.get("OPTIONS", {}),
        },
    }
}
CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"}
    if ENV.cache == "process"
    else {"BACKEND": "django.core.cache.backends.db.DatabaseCache", "LOCATION": "remembered"}
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "jaythread.accounts.session_store.People"]
AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = 0.25  # hours: long enough to stop guessing, short enough for a tired artist
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "productions"
LOGOUT_REDIRECT_URL = "sign-in"

STATIC_URL = "/static/"
STATICFILES_DIRS = [BASE / "jaythread" / "static"]
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False
MEDIA_ROOT = ENV.files or RUN / "files"
STORAGES: dict[str, dict[str, Any]] = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
if ENV.store:
    _bucket, _, _under = ENV.store.removeprefix("s3://").partition("/")
    STORAGES["shared"] = {
        "BACKEND": "jaythread.store.s3.SharedStore",
        "OPTIONS": {"bucket": _bucket, "under": _under, "at": ENV.store_at, "region": ENV.store_region},
    }
AT_HAND = int(ENV.at_hand * (1 << 30))
DATA_UPLOAD_MAX_NUMBER_FILES = 20_000  # stills of one shot; ten minutes at 30 frames a second
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 << 20
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]

BENCH = ENV.bench
BENCH_TOKEN = ENV.bench_token
BENCH_TOKEN_FILE = ENV.bench_token_file or RUN / "bench" / "token"
BENCH_WAIT = ENV.bench_wait
PROCRASTINATE_WORKER_DEFAULTS = {"update_heartbeat_interval": ENV.heartbeat}
SWEEP_WHEN = ENV.sweep_when
STALLED_AFTER = ENV.stalled_after

CSRF_FAILURE_VIEW = "jaythread.errors.not_from_here"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF, NONCE],
        "style-src": [SELF, "'unsafe-inline'"],
        "img-src": [SELF, "data:", "blob:"],
        "frame-ancestors": [SELF],
        "form-action": [SELF],
    }
}
X_FRAME_OPTIONS = "SAMEORIGIN"
PROXIES = ENV.proxies
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = ENV.site.startswith("https:")
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if SESSION_COOKIE_SECURE else 0
CSRF_TRUSTED_ORIGINS = [ENV.site.rstrip("/")]
METRICS = ENV.metrics
MEMORY = ENV.memory
ADMIN_AT = ENV.admin
if ADMIN_AT:
    INSTALLED_APPS += ["django.contrib.admin", "jaythread.tables"]
SESSION_ENGINE = "jaythread.accounts.session_store"  # the database: who signs out at one web process is out at all
PASSWORD_RESET_TIMEOUT = 7 * 24 * 3600
SESSION_COOKIE_SAMESITE = "Lax"
LANGUAGE_CODE = "en-gb"
USE_TZ = True
TIME_ZONE = "UTC"
LOGGING = logs.config(ENV.log)
SILENCED_SYSTEM_CHECKS = ["axes.W003"]

# Letters: by the mail server that the machine names; without one they are written to the worker's log.
SITE = ENV.site.rstrip("/")
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if ENV.mail_host else 'console'}.EmailBackend"
EMAIL_HOST, EMAIL_PORT, EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = ENV.mail_host, ENV.mail_port, ENV.mail_user, ENV.mail_password
EMAIL_USE_TLS, EMAIL_TIMEOUT, DEFAULT_FROM_EMAIL = ENV.mail_tls, 20, ENV.mail_from
