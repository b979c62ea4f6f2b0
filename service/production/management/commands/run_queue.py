"""The queue's worker: makes job files one after the other."""

import os
import sys
from typing import Any

from django.core.management.base import BaseCommand
from huey.consumer import Consumer

from files.children import die_with_parent
from production.models import Task
from production.queue import QUEUE
from production.tasks import make_files
from production.workers import FILES_BEHIND


class Command(BaseCommand):
    help = "Work off the task queue."

    def handle(self, *args: Any, **options: Any) -> None:
        die_with_parent()
        if os.getppid() != int(os.environ.get("NIBBLE_PARENT", os.getppid())):
            sys.exit(0)  # the server was gone before this process could ask
        os.nice(FILES_BEHIND)
        # a task that was under way when its worker ended is safe to run again
        for task in Task.objects.filter(state=Task.State.WORKING):
            make_files(task.id)
        Consumer(QUEUE, workers=1, initial_delay=0.05, max_delay=0.2, periodic=False).run()
