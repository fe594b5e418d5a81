"""Writes the page's builders of commands from the register of commands: python manage.py shell is not needed, just this file.

python ops/command_builders.py           writes jaythread/static/desk/net/commands.js
python ops/command_builders.py --check   fails when that file is not what would be written
"""

import os
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "jaythread/static/desk/net/commands.js"
HEAD = """// What an edit may say, one function a command, with types.
// Written by ops/command_builders.py from the register of commands; do not change it by hand.
"""
PLAIN = {"integer": "number", "number": "number", "string": "string", "boolean": "boolean", "null": "null"}


def js_type(schema: dict[str, Any]) -> str:
    """The type of a JSON schema, as JSDoc has it."""
    if "enum" in schema:
        return " | ".join(f'"{v}"' for v in schema["enum"])
    if "anyOf" in schema:
        return " | ".join(dict.fromkeys(js_type(s) for s in schema["anyOf"]))
    if schema.get("type") == "array":
        if "prefixItems" in schema:
            return f"[{', '.join(js_type(s) for s in schema['prefixItems'])}]"
        item = js_type(schema["items"])
        return f"({item})[]" if " " in item and not item.startswith("[") else f"{item}[]"
    if schema.get("type") == "object":
        more = schema.get("additionalProperties")
        return f"Record<string, {js_type(more)}>" if isinstance(more, dict) else "Record<string, any>"
    return PLAIN[schema["type"]]


def builder(name: str, do: str, schema: dict[str, Any]) -> str:
    """The function that makes one command."""
    required = set(schema.get("required", []))
    fields = [f"{key}{'' if key in required else '?'}: {js_type(one)}" for key, one in schema["properties"].items() if key != "do"]
    called = name[0].lower() + name[1:]
    says = " ".join((schema.get("description") or "").split())
    lines = [f"/** {says}" if says else "/**", f" *  @param {{{{{', '.join(fields)}}}}} said */"]
    return "\n".join([*lines, f'export const {called} = (said) => ({{ do: /** @type {{const}} */ ("{do}"), ...said }});', ""])


def written() -> str:
    """The whole file."""
    sys.path.insert(0, str(ROOT))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
    import django

    django.setup()
    from jaythread.desk.edit.commands import COMMANDS, Together

    parts = [builder(c.schema.__name__, c.do, c.schema.model_json_schema()) for c in COMMANDS.values()]
    together = Together.model_json_schema(ref_template="#/{model}")
    together = {
        "description": together["description"],
        "required": ["summary", "commands"],
        "properties": {"summary": {"type": "string"}, "commands": {"type": "array", "items": {"type": "object"}}},
    }
    return "\n".join([HEAD, *parts, builder("Together", "together", together)])


if __name__ == "__main__":
    text = written()
    if "--check" in sys.argv:
        sys.exit(0 if TARGET.read_text() == text else f"{TARGET.name} is not what the register says: run python ops/command_builders.py")
    TARGET.write_text(text)
