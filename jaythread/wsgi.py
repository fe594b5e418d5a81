"""The web application as a server runs it (see `__main__`)."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
application = get_wsgi_application()

gc.set_threshold(20_000, 20, 20)  # the compiled core is a large graph of objects: to walk it often would show while dragging
