"""Writes the types of the page's commands from the register of commands, for `tsc`: python ops/command_types.py

The file is not kept: it is written anew before types are checked. Run this by hand for an editor that shows types.
"""

import os
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "ops/js/commands.d.ts"
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


def builder(do: str, schema: dict[str, Any]) -> str:
    """The type of the function that makes one command; its name is that of the command, in one word."""
    required = set(schema.get("required", []))
    fields = [f"{key}{'' if key in required else '?'}: {js_type(one)}" for key, one in schema["properties"].items() if key != "do"]
    first, *rest = do.split()
    name = first + "".join(word.capitalize() for word in rest)
    says = " ".join((schema.get("description") or "").split())
    return f"  /** {says} */\n  {name}(said: {{ {'; '.join(fields)} }}): {{ do: string }};\n"


def written() -> str:
    """The whole file."""
    sys.path.insert(0, str(ROOT))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
    import django

    django.setup()
    from jaythread.desk.edit.commands import COMMANDS, Together

    parts = [builder(c.do, c.schema.model_json_schema()) for c in COMMANDS.values()]
    together = {
        "description": Together.__doc__,
        "required": ["summary", "commands"],
        "properties": {"summary": {"type": "string"}, "commands": {"type": "array", "items": {"type": "object"}}},
    }
    return "\n".join(["interface Commands {", *parts, builder("together", together) + "}", ""])


if __name__ == "__main__":
    TARGET.write_text(written())
