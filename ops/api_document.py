"""The OpenAPI document of the api, as it is pinned in docs/openapi.json.

python ops/api_document.py           writes it; a test fails while it is not what the routes say
"""

import json
import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs/openapi.json"


def document() -> str:
    """The document as text; Django must be set up."""
    from jaythread.urls import api

    return json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    sys.path.insert(0, str(ROOT))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
    import django

    django.setup()
    TARGET.write_text(document())
