"""A package made into a folder, without a delivery that is kept."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from jaythread.delivery import making, planning, scripting
from jaythread.desk.document import core_cache
from jaythread.desk.policies import matte_for
from roto.errors import RotoError
from roto.package import documents, make, manifest, proof


class Command(BaseCommand):
    help = "Render mattes of a shot into a folder by a recipe, read them back, and say what is there."

    def add_arguments(self, parser: Any) -> None:
        scripting.shot_arguments(parser)
        parser.add_argument("--out", type=Path, required=True, help="a folder that is empty, or not there yet")
        scripting.recipe_arguments(parser)

    def handle(self, *args: object, **options: Any) -> None:
        user, shot = scripting.found(options)
        out: Path = options["out"]
        if out.exists() and any(out.iterdir()):
            raise CommandError(f"{out} is not empty. Nothing was written.")
        try:
            recipe, name = scripting.recipe(shot, options["recipe"])
            cores = tuple(
                core_cache.matte(shot, matte_for(user, shot.pk, row.pk, "look")[1]) for row in scripting.mattes(shot, options["matte"])
            )
            plate = shot.plates.first()
            plan = make.plan(
                planning.sources(shot, plate, cores), recipe, first=options["first"], last=options["last"], recipe_name=name,
                named=planning.named(plate),
            )  # fmt: skip
            receipt = self.make(plan, out, shot.revision)
        except (RotoError, OSError) as error:
            raise CommandError(str(error)) from error
        if not receipt.proved:
            raise CommandError("\n".join(receipt.wrong))
        self.stdout.write(f"{len(plan.pieces)} frames of {shot} are in {out}, proved.")

    def make(self, plan: make.Plan, out: Path, revision: int) -> proof.Receipt:
        made = {}
        for one in make.make_stills(plan, range(len(plan.pieces)), out, making.workers()):
            made[one.at] = one.measured
            if len(made) % 50 == 0:
                self.stderr.write(f"{len(made)} of {len(plan.pieces)}")
        out.mkdir(parents=True, exist_ok=True)
        if plan.recipe.kind.movie:
            make.make_movies(plan, out)
        files = [manifest.entry(out, name, kind) for name, kind in manifest.all_names(plan)]
        files += [manifest.entry(out, name, "document") for name in documents.write_all(plan, out)]
        manifest.write(out, manifest.manifest(plan, revision, files, {}))
        return proof.prove(out, plan, made, workers=making.workers())
