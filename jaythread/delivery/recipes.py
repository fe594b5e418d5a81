"""Recipes of a production: the ones to start from, and those that were saved, every version of them."""

from dataclasses import dataclass
from typing import Any

from django.db import transaction

from jaythread.delivery.models import Recipe
from jaythread.errors import NotThere
from jaythread.front_door import one_name, whole
from jaythread.productions.policies import User, account, require
from roto.package.recipe import STARTERS
from roto.package.recipe import Recipe as CoreRecipe

STARTER, OWN = "starter:", "own:"


@dataclass(frozen=True, slots=True, kw_only=True)
class Offered:
    """A recipe that can be chosen. key: names it in forms and addresses. name: what packages made by it say."""

    key: str
    name: str
    says: str
    core: CoreRecipe

    def to_json(self) -> dict[str, Any]:
        return {"key": self.key, "name": self.name, "says": self.says, "settings": self.core.to_json()}


def offered(production_id: int) -> list[Offered]:
    """What can be chosen in a production: the newest version of each saved recipe, then those to start from."""
    rows: dict[str, Recipe] = {}
    for row in Recipe.objects.filter(production_id=production_id, put_away=False):
        rows.setdefault(row.name, row)
    own = [Offered(key=f"{OWN}{row.pk}", name=str(row), says=row.says, core=row.to_core()) for row in rows.values()]
    return own + [Offered(key=f"{STARTER}{name}", name=name, says=says, core=core) for name, (says, core) in STARTERS.items()]


def chosen(production_id: int, key: str) -> Offered:
    """The recipe of that key, or of that name; of a saved one an older version too. NotThere where there is none."""
    own = whole(key.removeprefix(OWN)) if key.startswith(OWN) else None
    if own is not None:
        row = Recipe.objects.filter(pk=own, production_id=production_id).first()
        if row is not None:
            return Offered(key=key, name=str(row), says=row.says, core=row.to_core())
    for it in offered(production_id):
        if key in (it.key, it.name, it.name.rpartition(" ")[0] if it.key.startswith(OWN) else it.name):
            return it
    raise NotThere(f"There is no recipe '{key}' here. Choose one of: {', '.join(o.name for o in offered(production_id))}.")


@transaction.atomic
def save(user: User, production_id: int, name: str, says: str, settings: Any) -> Recipe:
    """Save settings under a name: a new recipe, or the next version of one."""
    place = require(user, production_id, "deliver")
    name = one_name(name, 50, "Give the recipe a name of at most 50 characters, after who receives it.")
    core = CoreRecipe.from_json(settings)
    place.production.recipes.select_for_update().filter(name=name)
    newest = place.production.recipes.filter(name=name).order_by("-version").first()
    if newest is not None and not newest.put_away and newest.how == core.to_json() and newest.says == says.strip():
        return newest
    version = newest.version + 1 if newest else 1
    return Recipe.objects.create(
        production=place.production, name=name, version=version, says=says.strip()[:200], how=core.to_json(), user_id=account(user)
    )


@transaction.atomic
def put_away(user: User, recipe_id: int) -> Recipe:
    """Offer a recipe no longer, in any version."""
    row = Recipe.objects.filter(pk=recipe_id).first()
    if row is None:
        raise NotThere()
    require(user, row.production_id, "deliver")
    Recipe.objects.filter(production_id=row.production_id, name=row.name).update(put_away=True)
    return row
