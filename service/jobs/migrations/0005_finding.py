
"""What a job is found by, and what it waits for; filled in for the jobs that are there."""

from django.db import migrations, models

from jobs.waiting import waits_for
from nibble_core.errors import NibbleError
from nibble_core.ticket import sought_by, ticket_from_plain


def fill_in(apps, schema_editor):
    jobs, revisions = apps.get_model("jobs", "Job"), apps.get_model("jobs", "Revision")
    for job in jobs.objects.iterator():
        newest = revisions.objects.filter(job_id=job.pk).order_by("number").last()
        job.waits = waits_for(job.card, job.done) if job.card else ""
        try:
            job.sought = sought_by(ticket_from_plain(newest.ticket)) if newest else ""
        except NibbleError:  # told when it is opened
            job.sought = ""
        job.save(update_fields=["waits", "sought"])


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0004_taken'),
    ]

    operations = [
        migrations.AddField(
            model_name='job',
            name='sizes',
            field=models.CharField(blank=True, default='', max_length=400),
        ),
        migrations.AddField(
            model_name='job',
            name='sought',
            field=models.TextField(blank=True, default=''),
        ),
        migrations.AddField(
            model_name='job',
            name='waits',
            field=models.CharField(blank=True, default='', max_length=40),
        ),
        migrations.AddIndex(
            model_name='job',
            index=models.Index(fields=['archived', 'client', 'turn'], name='board_by_client'),
        ),
        migrations.AddIndex(
            model_name='job',
            index=models.Index(fields=['archived', 'waits', 'turn'], name='board_by_waiting'),
        ),
        migrations.RunPython(fill_in, migrations.RunPython.noop),
    ]
