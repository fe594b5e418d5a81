"""The web application as gunicorn runs it."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
application = get_wsgi_application()
