"""Cards that nobody has opened yet are drawn in the background: of files just dropped, of a shop just restored."""

import logging
import os
import threading
from concurrent.futures import ThreadPoolExecutor

from django.db import connection

from jobs.models import Job
from jobs.queries import newest_revision
from nibble_core.errors import NibbleError
from production.api import refresh_card

LOG = logging.getLogger(__name__)
LOOKS = 2.0  # seconds between two looks for cards that wait


class WaitingCards:
    """Draws cards until it is stopped, those of the newest jobs first. A job whose card cannot be drawn is left until
    the service starts again: opening it says why."""

    def __init__(self) -> None:
        self._stopped = threading.Event()
        self._given_up: set[int] = set()

    def run(self) -> None:
        with ThreadPoolExecutor(os.cpu_count()) as each:
            while not self._stopped.is_set():
                waiting = self.waiting()
                list(each.map(self._draw, waiting[: os.cpu_count()]))
                if not waiting:
                    self._stopped.wait(LOOKS)

    def stop(self) -> None:
        self._stopped.set()

    def waiting(self) -> list[int]:
        found = Job.objects.filter(card__isnull=True, archived=False).exclude(pk__in=self._given_up).order_by("-pk")
        ids = list(found.values_list("pk", flat=True))
        connection.close()  # of this thread
        return ids

    def _draw(self, job_id: int) -> None:
        try:
            refresh_card(newest_revision(job_id))
        except NibbleError:  # superseded by somebody who works on it, or nothing to draw
            self._given_up.add(job_id)
        except Exception:
            LOG.exception("the card of job %d could not be drawn", job_id)
            self._given_up.add(job_id)
        finally:
            connection.close()
