"""What the commands share: finding what is named on the command line, as the account that it is done for."""

import json
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import CommandError

from jaythread.delivery import recipes
from jaythread.desk.models import Matte
from jaythread.productions.models import Shot
from roto.package.recipe import Recipe


def shot_arguments(parser: ArgumentParser, mattes: bool = True) -> None:
    """Which shot, which mattes, as whom."""
    parser.add_argument("production")
    parser.add_argument("shot")
    if mattes:
        parser.add_argument("matte", nargs="+", help="one, or several for a recipe that packs them")
    parser.add_argument("--as", dest="account", required=True, help="the account that it is done for; its role counts")


def recipe_arguments(parser: ArgumentParser) -> None:
    """How a package is to be made."""
    parser.add_argument(
        "--recipe", default="compositor, stills of 16 bits", help="a recipe of the production by name, or a JSON file of settings"
    )
    parser.add_argument("--first", type=int)
    parser.add_argument("--last", type=int)


def found(options: dict[str, Any]) -> tuple[Any, Shot]:
    """The account and the shot. CommandError where there is none."""
    user = get_user_model().objects.filter(username=options["account"]).first()
    if user is None:
        raise CommandError(f"There is no account '{options['account']}'.")
    shot = Shot.objects.filter(name=options["shot"], production__name=options["production"], production__memberships__user=user).first()
    if shot is None:
        raise CommandError(f"'{options['account']}' sees no shot '{options['shot']}' in a production '{options['production']}'.")
    return user, shot


def mattes(shot: Shot, names: list[str]) -> list[Matte]:
    """Mattes of a shot by their names."""
    out = []
    for name in names:
        row = shot.mattes.filter(name=name).first()
        if row is None:
            raise CommandError(f"{shot} has no matte '{name}'; it has: {', '.join(shot.mattes.values_list('name', flat=True)) or 'none'}.")
        out.append(row)
    return out


def recipe(shot: Shot, said: str) -> tuple[Recipe, str]:
    """A recipe by its name, or from a file of settings; and what packages made by it say."""
    path = Path(said)
    if path.suffix == ".json":
        try:
            return Recipe.from_json(json.loads(path.read_text())), path.stem
        except (OSError, ValueError) as error:
            raise CommandError(f"{said} cannot be read as a recipe: {error}") from error
    it = recipes.chosen(shot.production_id, said)
    return it.core, it.name
