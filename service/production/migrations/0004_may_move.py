from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('production', '0003_how_a_sheet_lies'),
    ]

    operations = [
        migrations.AddField(
            model_name='machinerun',
            name='may_move',
            field=models.BooleanField(default=False),
        ),
    ]
