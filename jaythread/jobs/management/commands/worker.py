"""Carries out long work: `manage.py worker`, as many as there are cores to spare, on any machine that has the database and the files."""

import resource
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser

from jaythread.jobs import near


class Command(BaseCommand):
    help = "Carries out long work until it is stopped. It listens to all queues and to one of its own."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--polling", type=float, default=5.0, help="seconds after which it looks by itself whether there is work")

    def handle(self, *args: Any, **options: Any) -> None:
        if settings.MEMORY:  # what wants more fails by itself, with a sentence, and takes nobody along
            _, most = resource.getrlimit(resource.RLIMIT_DATA)
            wanted = settings.MEMORY << 20
            resource.setrlimit(resource.RLIMIT_DATA, (wanted if most < 0 else min(wanted, most), most))
        given = ["--queues", ",".join(near.queues()), "--concurrency", "1", "--fetch-job-polling-interval", str(options["polling"])]
        call_command("procrastinate", "worker", *given)
