"""The OpenAPI document of the api, pinned in docs/openapi.json, and the schema of the tryout document beside its code.

python ops/api_document.py           writes them; tests fail while they are not what the code says
"""

import json
import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs/openapi.json"
SCHEMA = ROOT / "roto/tryout/tryout.schema.json"


def document() -> str:
    """The document as text; Django must be set up."""
    from jaythread.urls import api

    return json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True) + "\n"


def tryout_schema() -> str:
    """The schema as text."""
    from roto.tryout.document import schema

    return json.dumps(schema(), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    sys.path.insert(0, str(ROOT))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
    import django

    django.setup()
    TARGET.write_text(document())
    SCHEMA.write_text(tryout_schema())
